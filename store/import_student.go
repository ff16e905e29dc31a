package store

import (
	"context"
	"fmt"
)

// PupilIn is a student with all that the school's data has of them.
type PupilIn struct {
	Student   string
	Grade     int
	Programs  []string
	Counselor string   // a person's id, or ""
	Guardians []string // persons' ids
	Records   []RecordRow
	Signals   []SignalRow
	Entries   []EntryIn
	Plans     []PlanIn
	Teaches   []TeachesIn
	Stays     []StayIn

	FactsDigest, EntriesDigest string // of records, signals, plans, grade and programs; and of the entries
}

// PlanIn is a course planned for a later year.
type PlanIn struct {
	Student string `json:"student_id"`
	Ord     int    `json:"ord"`
	Grade   int    `json:"grade"`
	Course  string `json:"course_code"`
	Kind    string `json:"kind"`
	Cells   Cells  `json:"cells"`
}

// StayIn is a student in a section as the school's data has it. Dates are YYYY-MM-DD; empty: from the
// beginning, to the end.
type StayIn struct {
	Student string `json:"student_id"`
	Section string `json:"section_id"`
	Begins  string `json:"begins"`
	Ends    string `json:"ends"` // exclusive
}

// TeachesIn is who teaches a student a course now.
type TeachesIn struct{ Teacher, Course string }

// EntryIn is an entry as the school's data has it.
type EntryIn struct {
	Student   string  `json:"student_id"`
	Course    string  `json:"course_code"`
	Kind      string  `json:"kind"`
	Rank      int     `json:"rank"`
	Ord       int     `json:"ord"`
	StandsFor *string `json:"stands_for"`
	Cells     Cells   `json:"cells"`
}

// Brought tells which files a school's data has: what another would describe stays as it is.
type Brought struct{ Records, Signals, Plans, Requests bool }

// PutPupils writes students, in ascending order of id: relations, records and signals where they differ from
// what came before, and the entries of sheets that no one has worked on. Records are those of the newest
// year's data; of an older year's they stay. It gives the students whose sheets are kept although what came
// is different from what came before.
func (q ImportsQueries) PutPupils(ctx context.Context, school string, year int, newest bool, has Brought,
	pupils []PupilIn) (kept []string, err error) {
	type sheetIn struct {
		ID    string `json:"id"`
		Grade int    `json:"grade"`
	}
	var ids []string
	var sheets []sheetIn
	for i := range pupils {
		p := &pupils[i]
		ids = append(ids, p.Student)
		sheets = append(sheets, sheetIn{p.Student, p.Grade})
	}
	// Sheets first, in order: every act on a sheet begins there too.
	if err := q.exec(ctx,
		`INSERT INTO sheet AS s (school_id, year, student_id, grade) SELECT $1, $2, id, grade
			FROM jsonb_to_recordset($3::jsonb) AS r(id text, grade int) ORDER BY id
		ON CONFLICT (school_id, year, student_id) DO NOTHING`, school, year, asJSON(sheets)); err != nil {
		return nil, fmt.Errorf("making sheets: %w", err)
	}
	var have []struct {
		Student       string `db:"student_id"`
		Touched       bool
		FactsDigest   string `db:"facts_digest"`
		EntriesDigest string `db:"entries_digest"`
	}
	if err := q.list(ctx, &have, `SELECT student_id, touched, facts_digest, entries_digest FROM sheet
		WHERE school_id = $1 AND year = $2 AND student_id IN (SELECT jsonb_array_elements_text($3::jsonb)) ORDER BY student_id FOR UPDATE`,
		school, year, asJSON(ids)); err != nil {
		return nil, fmt.Errorf("locking sheets: %w", err)
	}
	at := map[string]int{}
	for i := range pupils {
		at[pupils[i].Student] = i
	}
	var facts, entries []*PupilIn
	for _, h := range have {
		p := &pupils[at[h.Student]]
		if h.FactsDigest != p.FactsDigest {
			facts = append(facts, p)
		}
		switch {
		case !has.Requests:
		case h.EntriesDigest == p.EntriesDigest:
		case h.Touched:
			kept = append(kept, p.Student)
		default:
			entries = append(entries, p)
		}
	}
	if newest {
		if err := q.putRelations(ctx, school, year, pupils, ids); err != nil {
			return nil, err
		}
	}
	if err := q.putFacts(ctx, school, year, newest, has, facts); err != nil {
		return nil, err
	}
	return kept, q.putEntries(ctx, school, year, entries)
}

