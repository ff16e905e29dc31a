package schedule_test

import (
	"testing"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// BenchmarkSince measures what has changed since a run of 1,200 students: when nothing has (warm), and read again (cold).
func BenchmarkSince(b *testing.B) {
	d := testdb.Empty(b)
	cases := testdb.Service(d.Open(b))
	read, err := bundle.ReadFiles(demo.Bundle(demo.Options{Students: 1200, Seed: 7, Schedule: demo.Contested, Hard: 2}))
	if err != nil {
		b.Fatal(err)
	}
	if _, err := cases.Imports.Import(b.Context(), read, 0); err != nil {
		b.Fatal(err)
	}
	d.Exec(b, `INSERT INTO submission (school_id, year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement)
		SELECT s.school_id, s.year, s.student_id, 1, 'R-' || s.student_id, now(), s.student_id, 'Test', 1, 1, coalesce((SELECT jsonb_agg(
			jsonb_build_object('c', e.course_code, 'a', e.kind = 'alternate', 'r', e.rank, 's', coalesce(e.stands_for, '')) ORDER BY e.kind, e.rank)
			FROM entry e WHERE (e.school_id, e.year, e.student_id) = (s.school_id, s.year, s.student_id)), '[]'), '{}' FROM sheet s WHERE s.submission = 0`)
	d.Exec(b, `UPDATE sheet SET submission = 1, state = 'submitted', version = version + 1 WHERE submission = 0`)
	office := d.Account(b, "office")
	run, err := cases.Schedule.StartRun(b.Context(), office, demo.SchoolID, testdb.Year, 1, 20)
	if err != nil {
		b.Fatal(err)
	}
	if err := cases.Background.RunTask(b.Context(), demo.SchoolID, run.Task); err != nil {
		b.Fatal(err)
	}
	for name, fresh := range map[string]bool{"warm": false, "cold": true} {
		b.Run(name, func(b *testing.B) {
			if _, err := cases.Schedule.Since(b.Context(), office, demo.SchoolID, testdb.Year, run.ID); err != nil {
				b.Fatal(err)
			}
			for b.Loop() {
				if fresh {
					b.StopTimer()
					cases = testdb.Service(d.Open(b))
					b.StartTimer()
				}
				since, err := cases.Schedule.Since(b.Context(), office, demo.SchoolID, testdb.Year, run.ID)
				if err != nil || since.Students != 0 {
					b.Fatalf("%+v %v", since, err)
				}
			}
		})
	}
}
