package schedule_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"rubricon/bundle"
	"rubricon/core/placement"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// The problem of placing that is read from the database is the one of the bundle that is exported, whatever
// students have submitted and the school knows of them.
func TestTheProblemFromRowsIsTheBundles(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Scheduled()
	r := rand.New(rand.NewPCG(25, 2))
	codes := []string{"ENG10", "ALG2", "WLD2", "PHY1", "NOR2", "TID1", "HLT1", "ROW1", "CER1", "PRI1", "PHO1", "GTR1", "AST1"}
	states := []string{"inProgress", "submitted", "signed", "cleared"}
	for round := range 8 {
		for range 15 {
			student := fmt.Sprintf("s%04d", 1+r.IntN(testdb.Students))
			r.Shuffle(len(codes), func(i, k int) { codes[i], codes[k] = codes[k], codes[i] })
			n := 1 + r.IntN(8)
			h.HandsIn(student, codes[:n], codes[n:n+r.IntN(4)])
			h.DB.Exec(t, `UPDATE sheet SET state = $2, summer = nullif($3, '')::jsonb WHERE school_id = 'pellworth' AND year = 2027
				AND student_id = $1`,
				student, states[r.IntN(len(states))], []string{"", `{"receipt": "x",
					"at": "2027-03-01T00:00:00Z", "courses": ["` + codes[n-1] + `"]}`}[r.IntN(2)])
			if r.IntN(3) == 0 {
				h.DB.Exec(t, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells)
					SELECT 'pellworth', $1, 99, 'assignment', $2, '', 0, 'office',
					'', jsonb_build_object('student', $1::text, 'kind', 'assignment', 'courseCode', $2::text, 'by', 'office')`,
					student, codes[r.IntN(len(codes))])
				h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1 WHERE school_id = 'pellworth' AND student_id = $1`, student)
			}
		}
		h.DB.Exec(t, `DELETE FROM section_plan`)
		h.DB.Exec(t, `INSERT INTO section_plan (school_id, year, course_code, runs, reason, by_name, at)
			VALUES ('pellworth', 2027, $1, false, 'few', 'x', now())`,
			codes[r.IntN(len(codes))])
		rows, bad, err := h.Schedule.ProblemFromRows(t.Context(), apptest.Mara.School, apptest.Mara.Year)
		if err != nil || len(bad) > 0 {
			t.Fatal(bad, err)
		}
		if len(rows.Sections) == 0 || !slices.ContainsFunc(rows.Students,
			func(s placement.Student) bool { return len(s.Requests) > 1 && len(s.Alternates) > 0 }) {
			t.Fatal("there is nothing to compare")
		}
		want := problemOfBundle(t, h)
		if got, want := fmt.Sprint(rows.Courses, rows.Sections,
			len(rows.Students)), fmt.Sprint(want.Courses, want.Sections, len(want.Students)); got != want {
			t.Fatalf("round %d: from rows\n%s\nfrom the bundle\n%s", round, got, want)
		}
		for i := range rows.Students {
			if got, want := fmt.Sprintf("%+v", rows.Students[i]), fmt.Sprintf("%+v", want.Students[i]); got != want {
				t.Errorf("round %d: from rows\n%s\nfrom the bundle\n%s", round, got, want)
			}
		}
	}
}

// problemOfBundle reads the problem from what is exported, without what the school does not place.
func problemOfBundle(t *testing.T, h *apptest.House) *placement.Problem {
	t.Helper()
	files, _, err := h.Imports.Export(t.Context(), apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	submitted := testdb.Value[string](t, h.DB, `SELECT jsonb_object_agg(student_id, true)::text FROM sheet WHERE submission > 0
		AND state <> 'inProgress'`)
	stopped := testdb.Value[string](t, h.DB, `SELECT course_code FROM section_plan`)
	var placed map[string]bool
	if err := json.Unmarshal([]byte(submitted), &placed); err != nil {
		t.Fatal(err)
	}
	for i := range files {
		if f := &files[i]; f.Name == "requests.csv" {
			at := slices.Index(f.Header, "student")
			f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool { return !placed[row[at]] })
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(b.Problems, err)
	}
	b.Sections = slices.DeleteFunc(b.Sections, func(x bundle.Section) bool { return x.Course == stopped })
	p, bad := b.Placement()
	if len(bad) > 0 {
		t.Fatal(bad)
	}
	return p
}
