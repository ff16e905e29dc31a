package sheet_test

import (
	"testing"
	"testing/fstest"

	"rubricon/bundle"
	"rubricon/core/sheet"
	"rubricon/demo"
)

// school is the demo school, with the facts and the sheet of every student.
type school struct {
	facts  []*sheet.Facts
	sheets []sheet.Sheet
}

func demoSchool(b *testing.B) *school {
	b.Helper()
	fsys := fstest.MapFS{}
	for _, f := range demo.Bundle(demo.Options{Students: 1200, Seed: 7}) {
		text, err := f.Bytes()
		if err != nil {
			b.Fatal(err)
		}
		fsys[f.Name] = &fstest.MapFile{Data: text}
	}
	read, err := bundle.Read(fsys)
	if err != nil || len(read.Problems) > 0 {
		b.Fatal(err, read.Problems)
	}
	s := &school{}
	for i := range read.Pupils {
		p := &read.Pupils[i]
		s.facts = append(s.facts, sheet.NewFacts(read.Year, p.Student))
		s.sheets = append(s.sheets, p.Sheet(read.Year))
	}
	return s
}

// each runs a benchmark over the students of the demo school, one an iteration.
func each(b *testing.B, do func(f *sheet.Facts, s *sheet.Sheet)) {
	s := demoSchool(b)
	b.ReportAllocs()
	i := 0
	for b.Loop() {
		do(s.facts[i], &s.sheets[i])
		i = (i + 1) % len(s.facts)
	}
}

func BenchmarkJudge(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Judge(s); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkJudgeAuditsCover(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Judge(s); err != nil {
			b.Fatal(err)
		}
		for a := range f.Year.Audits {
			f.Audit(a, s)
		}
		if _, err := f.Uncovered(s); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkCoverForPeople(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Cover(s); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkEffects(b *testing.B) {
	each(b, func(f *sheet.Facts, s *sheet.Sheet) {
		if _, err := f.Effects(s); err != nil {
			b.Fatal(err)
		}
	})
}
