package sheet

import (
	"errors"
	"slices"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// bound is a year of 8 periods with two courses that come along with each other (A and B, of which B is by invitation), one of the summer (S),
// and many others, X00 and so on.
func bound(t *testing.T, p *policy.Policy) *catalog.Year {
	t.Helper()
	course := func(code string) catalog.Course {
		return catalog.Course{Code: code, Title: code, Subjects: []string{"X"}, Credits: 100, Load: 100, Spans: []catalog.TermSet{1}}
	}
	list := []catalog.Course{course("A"), course("B"), course("S")}
	list[0].Links, list[1].Access, list[2].Summer = []string{"B"}, catalog.Invited, true
	for i := range MaxEntries {
		list = append(list, course("X"+string(rune('0'+i/10))+string(rune('0'+i%10))))
	}
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1"}}, list, nil, p)
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	return y
}

func plainPolicy() *policy.Policy {
	return &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1, FirstGrade: 9}
}

// What is asked for the summer counts toward the most that a sheet holds.
func TestTheSummerCountsTowardTheLimit(t *testing.T) {
	y := bound(t, plainPolicy())
	f := NewFacts(y, Student{ID: "s", Grade: 10})
	summer, _ := y.Index("S")
	last, _ := y.Index(y.Codes[len(y.Codes)-1])
	s := laidOut(t, y, y.Codes[3:3+MaxEntries-1], nil)
	full, err := f.Apply(&s, Edit{Kind: MakeRequest, Course: summer})
	if err != nil || len(full.Requests)+len(full.Summer) != MaxEntries {
		t.Fatalf("the last that there is room for: %v, %d and %d", err, len(full.Requests), len(full.Summer))
	}
	if _, err := f.Apply(&full, Edit{Kind: MakeRequest, Course: last}); !errors.Is(err, ErrFull) {
		t.Errorf("one more beside the summer's gives %v", err)
	}
	more := full.clone()
	more.Requests = append(more.Requests, Entry{Course: last, StandsFor: Any})
	if err := f.MayBecome(&full, &more, false); !errors.Is(err, ErrFull) {
		t.Errorf("becoming such a sheet gives %v", err)
	}
}

// A linked course that is not offered to the student does not come along.
func TestABarredLinkStaysAway(t *testing.T) {
	y := bound(t, plainPolicy())
	a, _ := y.Index("A")
	b, _ := y.Index("B")
	for _, c := range []struct {
		name    string
		signals []Signal
		want    []int32
	}{
		{"not invited", nil, []int32{a}},
		{"invited", []Signal{{Kind: Recommendation, Code: "B"}}, []int32{a, b}},
	} {
		f := NewFacts(y, Student{ID: "s", Grade: 10, Signals: c.signals})
		s := laidOut(t, y, nil, nil)
		got, err := f.Apply(&s, Edit{Kind: MakeRequest, Course: a})
		if err != nil || !slices.Equal(requestsOf(&got), c.want) {
			t.Errorf("%s: %v, %v, want %v", c.name, requestsOf(&got), err, c.want)
		}
	}
}

// What has been earned is no alternate, unless it can be repeated.
func TestAnEarnedCourseIsNoAlternate(t *testing.T) {
	for repeatable, want := range map[bool]error{false: ErrEarned, true: nil} {
		y := bound(t, plainPolicy())
		course, _ := y.Index("X05")
		y.Courses[course].Repeatable = repeatable
		f := NewFacts(y, Student{ID: "s", Grade: 10, Records: []Record{{Code: "X05", Title: "X05", Subjects: []string{"X"}, Year: 2026, Credits: 100, Outcome: Earned}}})
		s := laidOut(t, y, []string{"X00"}, nil)
		if _, err := f.Apply(&s, Edit{Kind: MakeAlternate, Course: course, StandsFor: Any}); !errors.Is(err, want) || (err == nil) != (want == nil) {
			t.Errorf("repeatable %v: %v, want %v", repeatable, err, want)
		}
	}
}

// A sheet that is above a maximum already, where the school refuses that, takes nothing more above it; what leaves it as far above, or less
// far, may be done.
func TestEditsOfASheetAboveItsMaximum(t *testing.T) {
	p := plainPolicy()
	p.Settings.OverMaximum = policy.RefuseOver
	two := 2 * credit.One
	p.Rules = []policy.Rule{{ID: "most", Label: "Most", Stance: policy.Block, Count: policy.Count{On: policy.Requests, Measure: policy.Courses,
		Of: policy.Selection{Courses: []string{"X00", "X01", "X02", "X03"}}, Max: &two}}}
	y := bound(t, p)
	f := NewFacts(y, Student{ID: "s", Grade: 10})
	index := func(code string) int32 { i, _ := y.Index(code); return i }
	for _, c := range []struct {
		name string
		edit Edit
		want error
	}{
		{"one more of them", Edit{Kind: MakeRequest, Course: index("X03")}, ErrOver},
		{"another course", Edit{Kind: MakeRequest, Course: index("X10")}, nil},
		{"one for another of them", Edit{Kind: Replace, Course: index("X03"), Instead: index("X00")}, nil},
		{"one of them less", Edit{Kind: TakeOff, Course: index("X00")}, nil},
	} {
		s := laidOut(t, y, []string{"X00", "X01", "X02"}, nil) // the school has put the third there
		if _, err := f.Apply(&s, c.edit); !errors.Is(err, c.want) || (err == nil) != (c.want == nil) {
			t.Errorf("%s: %v, want %v", c.name, err, c.want)
		}
	}
}
