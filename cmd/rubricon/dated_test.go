package main

import (
	"errors"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/bundle"
	"rubricon/core/dated"
	"rubricon/demo"
)

// What is made of random changes with dates has nothing wrong in it by the rules of attendance, which know nothing of how it was made; and what is refused for its dates would have.
func TestChangesWithDatesBesideTheRules(t *testing.T) {
	files, planted := demo.Skerry(7, demo.SkerryStudents)
	for i := range files {
		if f := &files[i]; f.Name == "users.csv" {
			at := slices.Index(f.Header, "sourcedId")
			f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool {
				return strings.HasPrefix(row[at], "sk0") && row[at] != "sk001" || strings.HasPrefix(row[at], "sk1") || strings.HasPrefix(row[at], "sk2") || strings.HasPrefix(row[at], "sk3") || row[at] == "sk400"
			})
		}
		if f := &files[i]; f.Name == "records.csv" || f.Name == "requests.csv" {
			f.Rows = nil
		}
	}
	read := func(stays []dated.Stay, marks []dated.Mark, b *bundle.Bundle) (problems []bundle.Problem) {
		t.Helper()
		enrollments := bundle.File{Name: "enrollments.csv", Header: []string{"sourcedId", "classSourcedId", "schoolSourcedId", "userSourcedId", "role", "beginDate", "endDate"}}
		for i, s := range stays {
			enrollments.Rows = append(enrollments.Rows, []string{"e" + string(rune('a'+i/26)) + string(rune('a'+i%26)), b.Sections[s.Section].ID, demo.SkerryID, "sk001", "student", s.Begin, s.End})
		}
		attendance := bundle.File{Name: "attendance.csv", Header: []string{"student", "classSourcedId", "date", "mark"}}
		for _, m := range marks {
			attendance.Rows = append(attendance.Rows, []string{"sk001", b.Sections[m.Section].ID, m.Date, "present"})
		}
		out, err := bundle.ReadFiles(append(slices.Clone(files), enrollments, attendance), bundle.WithDates)
		if err != nil {
			t.Fatal(err)
		}
		return append(out.Problems, out.DatedProblems()...)
	}
	b, err := bundle.ReadFiles(files, bundle.WithDates)
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	sections := b.Choices()
	r := rand.New(rand.NewPCG(31, 31))
	date := func() string {
		return time.Date(2027, 8, 25, 0, 0, 0, 0, time.UTC).AddDate(0, 0, r.IntN(300)).Format(time.DateOnly)
	}
	made, never, moved, deleted := 0, 0, 0, 0
	refused := map[dated.Why]int{}
	for range 25 {
		var stays []dated.Stay
		for _, id := range planted["sk001"] {
			stays = append(stays, dated.Stay{Section: slices.IndexFunc(b.Sections, func(x bundle.Section) bool { return x.ID == id })})
		}
		var marks []dated.Mark
		for range 12 {
			s := stays[r.IntN(len(stays))]
			first, last := b.Year.SpanOf(sections[s.Section].Terms)
			if on := date(); b.Year.SchoolDay(on) && first <= on && on <= last {
				marks = append(marks, dated.Mark{Section: s.Section, Date: on})
			}
		}
		for range 14 {
			c := dated.Change{On: date()}
			from := stays[r.IntN(len(stays))].Section
			var same []int // that meet at the same time, as often as not
			for i := range sections {
				if i != from && (sections[i].Shares(&sections[from]) || r.IntN(40) == 0) {
					same = append(same, i)
				}
			}
			if r.IntN(5) > 0 {
				c.Drop = []int{from}
			}
			if len(same) > 0 && r.IntN(4) > 0 {
				c.Add = []int{same[r.IntN(len(same))]}
			}
			out, err := dated.Apply(b.Year, sections, stays, marks, c)
			var known *dated.Error
			if errors.As(err, &known) {
				refused[known.Why]++
				if known.Why == dated.SameTime || known.Why == dated.Gap || known.Why == dated.NoSchoolDay {
					forced := force(b, stays, &c)
					written := slices.ContainsFunc(forced, func(s dated.Stay) bool { return s.Begin == c.On || s.End == c.On }) // else the day stands nowhere
					if written && len(read(forced, nil, b)) == 0 {
						t.Fatalf("%v on %v: %v, and nothing would be wrong with it", c, stays, err)
					}
				}
				continue
			} else if err != nil {
				t.Fatal(err)
			}
			var kept []dated.Mark
			for k, m := range marks {
				at := slices.IndexFunc(out.Move, func(x dated.Moved) bool { return x.Mark == k })
				switch {
				case at >= 0:
					kept = append(kept, dated.Mark{Section: out.Move[at].To, Date: m.Date})
				case !slices.Contains(out.Delete, k):
					kept = append(kept, m)
				}
			}
			if problems := read(out.Stays, kept, b); len(problems) > 0 {
				t.Fatalf("%+v on %v gives %v with %v: %v", c, stays, out, kept, problems[0])
			}
			// Nothing is taken back that could have stayed.
			if touched := len(out.Move) + len(out.Delete); touched > 0 && len(read(out.Stays, marks, b)) == 0 {
				t.Fatalf("%+v: %v moves attendance in vain", c, out)
			}
			made++
			never += len(out.Never)
			moved += len(out.Move)
			deleted += len(out.Delete)
			if stays, marks = out.Stays, kept; len(stays) == 0 {
				break
			}
		}
	}
	if made < 60 || never == 0 || moved == 0 || deleted == 0 {
		t.Errorf("%d made, %d leave no trace, %d marks moved, %d deleted", made, never, moved, deleted)
	}
	for _, why := range []dated.Why{dated.NoSchoolDay, dated.OutsideTerms, dated.NotEnrolled, dated.SameCourse, dated.SameTime, dated.Gap} {
		if refused[why] == 0 {
			t.Errorf("nothing is refused as %s: %v", why, refused)
		}
	}
}

// force makes a change as it stands, whatever comes of it; nil: it makes no sense.
func force(b *bundle.Bundle, stays []dated.Stay, c *dated.Change) []dated.Stay {
	out := slices.Clone(stays)
	for _, section := range c.Drop {
		at := slices.IndexFunc(out, func(s dated.Stay) bool {
			first, last := b.Year.SpanOf(b.Sections[section].Terms)
			begin, end := first, last
			if s.Begin != "" {
				begin = s.Begin
			}
			if s.End != "" {
				end = s.End
			}
			return s.Section == section && begin < end && c.On < end
		})
		if at < 0 {
			return nil
		}
		first, _ := b.Year.SpanOf(b.Sections[section].Terms)
		if begin := max(out[at].Begin, first); c.On <= begin {
			out = slices.Delete(out, at, at+1)
		} else {
			out[at].End = c.On
		}
	}
	for _, section := range c.Add {
		out = append(out, dated.Stay{Section: section, Begin: c.On})
	}
	if len(c.Drop)+len(c.Add) == 0 || slices.ContainsFunc(out, func(s dated.Stay) bool {
		first, last := b.Year.SpanOf(b.Sections[s.Section].Terms)
		return s.Begin == c.On && (c.On < first || c.On > last) || s.End == c.On && (c.On < first || c.On > last)
	}) {
		return nil
	}
	return out
}
