package store

import "context"

// Cells are a row's cells by column, as it came in a bundle.
type Cells map[string]string

// RecordRow is a record; Credits and Mark are in hundredths.
type RecordRow struct {
	ID       int64    `json:"id"`
	Here     bool     `json:"here"` // entered here
	Student  string   `json:"student_id"`
	Ord      int      `json:"ord"`
	Code     string   `json:"course_code"`
	Title    string   `json:"title"`
	Subjects []string `json:"subjects"`
	Year     int      `json:"start_year"`
	Term     string   `json:"term"`
	Credits  int64    `json:"credits"`
	Mark     *int64   `json:"mark"`
	Outcome  string   `json:"outcome"`
	Cells    Cells    `json:"cells"`
}

// SignalRow is a signal; Value is in hundredths. By is a person's id or a name, ByName the name of that person.
type SignalRow struct {
	ID      int64  `json:"id"`
	Student string `json:"student_id"`
	Ord     int    `json:"ord"`
	Kind    string `json:"kind"`
	Code    string `json:"course_code"`
	Name    string `json:"name"`
	Value   int64  `json:"value"`
	By      string `json:"said_by"`
	ByName  string `json:"by_name"`
	Note    string `json:"note"`
	Settled string `json:"settled"` // of a claim: declined; others that are settled are not among the facts
	Answer  string `json:"answer"`  // why it was declined
	Decider string `json:"answered_by"`
	File    string `json:"file"`  // the name of the file that goes with a claim
	Cells   Cells  `json:"cells"` // among the facts: of a claim alone
}

// FactsRow is what is on record of a student: records and signals, in file order, except for claims that were
// confirmed or waived.
type FactsRow struct {
	Student string            `db:"student_id"`
	Records JSON[[]RecordRow] `db:"records"`
	Signals JSON[[]SignalRow] `db:"signals"`
}

// Facts returns what is on record of the students named, for a year: a signal that came with the bundle of
// another year is not of it.
func (q SheetQueries) Facts(ctx context.Context, school string, year int, students []string) (map[string]FactsRow, error) {
	var list []FactsRow
	err := q.list(ctx, &list, `WITH them AS MATERIALIZED (SELECT jsonb_array_elements_text($3::jsonb) AS id)
		SELECT them.id AS student_id, coalesce(r.records, '[]') AS records, coalesce(s.signals, '[]') AS signals FROM them
		LEFT JOIN LATERAL (SELECT json_agg(json_build_object('id',
		r.id, 'here', r.here, 'course_code', r.course_code, 'title', r.title, 'subjects', r.subjects, 'start_year', r.start_year,
			'term', r.term, 'credits', r.credits, 'mark', r.mark, 'outcome', r.outcome) ORDER BY r.ord, r.id) AS records
			FROM record r WHERE r.school_id = $1 AND r.student_id = them.id AND r.replaced IS NULL) r ON true
		LEFT JOIN LATERAL (SELECT json_agg(json_build_object('id',
		s.id, 'kind', s.kind, 'course_code', s.course_code, 'name', s.name, 'value', s.value,
			'said_by', s.said_by, 'by_name', coalesce(b.given_name || ' ' || b.family_name, s.said_by), 'note', s.note,
			'settled', s.settled, 'answer', s.answer, 'answered_by', s.answered_by,
			'file', coalesce((SELECT f.name FROM attachment f WHERE f.school_id = s.school_id AND f.signal_id = s.id AND s.kind = 'claim'), ''),
			'cells', CASE WHEN s.kind = 'claim' THEN s.cells END) ORDER BY s.ord, s.id) AS signals
			FROM signal s LEFT JOIN person b ON b.school_id = s.school_id AND b.id = s.said_by
			WHERE s.school_id = $1 AND s.student_id = them.id AND s.settled IN ('', 'declined') AND (s.year = $2 OR s.year IS NULL)) s ON true`,
		school, year, asJSON(students))
	out := make(map[string]FactsRow, len(list))
	for _, row := range list {
		out[row.Student] = row
	}
	return out, err
}
