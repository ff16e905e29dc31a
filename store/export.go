package store

import "context"

// Outgoing is a school year's data as rows by file: cells by column, and the headers as they came.
type Outgoing struct {
	SchoolName string
	Source     Source
	Headers    map[string][]string
	Rows       map[string][]Cells
}

// enrollmentCells are the cells of an enrollment e.
const enrollmentCells = `jsonb_build_object('sourcedId', e.section_id || ':' || e.student_id || ':' || e.id,
	'status', 'active', 'classSourcedId', e.section_id, 'schoolSourcedId', e.school_id,
			'userSourcedId', e.student_id, 'role', 'student', 'beginDate', coalesce(e.begins::text, ''), 'endDate', coalesce(e.ends::text, ''))`

// What a file's rows are, for a school and a year. Requests are what was submitted, or where nothing was the
// sheet as it is.
var outgoing = map[string]string{
	"users.csv":   `SELECT cells FROM person WHERE school_id = $1 AND present AND $2 > 0 ORDER BY ord`,
	"classes.csv": `SELECT cells FROM section WHERE school_id = $1 AND year = $2 ORDER BY ord`,
	"records.csv": `SELECT r.cells FROM record r JOIN person p ON p.school_id = r.school_id AND p.id = r.student_id
		WHERE r.school_id = $1 AND p.present AND r.replaced IS NULL AND $2 > 0 ORDER BY p.ord, r.ord, r.id`,
	"signals.csv": `SELECT s.cells FROM signal s JOIN person p ON p.school_id = s.school_id AND p.id = s.student_id
		WHERE s.school_id = $1 AND p.present AND s.settled = '' AND (s.year = $2 OR s.year IS NULL) ORDER BY p.ord, s.ord, s.id`,
	"plans.csv": `SELECT x.cells FROM plan x JOIN person p ON p.school_id = x.school_id AND p.id = x.student_id
		WHERE x.school_id = $1 AND x.year = $2 AND p.present ORDER BY p.ord, x.ord`,
	"enrollments.csv": `SELECT ` + enrollmentCells + ` AS cells
		FROM enrollment e JOIN person p ON p.school_id = e.school_id AND p.id = e.student_id WHERE e.school_id = $1
		AND e.year = $2 AND p.present ORDER BY p.ord, e.id`,
	"requests.csv": `SELECT coalesce(e.cells, '{}') || jsonb_build_object('student',
		sh.student_id, 'courseCode', x.c, 'kind', CASE WHEN x.a THEN 'alternate' ELSE 'request' END,
			'rank', x.r::text, 'standsFor', coalesce(x.s, ''), 'state', sh.state) AS cells
		FROM sheet sh JOIN person p ON p.school_id = sh.school_id AND p.id = sh.student_id
		JOIN LATERAL (
			SELECT e.course_code AS c, e.kind = 'alternate' AS a, e.rank AS r, e.ord, e.stands_for AS s FROM entry e
				WHERE sh.submission = 0 AND (e.school_id, e.year, e.student_id) = (sh.school_id, sh.year, sh.student_id)
			UNION ALL SELECT y.c, coalesce(y.a, false), y.r, 0, y.s FROM submission sub,
			jsonb_to_recordset(sub.entries) AS y(c text, a boolean, r int, s text)
				WHERE sh.submission > 0 AND (sub.school_id, sub.year, sub.student_id,
				sub.number) = (sh.school_id, sh.year, sh.student_id, sh.submission)
			UNION ALL SELECT c.course, false, (jsonb_array_length(sub.entries) + c.ordinality)::int, 0, ''
			FROM submission sub, jsonb_array_elements_text(sh.summer->'courses') WITH ORDINALITY AS c(course, ordinality)
				WHERE sh.submission > 0 AND (sub.school_id, sub.year, sub.student_id,
				sub.number) = (sh.school_id, sh.year, sh.student_id, sh.submission)
					AND NOT EXISTS (SELECT 1 FROM jsonb_array_elements(sub.entries) y WHERE y->>'c' = c.course)) x ON true
		LEFT JOIN entry e ON (e.school_id, e.year, e.student_id, e.course_code) = (sh.school_id, sh.year, sh.student_id, x.c)
		WHERE sh.school_id = $1 AND sh.year = $2 AND p.present ORDER BY p.ord, x.a, x.r, x.ord`,
}

// Export returns a school year's data; run it in a Snapshot. The error is ErrNotFound where there is no such year.
func (q ImportsQueries) Export(ctx context.Context, school string, year int) (out Outgoing, err error) {
	row, err := q.all().Year.YearRow(ctx, school, year)
	if err != nil {
		return out, err
	}
	out = Outgoing{SchoolName: row.SchoolName, Headers: map[string][]string{}, Rows: map[string][]Cells{}}
	if out.Source, err = q.all().Year.Source(ctx, school, year, row.Catalog, row.Policy); err != nil {
		return out, err
	}
	var headers []struct {
		Name   string
		Header JSON[[]string]
	}
	if err := q.list(ctx, &headers, `SELECT name, header FROM bundle_header WHERE school_id = $1 AND year = $2`, school, year); err != nil {
		return out, err
	}
	for _, h := range headers {
		out.Headers[h.Name] = h.Header.V
	}
	for name, query := range outgoing {
		var rows []JSON[Cells]
		if err := q.list(ctx, &rows, query, school, year); err != nil {
			return out, err
		}
		for _, r := range rows {
			out.Rows[name] = append(out.Rows[name], r.V)
		}
	}
	return out, nil
}
