package store

import (
	"context"
	"encoding/json"
	"fmt"

	"rubricon/bundle"
)

// Cells are a row's cells by column.
type Cells map[string]string

// FileHeader is the header of a file of the bundle.
type FileHeader struct {
	Name   string         `db:"name"`
	Header JSON[[]string] `db:"header"`
}

type (
	// RowIn is a row kept as it came.
	RowIn struct {
		File  string `json:"file"`
		Ord   int    `json:"ord"`
		Cells Cells  `json:"cells"`
	}
	// CourseIn is a course.
	CourseIn struct {
		Code  string `json:"code"`
		Ord   int    `json:"ord"`
		Cells Cells  `json:"cells"`
	}
	// PersonIn is a person.
	PersonIn struct {
		ID         string   `json:"id"`
		Ord        int      `json:"ord"`
		Role       string   `json:"role"`
		Enabled    bool     `json:"enabled"`
		Username   string   `json:"username"`
		GivenName  string   `json:"given_name"`
		FamilyName string   `json:"family_name"`
		Grade      int      `json:"grade"`
		Programs   []string `json:"programs"`
		Counselor  string   `json:"counselor"`
		Language   string   `json:"language"`
		Cells      Cells    `json:"cells"`
	}
	// CareIn says that a guardian cares for a student.
	CareIn struct {
		Guardian string `json:"guardian_id"`
		Student  string `json:"student_id"`
	}
	// RecordIn is a record; Credits and Mark are in hundredths.
	RecordIn struct {
		Student   string   `json:"student_id" db:"student_id"`
		Ord       int      `json:"ord" db:"ord"`
		Course    string   `json:"course_code" db:"course_code"`
		Title     string   `json:"title" db:"title"`
		Subjects  []string `json:"subjects" db:"-"`
		StartYear int      `json:"start_year" db:"start_year"`
		Term      string   `json:"term" db:"term"`
		Credits   int64    `json:"credits" db:"credits"`
		Mark      *int64   `json:"mark" db:"mark"`
		Outcome   string   `json:"outcome" db:"outcome"`
		Cells     Cells    `json:"cells" db:"-"`
	}
	// SignalIn is a signal; Value is in hundredths.
	SignalIn struct {
		Student string `json:"student_id"`
		Ord     int    `json:"ord"`
		Kind    string `json:"kind"`
		Course  string `json:"course_code"`
		Name    string `json:"name"`
		Value   int64  `json:"value"`
		By      string `json:"said_by"`
		Note    string `json:"note"`
		Settled string `json:"settled,omitempty"`
		Cells   Cells  `json:"cells"`
	}
	// EntryIn is an entry of a sheet.
	EntryIn struct {
		Student   string  `json:"student_id"`
		Course    string  `json:"course_code"`
		Kind      string  `json:"kind"`
		Rank      int     `json:"rank"`
		Ord       int     `json:"ord"`
		StandsFor *string `json:"stands_for"`
		Cells     Cells   `json:"cells"`
	}
)

// School is what an import writes.
type School struct {
	ID, Name, Policy string
	Headers          map[string][]string
	Rows             []RowIn
	Courses          []CourseIn
	People           []PersonIn
	Care             []CareIn
	Records          []RecordIn
	Signals          []SignalIn
	Entries          []EntryIn
}

// LockSchool makes imports into one school wait for each other.
func (q Queries) LockSchool(ctx context.Context, id string) error {
	return q.exec(ctx, `SELECT pg_advisory_xact_lock(hashtextextended('school ' || $1, 0))`, id)
}

