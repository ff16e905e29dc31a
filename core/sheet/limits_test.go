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

// Where credits are wanted in every school year, each year from the first grade on is looked at: what is on record in it, and in the last what is
// requested. What was earned before the first grade is of none of them.
func TestCreditsOfEveryYear(t *testing.T) {
	p := plainPolicy()
	each := credit.One
	p.Audits = []policy.Audit{{ID: "graduate", Entries: []policy.Requirement{{ID: "x", Credits: 4 * credit.One, Of: policy.Selection{Subjects: []string{"X"}}, Each: &each}}}}
	y := bound(t, p)
	record := func(code string, year int, credits credit.Amount, outcome Outcome) Record {
		return Record{Code: code, Title: code, Subjects: []string{"X"}, Year: year, Credits: credits, Outcome: outcome}
	}
	records := []Record{record("X01", 2024, 200, Earned), record("X02", 2025, 50, Transfer), record("X03", 2026, 60, Earned), record("X04", 2026, 40, InProgress), record("X05", 2025, 100, Failed)}
	for _, c := range []struct {
		name     string
		grade    int
		requests []string
		want     []YearShort
	}{
		{"in the third year, with a request", 11, []string{"X10"}, []YearShort{{2025, 50}}},
		{"in the third year, with none", 11, nil, []YearShort{{2025, 50}, {2027, 100}}},
		{"in the second year", 10, []string{"X10"}, nil},
		{"in the first year", 9, nil, []YearShort{{2027, 100}}},
		{"in the fourth year", 12, nil, []YearShort{{2025, 50}, {2027, 100}}},
	} {
		f := NewFacts(y, Student{ID: "s", Grade: c.grade, Records: records})
		s := laidOut(t, y, c.requests, nil)
		if got := f.Audit(0, &s)[0].EachShort; !slices.Equal(got, c.want) {
			t.Errorf("%s: short in %v, want %v", c.name, got, c.want)
		}
	}
}

// A request brings what its course has over what is on record of it and of the courses it excludes, and over better-ranked requests of those; a
// course that can be repeated brings all of it each time. Nothing brings less than nothing.
func TestWhatARequestBringsToAnAudit(t *testing.T) {
	p := plainPolicy()
	p.Audits = []policy.Audit{{ID: "graduate", Entries: []policy.Requirement{{ID: "x", Credits: 20 * credit.One, Of: policy.Selection{Subjects: []string{"X"}}}}}}
	course := func(code string, credits credit.Amount, excludes ...string) catalog.Course {
		return catalog.Course{Code: code, Title: code, Subjects: []string{"X"}, Credits: credits, Load: 100, Spans: []catalog.TermSet{1}, Excludes: excludes}
	}
	list := []catalog.Course{course("A", 100, "B"), course("B", 60, "A"), course("R", 100)}
	list[2].Repeatable = true
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1"}}, list, nil, p)
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	record := func(code string, credits credit.Amount, outcome Outcome) Record {
		return Record{Code: code, Title: code, Subjects: []string{"X"}, Year: 2026, Credits: credits, Outcome: outcome}
	}
	for _, c := range []struct {
		name     string
		records  []Record
		requests []string
		want     credit.Amount
	}{
		{"nothing on record", nil, []string{"A"}, 100},
		{"part of it earned", []Record{record("A", 30, Earned)}, []string{"A"}, 70},
		{"part of it being taken", []Record{record("A", 40, InProgress)}, []string{"A"}, 60},
		{"part earned, part being taken", []Record{record("A", 30, Earned), record("A", 40, InProgress)}, []string{"A"}, 30},
		{"more than it on record", []Record{record("A", 100, Earned), record("A", 100, InProgress)}, []string{"A"}, 0},
		{"failed", []Record{record("A", 100, Failed)}, []string{"A"}, 100},
		{"what it excludes earned", []Record{record("B", 60, Earned)}, []string{"A"}, 40},
		{"what it excludes being taken", []Record{record("B", 50, InProgress)}, []string{"A"}, 50},
		{"what it excludes earned and being taken", []Record{record("B", 50, Earned), record("B", 10, InProgress)}, []string{"A"}, 40},
		{"what it excludes requested before it", nil, []string{"B", "A"}, 60 + 40},
		{"what it excludes requested after it", nil, []string{"A", "B"}, 100},
		{"the same planned twice", nil, []string{"A", "A"}, 100},
		{"repeatable, earned", []Record{record("R", 100, Earned)}, []string{"R"}, 100},
		{"repeatable, planned twice", nil, []string{"R", "R"}, 200},
	} {
		f := NewFacts(y, Student{ID: "s", Grade: 10, Records: c.records})
		s := laidOut(t, y, c.requests, nil)
		if got := f.Audit(0, &s)[0].Requested; got != c.want {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}