func (q ImportsQueries) putRelations(ctx context.Context, school string, year int, pupils []PupilIn, ids []string) error {
	type relationIn struct {
		Kind    string `json:"kind"`
		Person  string `json:"person_id"`
		Student string `json:"student_id"`
		Year    *int   `json:"year"`
		Course  string `json:"course_code,omitempty"`
	}
	var list []relationIn
	for i := range pupils {
		p := &pupils[i]
		if p.Counselor != "" {
			list = append(list, relationIn{Kind: "counsels", Person: p.Counselor, Student: p.Student, Year: &year, Course: ""})
		}
		for _, g := range p.Guardians {
			list = append(list, relationIn{Kind: "guards", Person: g, Student: p.Student, Year: nil, Course: ""})
		}
		for _, t := range p.Teaches {
			list = append(list, relationIn{Kind: "teaches", Person: t.Teacher, Student: p.Student, Year: &year, Course: t.Course})
		}
	}
	const rows = `jsonb_to_recordset($3::jsonb) AS n(kind text, person_id text, student_id text, year int, course_code text)`
	if err := q.exec(ctx,
		`DELETE FROM relation r WHERE school_id = $1 AND source = 'import' AND student_id IN (SELECT jsonb_array_elements_text($4::jsonb))
			AND (kind = 'guards' OR kind IN ('counsels', 'teaches') AND year = $2)
			AND NOT EXISTS (SELECT 1 FROM `+rows+` WHERE (n.kind, n.person_id, n.student_id) = (r.kind, r.person_id, r.student_id)
				AND n.course_code IS NOT DISTINCT FROM r.course_code)`, school, year, asJSON(list), asJSON(ids)); err != nil {
		return fmt.Errorf("taking relations away: %w", err)
	}
	if err := q.exec(ctx, `INSERT INTO relation (school_id, kind, person_id, student_id, year, course_code, source)
		SELECT $1, n.kind, n.person_id, n.student_id, n.year, n.course_code, 'import' FROM `+rows+
		` WHERE $2 > 0 ON CONFLICT DO NOTHING`, school, year, asJSON(list)); err != nil {
		return fmt.Errorf("writing relations: %w", err)
	}
	return nil
}

func (q ImportsQueries) putFacts(ctx context.Context, school string, year int, newest bool, has Brought, pupils []*PupilIn) error {
	if len(pupils) == 0 {
		return nil
	}
	type factsIn struct {
		ID       string   `json:"id"`
		Grade    int      `json:"grade"`
		Programs []string `json:"programs"`
		Digest   string   `json:"digest"`
	}
	var heads []factsIn
	var records []RecordRow
	var signals []SignalRow
	plans := []PlanIn{}
	for _, p := range pupils {
		heads = append(heads, factsIn{ID: p.Student, Grade: p.Grade, Programs: p.Programs, Digest: p.FactsDigest})
		records, signals, plans = append(records, p.Records...), append(signals, p.Signals...), append(plans, p.Plans...)
	}
	them := asJSON(heads)
	if newest && has.Records {
		if err := q.putRecords(ctx, school, them, records); err != nil {
			return err
		}
	}
	if has.Signals {
		if err := q.putSignals(ctx, school, year, them, signals); err != nil {
			return err
		}
	}
	if has.Plans {
		if err := q.putPlans(ctx, school, year, them, plans); err != nil {
			return err
		}
	}
	if err := q.exec(ctx,
		`UPDATE sheet s SET grade = r.grade, programs = coalesce(r.programs, '[]'), facts_digest = r.digest, facts_version = facts_version + 1
		FROM jsonb_to_recordset($2::jsonb) AS r(id text, grade int, programs jsonb, digest text)
		WHERE s.school_id = $1 AND s.year = $3 AND s.student_id = r.id`, school, them, year); err != nil {
		return fmt.Errorf("writing grades: %w", err)
	}
	if !newest {
		return nil
	}
	return q.exec(ctx, `UPDATE sheet SET facts_version = facts_version + 1 WHERE school_id = $1 AND year <> $3 AND student_id IN `+
		ofThem, school, them, year)
}

// ofThem are the students of a list of heads, which is a statement's second argument.
const ofThem = `(SELECT id FROM jsonb_to_recordset($2::jsonb) AS r(id text))`

// putRecords writes the records of some students in the place of those that came before; what was entered or
// corrected here stays.
func (q ImportsQueries) putRecords(ctx context.Context, school string, them string, records []RecordRow) error {
	if err := q.exec(ctx, `DELETE FROM record WHERE school_id = $1 AND NOT here AND replaced IS NULL AND student_id IN `+
		ofThem, school, them); err != nil {
		return fmt.Errorf("taking records away: %w", err)
	}
	// What was entered or corrected here is gathered once: looked for row by row, new tables were read through
	// again for each of the rows just written.
	if err := q.exec(ctx,
		`WITH entered AS MATERIALIZED (SELECT student_id, cells FROM record WHERE school_id = $1 AND (here OR replaced IS NOT NULL))
		INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark, outcome, cells)
		SELECT $1, student_id, ord, course_code, title, coalesce(subjects, '[]'), start_year, term, credits, mark, outcome, cells
		FROM jsonb_to_recordset($2::jsonb) AS r(student_id text, ord int, course_code text, title text, subjects jsonb, start_year int, term text,
			credits bigint, mark int, outcome text, cells jsonb)
		WHERE NOT EXISTS (SELECT 1 FROM entered h WHERE h.student_id = r.student_id AND h.cells = r.cells)`, school,
		asJSON(records)); err != nil {
		return fmt.Errorf("writing records: %w", err)
	}
	return nil
}