// ReplaceSchool writes a school's data over what is there. Records and signals entered here, settled claims, and sheets that
// people have changed here stay; kept is how many such sheets differ from what came.
func (q Queries) ReplaceSchool(ctx context.Context, s *School) (kept int, err error) {
	steps := []struct {
		doing string
		run   func() error
	}{
		{"the school", func() error {
			return q.exec(ctx, `INSERT INTO school (id, name, policy) VALUES ($1, $2, $3)
				ON CONFLICT (id) DO UPDATE SET name = $2, policy = $3, version = school.version + 1`, s.ID, s.Name, s.Policy)
		}},
		{"the files", func() error {
			if err := q.exec(ctx, `DELETE FROM bundle_file WHERE school_id = $1`, s.ID); err != nil {
				return err
			}
			headers, err := json.Marshal(s.Headers)
			if err != nil {
				return err
			}
			return q.exec(ctx, `INSERT INTO bundle_file SELECT $1, key, value FROM jsonb_each($2::jsonb)`, s.ID, string(headers))
		}},
		{"the rows kept as they came", func() error {
			return q.bulk(ctx, `INSERT INTO bundle_row SELECT $1, file, ord, cells FROM jsonb_to_recordset($2::jsonb) AS r(file text, ord int, cells jsonb)`, s.ID, s.Rows)
		}},
		{"the courses", func() error {
			return q.bulk(ctx, `INSERT INTO course SELECT $1, code, ord, cells FROM jsonb_to_recordset($2::jsonb) AS r(code text, ord int, cells jsonb)
				ON CONFLICT (school_id, code) DO UPDATE SET ord = EXCLUDED.ord, cells = EXCLUDED.cells`, s.ID, s.Courses)
		}},
		{"the people", func() error {
			// Usernames may move between people, so they step aside first.
			if err := q.exec(ctx, `UPDATE person SET username = '/' || id, enabled = false WHERE school_id = $1`, s.ID); err != nil {
				return err
			}
			return q.bulk(ctx, `INSERT INTO person (school_id, id, ord, role, enabled, username, given_name, family_name, grade, programs, counselor, language, cells)
				SELECT $1, id, ord, role, enabled, username, given_name, family_name, grade, coalesce(programs, '[]'), counselor, language, cells
				FROM jsonb_to_recordset($2::jsonb) AS r(id text, ord int, role text, enabled boolean, username text, given_name text, family_name text, grade int,
					programs jsonb, counselor text, language text, cells jsonb)
				ON CONFLICT (school_id, id) DO UPDATE SET ord = EXCLUDED.ord, role = EXCLUDED.role, enabled = EXCLUDED.enabled, username = EXCLUDED.username,
					given_name = EXCLUDED.given_name, family_name = EXCLUDED.family_name, grade = EXCLUDED.grade, programs = EXCLUDED.programs,
					counselor = EXCLUDED.counselor, language = EXCLUDED.language, cells = EXCLUDED.cells`, s.ID, s.People)
		}},
		{"who cares for whom", func() error {
			if err := q.exec(ctx, `DELETE FROM guardianship WHERE school_id = $1`, s.ID); err != nil {
				return err
			}
			return q.bulk(ctx, `INSERT INTO guardianship SELECT DISTINCT $1, r.guardian_id, r.student_id FROM jsonb_to_recordset($2::jsonb) AS r(guardian_id text, student_id text)`, s.ID, s.Care)
		}},
		{"the records", func() error {
			if err := q.exec(ctx, `DELETE FROM record WHERE school_id = $1 AND NOT here`, s.ID); err != nil {
				return err
			}
			return q.bulk(ctx, `INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, cells)
				SELECT $1, student_id, ord, course_code, title, coalesce(subjects, '[]'), start_year, term, credits, mark, outcome, cells
				FROM jsonb_to_recordset($2::jsonb) AS r(student_id text, ord int, course_code text, title text, subjects jsonb, start_year int, term text,
					credits bigint, mark int, outcome text, cells jsonb)
				WHERE NOT EXISTS (SELECT 1 FROM record h WHERE h.school_id = $1 AND h.student_id = r.student_id AND h.here AND h.cells = r.cells)`, s.ID, s.Records)
		}},
		{"the signals", func() error {
			if err := q.exec(ctx, `DELETE FROM signal WHERE school_id = $1 AND NOT here AND settled = ''`, s.ID); err != nil {
				return err
			}
			return q.bulk(ctx, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells)
				SELECT $1, student_id, ord, kind, course_code, name, value, said_by, note, cells
				FROM jsonb_to_recordset($2::jsonb) AS r(student_id text, ord int, kind text, course_code text, name text, value bigint, said_by text, note text, cells jsonb)
				WHERE NOT EXISTS (SELECT 1 FROM signal h WHERE h.school_id = $1 AND h.student_id = r.student_id AND (h.here OR h.settled <> '')
					AND (h.kind, h.course_code, h.name, h.value, h.said_by, h.note) = (r.kind, r.course_code, r.name, r.value, r.said_by, r.note))`, s.ID, s.Signals)
		}},
		{"the sheets", func() (err error) {
			kept, err = q.replaceSheets(ctx, s)
			return err
		}},
		{"what is gone", func() error {
			if err := q.exec(ctx, `DELETE FROM course c WHERE school_id = $1 AND NOT EXISTS (SELECT 1 FROM jsonb_to_recordset($2::jsonb) AS r(code text) WHERE r.code = c.code)`,
				s.ID, mustJSON(s.Courses)); err != nil {
				return err
			}
			return q.exec(ctx, `DELETE FROM person p WHERE school_id = $1 AND username LIKE '/%' AND NOT EXISTS
				(SELECT 1 FROM event e WHERE e.school_id = p.school_id AND e.student_id = p.id)`, s.ID)
		}},
	}
	for _, step := range steps {
		if err := step.run(); err != nil {
			return 0, fmt.Errorf("writing %s: %w", step.doing, err)
		}
	}
	return kept, nil
}

func mustJSON(v any) string {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // rows of texts and numbers always marshal
	}
	return string(text)
}

func (q Queries) replaceSheets(ctx context.Context, s *School) (kept int, err error) {
	if err := q.exec(ctx, `INSERT INTO sheet (school_id, student_id) SELECT school_id, id FROM person WHERE school_id = $1 AND role = 'student' ON CONFLICT DO NOTHING`, s.ID); err != nil {
		return 0, err
	}
	// Sheets nobody has touched here take what came.
	if err := q.exec(ctx, `DELETE FROM entry e USING sheet s WHERE e.school_id = $1 AND s.school_id = e.school_id AND s.student_id = e.student_id AND s.version = 1`, s.ID); err != nil {
		return 0, err
	}
	const rows = `jsonb_to_recordset($2::jsonb) AS r(student_id text, course_code text, kind text, rank int, ord int, stands_for text, cells jsonb)`
	if err := q.bulk(ctx, `INSERT INTO entry (school_id, student_id, course_code, kind, rank, ord, stands_for, cells)
		SELECT $1, r.student_id, r.course_code, r.kind, r.rank, r.ord, r.stands_for, r.cells
		FROM `+rows+` JOIN sheet s ON s.school_id = $1 AND s.student_id = r.student_id AND s.version = 1`, s.ID, s.Entries); err != nil {
		return 0, err
	}
	return kept, q.get(ctx, &kept, `WITH came AS (SELECT r.student_id, jsonb_agg(jsonb_build_array(r.course_code, r.kind, r.stands_for) ORDER BY r.kind, r.rank, r.ord) AS entries
			FROM `+rows+` GROUP BY r.student_id),
		have AS (SELECT e.student_id, jsonb_agg(jsonb_build_array(e.course_code, e.kind, e.stands_for) ORDER BY e.kind, e.rank, e.ord) AS entries
			FROM entry e JOIN sheet s USING (school_id, student_id) WHERE e.school_id = $1 AND s.version > 1 GROUP BY e.student_id)
		SELECT count(*) FROM have LEFT JOIN came USING (student_id) WHERE have.entries IS DISTINCT FROM came.entries`, s.ID, mustJSON(s.Entries))
}

// CoursesAsked lists courses that are on some sheet changed here.
func (q Queries) CoursesAsked(ctx context.Context, school string) (codes []string, err error) {
	return codes, q.list(ctx, &codes, `SELECT DISTINCT e.course_code FROM entry e JOIN sheet s USING (school_id, student_id) WHERE e.school_id = $1 AND s.version > 1`, school)
}

// CatalogFiles gives the parts of the bundle that a school year is compiled from, as files.
func (q Queries) CatalogFiles(ctx context.Context, school string) ([]bundle.File, error) {
	return q.files(ctx, school, "academicSessions.csv", "orgs.csv", "courses.csv")
}

// BundleFiles gives the whole bundle.
func (q Queries) BundleFiles(ctx context.Context, school string) ([]bundle.File, error) {
	return q.files(ctx, school, bundle.Names()...)
}

var fileQueries = map[string]string{
	"courses.csv": `SELECT cells FROM course WHERE school_id = $1 ORDER BY ord`,
	"users.csv":   `SELECT cells FROM person WHERE school_id = $1 AND username NOT LIKE '/%' ORDER BY ord`,
	"records.csv": `SELECT r.cells FROM record r JOIN person p ON p.school_id = r.school_id AND p.id = r.student_id WHERE r.school_id = $1 ORDER BY p.ord, r.ord, r.id`,
	"signals.csv": `SELECT s.cells FROM signal s JOIN person p ON p.school_id = s.school_id AND p.id = s.student_id WHERE s.school_id = $1 AND s.settled = '' ORDER BY p.ord, s.ord, s.id`,
	"requests.csv": `SELECT e.cells || jsonb_build_object('student', e.student_id, 'courseCode', e.course_code, 'kind', e.kind,
			'rank', e.rank::text, 'standsFor', coalesce(e.stands_for, ''), 'state', s.state) AS cells
		FROM entry e JOIN sheet s USING (school_id, student_id) JOIN person p ON p.school_id = e.school_id AND p.id = e.student_id
		WHERE e.school_id = $1 ORDER BY p.ord, e.kind DESC, e.rank, e.ord`,
}

func (q Queries) files(ctx context.Context, school string, names ...string) ([]bundle.File, error) {
	var policy string
	if err := q.get(ctx, &policy, `SELECT policy FROM school WHERE id = $1`, school); err != nil {
		return nil, err
	}
	var headers []FileHeader
	if err := q.list(ctx, &headers, `SELECT name, header FROM bundle_file WHERE school_id = $1`, school); err != nil {
		return nil, err
	}
	files := []bundle.File{{Name: "policy.json", Text: []byte(policy)}}
	for _, name := range names {
		var rows []JSON[Cells]
		query, args := fileQueries[name], []any{school}
		if query == "" {
			query, args = `SELECT cells FROM bundle_row WHERE school_id = $1 AND file = $2 ORDER BY ord`, []any{school, name}
		}
		if err := q.list(ctx, &rows, query, args...); err != nil {
			return nil, fmt.Errorf("reading %s: %w", name, err)
		}
		file := bundle.File{Name: name}
		for _, h := range headers {
			if h.Name == name {
				file.Header = h.Header.V
			}
		}
		if file.Header == nil && len(rows) == 0 {
			continue // the bundle had no such file
		}
		file.Header = completeHeader(name, file.Header, rows)
		for _, r := range rows {
			cells := make([]string, len(file.Header))
			for i, column := range file.Header {
				cells[i] = r.V[column]
			}
			file.Rows = append(file.Rows, cells)
		}
		files = append(files, file)
	}
	return files, nil
}

// completeHeader adds to a file's header the columns that rows entered here have and the file had not.
func completeHeader(name string, header []string, rows []JSON[Cells]) []string {
	have := map[string]bool{}
	for _, column := range header {
		have[column] = true
	}
	used := map[string]bool{}
	for _, r := range rows {
		for column, cell := range r.V {
			if cell != "" {
				used[column] = true
			}
		}
	}
	for i, column := range bundle.Columns(name) {
		if !have[column] && (used[column] || header == nil && i < 3) {
			header = append(header, column)
		}
	}
	return header
}