// putSignals writes what was said of some students in the place of what came before.
func (q ImportsQueries) putSignals(ctx context.Context, school string, year int, them string, signals []SignalRow) error {
	// A claim that was settled here stays settled, and what was said here is not said twice.
	if err := q.exec(ctx, `DELETE FROM signal WHERE school_id = $1 AND year = $3 AND settled = '' AND student_id IN `+
		ofThem, school, them, year); err != nil {
		return fmt.Errorf("taking signals away: %w", err)
	}
	if err := q.exec(ctx, `INSERT INTO signal (school_id, student_id, year, ord, kind, course_code, name, value, said_by, note, cells)
		SELECT $1, student_id, $3, ord, kind, course_code, name, value, said_by, note, cells
		FROM jsonb_to_recordset($2::jsonb) AS r(student_id text, ord int,
		kind text, course_code text, name text, value bigint, said_by text, note text, cells jsonb)
		WHERE NOT EXISTS (SELECT 1 FROM signal h WHERE h.school_id = $1 AND h.student_id = r.student_id AND (h.year IS NULL OR h.settled <> '')
			AND (h.kind, h.course_code, h.name, h.value, h.said_by, h.note) = (r.kind, r.course_code, r.name, r.value, r.said_by, r.note))`,
		school, asJSON(signals), year); err != nil {
		return fmt.Errorf("writing signals: %w", err)
	}
	return nil
}

// putPlans writes the plans of some students in the place of those that came before.
func (q ImportsQueries) putPlans(ctx context.Context, school string, year int, them string, plans []PlanIn) error {
	// A plan that someone has worked on here is theirs.
	const unplanned = `NOT EXISTS (SELECT 1 FROM sheet s WHERE s.school_id = $1 AND s.year = $3 AND s.plan_version > 0 AND s.student_id = `
	if err := q.exec(ctx, `DELETE FROM plan WHERE school_id = $1 AND year = $3 AND `+unplanned+
		`plan.student_id) AND student_id IN `+ofThem, school, them, year); err != nil {
		return fmt.Errorf("taking plans away: %w", err)
	}
	if err := q.exec(ctx,
		`INSERT INTO plan (school_id, year, student_id, ord, grade, course_code, kind, cells)
			SELECT $1, $3, student_id, ord, grade, course_code, kind, cells
		FROM jsonb_to_recordset($2::jsonb) AS r(student_id text, ord int, grade int, course_code text, kind text, cells jsonb)
		WHERE `+unplanned+`r.student_id)`, school, asJSON(plans), year); err != nil {
		return fmt.Errorf("writing plans: %w", err)
	}
	return nil
}

func (q ImportsQueries) putEntries(ctx context.Context, school string, year int, pupils []*PupilIn) error {
	if len(pupils) == 0 {
		return nil
	}
	type headIn struct {
		ID     string `json:"id"`
		Digest string `json:"digest"`
	}
	var heads []headIn
	var entries []EntryIn
	for _, p := range pupils {
		heads = append(heads, headIn{p.Student, p.EntriesDigest})
		entries = append(entries, p.Entries...)
	}
	if err := q.exec(ctx,
		`DELETE FROM entry WHERE school_id = $1 AND year = $2 AND student_id IN (SELECT id FROM jsonb_to_recordset($3::jsonb) AS r(id text))`,
		school, year, asJSON(heads)); err != nil {
		return fmt.Errorf("taking entries away: %w", err)
	}
	if err := q.exec(ctx, `INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord, stands_for, cells)
		SELECT $1, $2, student_id, course_code, kind, rank, ord, stands_for, cells
		FROM jsonb_to_recordset($3::jsonb) AS r(student_id text, course_code text, kind text, rank int, ord int, stands_for text, cells jsonb)`,
		school, year, asJSON(entries)); err != nil {
		return fmt.Errorf("writing entries: %w", err)
	}
	return q.exec(ctx, `UPDATE sheet s SET version = version + 1, entries_digest = r.digest
		FROM jsonb_to_recordset($3::jsonb) AS r(id text, digest text)
		WHERE s.school_id = $1 AND s.year = $2 AND s.student_id = r.id`, school, year, asJSON(heads))
}
