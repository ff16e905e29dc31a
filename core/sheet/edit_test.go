package sheet

import (
	"errors"
	"math/rand/v2"
	"slices"
	"testing"

	"rubricon/core/catalog"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// requestsOf are a sheet's requests as indexes.
func requestsOf(s *Sheet) []int32 { return s.courses() }

// all are a sheet's requests, those for the summer too.
func all(s *Sheet) []int32 { return append(s.courses(), courses(s.Summer)...) }

// What Effects foretells is what Apply does: what it calls allowed is accepted and leads to exactly the rules, packing, swaps and
// companions it showed; what it refuses is refused with the same reason.
func TestEffectsForetellWhatEditsDo(t *testing.T) {
	refused := map[error]int{}
	allowed, swapped, together, instead := 0, 0, 0, 0
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 5))
		y := randomYear(t, r)
		f := NewFacts(y, randomStudent(r, y))
		before := randomSheet(r, y)
		school := r.IntN(4) == 0
		effects, err := f.Effects(&before, school)
		if err != nil {
			continue
		}
		was, err := f.Judge(&before)
		if err != nil {
			t.Fatal(err)
		}
		if len(effects) != len(y.Courses)-len(all(&before)) {
			t.Fatalf("%d effects for %d courses and %d requests", len(effects), len(y.Courses), len(all(&before)))
		}
		for i := range effects {
			e := &effects[i]
			after, err := f.Apply(&before, Edit{Kind: MakeRequest, Course: e.Course, School: school})
			if !errors.Is(err, e.Refused) || (err == nil) != (e.Refused == nil) {
				t.Fatalf("seed %d, %s: foretold %v, the edit gives %v", seed, y.Codes[e.Course], e.Refused, err)
			}
			if err != nil {
				refused[err]++
				if errors.Is(err, ErrOver) && !bringsAbove(y, e) {
					t.Fatalf("seed %d, %s: it is refused for rule %d, which it does not bring above a maximum", seed, y.Codes[e.Course], e.Over)
				}
				continue
			}
			allowed++
			agree(t, seed, f, e, &before, &after, was)
			if len(e.Swaps) > 0 {
				swapped++
			}
			if len(e.With) > 0 {
				together++
			}
		}
		on := all(&before)
		if len(on) == 0 {
			continue
		}
		leaves := on[r.IntN(len(on))]
		if effects, err = f.EffectsInstead(&before, leaves, school); err != nil {
			continue
		}
		for i := range effects {
			e := &effects[i]
			after, err := f.Apply(&before, Edit{Kind: Replace, Course: e.Course, Instead: leaves, School: school})
			if !errors.Is(err, e.Refused) || (err == nil) != (e.Refused == nil) {
				t.Fatalf("seed %d, %s instead of %s: foretold %v, the edit gives %v", seed, y.Codes[e.Course], y.Codes[leaves], e.Refused, err)
			}
			if err == nil {
				instead++
				agree(t, seed, f, e, &before, &after, was)
			}
		}
	}
	if instead < 3000 {
		t.Errorf("%d replacements only", instead)
	}
	for _, err := range []error{ErrBarred, ErrEarned, ErrFixed, ErrOver} {
		if refused[err] < 25 {
			t.Errorf("%v came up %d times only", err, refused[err])
		}
	}
	if allowed < 5000 || swapped < 300 || together < 300 {
		t.Errorf("%d allowed, %d with a swap, %d with companions: the schools are too plain", allowed, swapped, together)
	}
}

// agree holds one effect against the judged sheet that the edit leads to.
func agree(t *testing.T, seed uint64, f *Facts, e *Effect, before, after *Sheet, was *Judgement) {
	t.Helper()
	y := f.Year
	name := y.Codes[e.Course]
	now, err := f.Judge(after)
	if err != nil {
		t.Fatal(err)
	}
	var gone, came []int32
	for _, course := range all(before) {
		if !slices.Contains(all(after), course) {
			gone = append(gone, course)
		}
	}
	for _, course := range all(after) {
		if course != e.Course && !slices.Contains(all(before), course) {
			came = append(came, course)
		}
	}
	if !slices.Equal(gone, e.Swaps) || !slices.Equal(came, e.With) {
		t.Fatalf("seed %d, %s: foretold -%v +%v, happened -%v +%v", seed, name, e.Swaps, e.With, gone, came)
	}
	var request RequestResult
	if at := slices.Index(requestsOf(after), e.Course); at >= 0 {
		if now.Packing.Fits() != e.Fits || now.Packing.Spans[at] != e.Span {
			t.Fatalf("seed %d, %s: foretold fits %v in %v, happened %v in %v", seed, name, e.Fits, e.Span, now.Packing.Fits(), now.Packing.Spans[at])
		}
		request = now.Requests[at]
	} else {
		request = now.Summer[slices.Index(courses(after.Summer), e.Course)]
		if !e.Fits || e.Span != 0 {
			t.Fatalf("seed %d, %s: a course of the summer fits %v in %v", seed, name, e.Fits, e.Span)
		}
	}
	if request.Entry != e.Entry || request.Repeat != e.Repeat || request.Barred != e.Barred || (len(e.Fill) > 0) == e.Fits {
		t.Fatalf("seed %d, %s: foretold %v %v, happened %+v", seed, name, e.Entry, e.Repeat, request)
	}
	held := map[int]RuleResult{}
	for _, rule := range was.Rules {
		held[rule.Rule] = rule
	}
	changes := map[int]RuleChange{}
	for _, change := range e.Rules {
		changes[change.Rule] = change
	}
	moved := map[int]RuleChange{}
	for _, change := range e.Moved {
		moved[change.Rule] = change
	}
	for _, rule := range now.Rules {
		before, inForce := held[rule.Rule]
		change, told := changes[rule.Rule]
		delete(changes, rule.Rule)
		if !told && inForce && before.Measured != rule.Measured {
			if change := moved[rule.Rule]; change.Before != before.Measured || change.After != rule.Measured {
				t.Fatalf("seed %d, %s, rule %d: foretold to move as %+v, happened %+v after %+v", seed, name, rule.Rule, change, rule, before)
			}
			delete(moved, rule.Rule)
		}
		switch {
		case told && (change.After != rule.Measured || change.Holds != rule.Holds):
			t.Fatalf("seed %d, %s, rule %d: foretold %+v, happened %+v", seed, name, rule.Rule, change, rule)
		case !told && inForce && before.Holds != rule.Holds, !told && !inForce && !rule.Holds:
			t.Fatalf("seed %d, %s, rule %d: nothing foretold, happened %+v after %+v", seed, name, rule.Rule, rule, before)
		}
	}
	if len(changes) > 0 {
		t.Fatalf("seed %d, %s: foretold changes of rules that are not in force: %v", seed, name, changes)
	}
	if len(moved) > 0 {
		t.Fatalf("seed %d, %s: foretold moves of rules that do not move: %v", seed, name, moved)
	}
	fed := map[[2]int]credit.Amount{}
	for i := range y.Audits {
		old, next := f.Audit(i, before), f.Audit(i, after)
		for k := range next {
			if more := next[k].Requested - old[k].Requested; more > 0 {
				fed[[2]int{i, k}] = more
			}
		}
	}
	for _, x := range e.Fed {
		if fed[[2]int{x.Audit, x.Entry}] != x.Credits {
			t.Fatalf("seed %d, %s: foretold %+v, happened %v", seed, name, x, fed)
		}
		delete(fed, [2]int{x.Audit, x.Entry})
	}
	if len(fed) > 0 {
		t.Fatalf("seed %d, %s: credits came to %v, which was not foretold", seed, name, fed)
	}
}

// bringsAbove reports whether an addition brings the rule that it is refused for above its maximum.
func bringsAbove(y *catalog.Year, e *Effect) bool {
	return slices.ContainsFunc(slices.Concat(e.Rules, e.Moved), func(c RuleChange) bool {
		return c.Rule == e.Over && y.Rules[c.Rule].Max != nil && c.After > *y.Rules[c.Rule].Max
	})
}

// plainYear has five open courses: A and B exclude each other, C is linked with D both ways, E needs A's credit next to it.
func plainYear(t *testing.T) *catalog.Year {
	t.Helper()
	return plainYearWith(t, &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1, FirstGrade: 9})
}

func plainYearWith(t *testing.T, p *policy.Policy) *catalog.Year {
	t.Helper()
	whole := []catalog.TermSet{1}
	course := func(code string) catalog.Course {
		return catalog.Course{Code: code, Title: code, Subjects: []string{"X"}, Credits: 100, Load: 100, Spans: whole}
	}
	list := []catalog.Course{course("A"), course("B"), course("C"), course("D"), course("E")}
	list[0].Excludes, list[1].Excludes = []string{"B"}, []string{"A"}
	list[2].Links, list[3].Links = []string{"D"}, []string{"C"}
	list[4].Links = []string{"A"}
	for i := range MaxEntries {
		list = append(list, course("X"+string(rune('0'+i/10))+string(rune('0'+i%10))))
	}
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1"}}, list, nil, p)
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	return y
}

// laidOut makes a sheet of codes; an alternate may be written B:A, standing for A.
func laidOut(t *testing.T, y *catalog.Year, requests, alternates []string) (s Sheet) {
	t.Helper()
	find := func(code string) int32 {
		i, ok := y.Index(code)
		if !ok {
			t.Fatal("no course ", code)
		}
		return i
	}
	for i, code := range requests {
		s.Requests = append(s.Requests, Entry{find(code), Any, i + 1})
	}
	for i, code := range alternates {
		e := Entry{0, Any, i + 1}
		if len(code) > 2 && code[1] == ':' { // only of codes of one letter
			e.StandsFor = find(code[2:])
			code = code[:1]
		}
		e.Course = find(code)
		s.Alternates = append(s.Alternates, e)
	}
	return s
}

func TestEachEdit(t *testing.T) {
	y := plainYear(t)
	index := func(code string) int32 { i, _ := y.Index(code); return i }
	var full []string
	for i := range MaxEntries {
		full = append(full, "X"+string(rune('0'+i/10))+string(rune('0'+i%10)))
	}
	type list = []string
	for _, c := range []struct {
		name                 string
		fixed                string
		requests, alternates list
		edit                 Edit
		wantRequests, want   list
		err                  error
	}{
		{"a request comes last", "", list{"C", "D"}, nil, Edit{Kind: MakeRequest, Course: index("A")}, list{"C", "D", "A"}, nil, nil},
		{"a request that is there stays where it is", "", list{"A", "E"}, nil, Edit{Kind: MakeRequest, Course: index("A")}, list{"A", "E"}, nil, nil},
		{"a level takes the place of the other", "", list{"B", "E"}, nil, Edit{Kind: MakeRequest, Course: index("A")}, list{"A", "E"}, nil, nil},
		{"but not of a fixed one", "B", list{"B", "E"}, nil, Edit{Kind: MakeRequest, Course: index("A")}, list{"B", "E"}, nil, ErrFixed},
		{"both halves come", "", list{"A"}, nil, Edit{Kind: MakeRequest, Course: index("D")}, list{"A", "D", "C"}, nil, nil},
		{"an alternate that comes along leaves the alternates", "", list{"A"}, list{"C", "B"}, Edit{Kind: MakeRequest, Course: index("D")}, list{"A", "D", "C"}, list{"B"}, nil},
		{"an alternate becomes a request", "", list{"C", "D"}, list{"A", "E"}, Edit{Kind: MakeRequest, Course: index("A")}, list{"C", "D", "A"}, list{"E"}, nil},
		{"a full sheet takes no more", "", full, nil, Edit{Kind: MakeRequest, Course: index("A")}, full, nil, ErrFull},
		{"an alternate comes last", "", list{"A"}, list{"C"}, Edit{Kind: MakeAlternate, Course: index("E"), StandsFor: Any}, list{"A"}, list{"C", "E"}, nil},
		{"an alternate is tied", "", list{"A"}, list{"C", "E"}, Edit{Kind: MakeAlternate, Course: index("C"), StandsFor: index("A")}, list{"A"}, list{"C:A", "E"}, nil},
		{"but only to a request", "", list{"A"}, list{"C"}, Edit{Kind: MakeAlternate, Course: index("C"), StandsFor: index("B")}, list{"A"}, list{"C"}, ErrStandsFor},
		{"a request becomes an alternate, and its other half goes", "", list{"C", "A", "D"}, nil, Edit{Kind: MakeAlternate, Course: index("C"), StandsFor: Any}, list{"A"}, list{"C"}, nil},
		{"a fixed one does not", "A", list{"A"}, nil, Edit{Kind: MakeAlternate, Course: index("A"), StandsFor: Any}, list{"A"}, nil, ErrFixed},
		{"full alternates take no more", "", list{"A"}, full, Edit{Kind: MakeAlternate, Course: index("C"), StandsFor: Any}, list{"A"}, full, ErrFull},
		{"both halves go", "", list{"C", "A", "D"}, nil, Edit{Kind: TakeOff, Course: index("D")}, list{"A"}, nil, nil},
		{"what needs a course goes with it", "", list{"E", "A", "C"}, nil, Edit{Kind: TakeOff, Course: index("A")}, list{"C"}, nil, nil},
		{"what a course needs may stay", "", list{"E", "A", "C"}, nil, Edit{Kind: TakeOff, Course: index("E")}, list{"A", "C"}, nil, nil},
		{"a fixed one stays, and what it would take along", "E", list{"E", "A"}, nil, Edit{Kind: TakeOff, Course: index("A")}, list{"E", "A"}, nil, ErrFixed},
		{"an alternate goes, and a tie to what is gone is loosed", "", list{"A", "C", "D"}, list{"B:A", "E"}, Edit{Kind: TakeOff, Course: index("A")}, list{"C", "D"}, list{"B", "E"}, nil},
		{"what is not there cannot go", "", list{"A"}, list{"C"}, Edit{Kind: TakeOff, Course: index("B")}, list{"A"}, list{"C"}, ErrNotOnSheet},
		{"requests in order", "", list{"A", "C", "D"}, list{"E"}, Edit{Kind: PutInOrder, Order: []int32{index("D"), index("A"), index("C")}}, list{"D", "A", "C"}, list{"E"}, nil},
		{"alternates in order keep their ties", "", list{"A"}, list{"C:A", "E"}, Edit{Kind: PutInOrder, Alternates: true, Order: []int32{index("E"), index("C")}}, list{"A"}, list{"E", "C:A"}, nil},
		{"an order that leaves one out", "", list{"A", "C"}, nil, Edit{Kind: PutInOrder, Order: []int32{index("A")}}, list{"A", "C"}, nil, ErrOrder},
		{"an order that names one twice", "", list{"A", "C"}, nil, Edit{Kind: PutInOrder, Order: []int32{index("A"), index("A")}}, list{"A", "C"}, nil, ErrOrder},
		{"an order that names a stranger", "", list{"A", "C"}, nil, Edit{Kind: PutInOrder, Order: []int32{index("A"), index("B")}}, list{"A", "C"}, nil, ErrOrder},
		{"a request takes a place", "", list{"A", "C", "D"}, nil, Edit{Kind: MakeRequest, Course: index("X00"), Place: 2}, list{"A", "X00", "C", "D"}, nil, nil},
		{"or the last", "", list{"A"}, list{"X00", "X01"}, Edit{Kind: MakeRequest, Course: index("X01"), Place: 9}, list{"A", "X01"}, list{"X00"}, nil},
		{"an alternate takes a place", "", list{"A", "B"}, list{"X00", "X01"}, Edit{Kind: MakeAlternate, Course: index("A"), StandsFor: Any, Place: 1}, list{"B"}, list{"A", "X00", "X01"}, nil},
		{"a course takes another's place", "", list{"X01", "E", "A"}, list{"X00"}, Edit{Kind: Replace, Course: index("X00"), Instead: index("E")}, list{"X01", "X00", "A"}, nil, nil},
		{"with what comes along", "", list{"E", "A", "X01"}, nil, Edit{Kind: Replace, Course: index("C"), Instead: index("X01")}, list{"E", "A", "C", "D"}, nil, nil},
		{"and what leaves with it", "", list{"C", "X01", "D"}, nil, Edit{Kind: Replace, Course: index("X00"), Instead: index("D")}, list{"X01", "X00"}, nil, nil},
		{"one that is excluded leaves too", "", list{"B", "X01", "X02"}, nil, Edit{Kind: Replace, Course: index("A"), Instead: index("X02")}, list{"X01", "A"}, nil, nil},
		{"not of a fixed one", "X01", list{"X01"}, nil, Edit{Kind: Replace, Course: index("X00"), Instead: index("X01")}, list{"X01"}, nil, ErrFixed},
		{"nor by one that is there", "", list{"X01", "X00"}, nil, Edit{Kind: Replace, Course: index("X00"), Instead: index("X01")}, list{"X01", "X00"}, nil, ErrThere},
		{"nor of one that is not there", "", list{"X01"}, nil, Edit{Kind: Replace, Course: index("X00"), Instead: index("A")}, list{"X01"}, nil, ErrNotOnSheet},
		{"an alternate takes another's place, and its tie", "", list{"A"}, list{"X00", "C:A", "X01"}, Edit{Kind: Replace, Course: index("D"), Instead: index("C")}, list{"A"}, list{"X00", "D:A", "X01"}, nil},
		{"all that can be taken over are", "", list{"A"}, list{"X00"}, Edit{Kind: TakeOver, Courses: []int32{index("X00"), index("A"), index("C")}}, list{"A", "X00", "C", "D"}, nil, nil},
		{"but what would move a fixed one", "A", list{"A"}, nil, Edit{Kind: TakeOver, Courses: []int32{index("B"), index("C")}}, list{"A", "C", "D"}, nil, nil},
		{"where nothing can be, it says why", "A", list{"A"}, nil, Edit{Kind: TakeOver, Courses: []int32{index("B")}}, list{"A"}, nil, ErrFixed},
		{"nothing to be filled in", "", list{"A"}, nil, Edit{Kind: FillIn}, list{"A"}, nil, ErrNothing},
		{"no such kind", "", list{"A"}, nil, Edit{Kind: "sing"}, list{"A"}, nil, ErrKind},
	} {
		t.Run(c.name, func(t *testing.T) {
			student := Student{ID: "s", Grade: 10}
			if c.fixed != "" {
				student.Signals = []Signal{{Kind: Assignment, Code: c.fixed, Value: credit.One}}
			}
			f := NewFacts(y, student)
			before := laidOut(t, y, c.requests, c.alternates)
			kept := before.clone()
			after, err := f.Apply(&before, c.edit)
			if !errors.Is(err, c.err) || (err == nil) != (c.err == nil) {
				t.Fatalf("gives %v, want %v", err, c.err)
			}
			if !slices.Equal(before.Requests, kept.Requests) || !slices.Equal(before.Alternates, kept.Alternates) {
				t.Error("the sheet given was changed")
			}
			if c.err != nil {
				return
			}
			want := laidOut(t, y, c.wantRequests, c.want)
			if !slices.Equal(after.Requests, want.Requests) || !slices.Equal(after.Alternates, want.Alternates) {
				t.Errorf("gives %v / %v, want %v / %v", after.Requests, after.Alternates, want.Requests, want.Alternates)
			}
		})
	}
}

// The room of a term counts what could be put there, and the weight puts what helps before what harms.
func TestRoomAndWeight(t *testing.T) {
	y := &catalog.Year{Frame: catalog.Frame{Terms: []string{"S1", "S2"}}, Rules: []catalog.Rule{{Rule: &policy.Rule{Stance: policy.Block}}, {Rule: &policy.Rule{Stance: policy.Advise}}}}
	completes := RuleChange{Rule: 0, Held: false, Holds: true}
	breaks, advises := RuleChange{Rule: 0, Held: true}, RuleChange{Rule: 1, Held: true}
	for _, c := range []struct {
		name   string
		effect Effect
		weight int
		room   []int
	}{
		{"fits in both", Effect{Admissible: true, Fits: true, Span: 3}, 15, []int{1, 1}},
		{"fits in the second", Effect{Admissible: true, Fits: true, Span: 2}, 15, []int{0, 1}},
		{"completes a rule", Effect{Admissible: true, Fits: true, Span: 1, Rules: []RuleChange{completes}}, 35, []int{1, 0}},
		{"breaks one", Effect{Admissible: true, Fits: true, Span: 1, Rules: []RuleChange{breaks}}, 0, []int{0, 0}},
		{"breaks one that only advises", Effect{Admissible: true, Fits: true, Span: 1, Rules: []RuleChange{advises}}, 15, []int{1, 0}},
		{"does not fit", Effect{Admissible: true, Span: 1}, 5, []int{0, 0}},
		{"cannot be submitted", Effect{Fits: true, Span: 1}, 10, []int{0, 0}},
		{"is recommended", Effect{Admissible: true, Fits: true, Span: 3, Recommended: true}, 17, []int{1, 1}},
		{"is usual", Effect{Admissible: true, Fits: true, Span: 3, Usual: true}, 16, []int{1, 1}},
		{"would be refused", Effect{Admissible: true, Fits: true, Span: 1, Refused: ErrFixed}, 15, []int{0, 0}},
	} {
		if got := c.effect.Weight(y); got != c.weight {
			t.Errorf("%s: weight %d, want %d", c.name, got, c.weight)
		}
		if got := Room(y, []Effect{c.effect}); !slices.Equal(got, c.room) {
			t.Errorf("%s: room %v, want %v", c.name, got, c.room)
		}
	}
}

// A level may be one entry for two: a whole course takes the place of both halves, and a half with its other half that of the whole; of
// neither way both are left, nor none.
func TestALevelOfTwoHalves(t *testing.T) {
	course := func(code string, span ...catalog.TermSet) catalog.Course {
		return catalog.Course{Code: code, Title: code, Subjects: []string{"X"}, Credits: 100, Load: 100, Spans: span}
	}
	list := []catalog.Course{course("A", 1), course("B", 2), course("W", 3), course("Z", 1, 2)}
	list[0].Links, list[1].Links = []string{"B"}, []string{"A"}
	list[2].Excludes = []string{"A", "B"}
	list[0].Excludes, list[1].Excludes = []string{"W"}, []string{"W"}
	y, errs := catalog.Compile(catalog.Frame{Terms: []string{"S1", "S2"}}, list, nil, &policy.Policy{SchoolYear: "2027-28", Periods: 8, Days: 1, FirstGrade: 9})
	if len(errs) > 0 {
		t.Fatal(errs)
	}
	f := NewFacts(y, Student{ID: "s", Grade: 10})
	const a, b, w, z = 0, 1, 2, 3
	halves := laidOut(t, y, []string{"A", "B", "Z"}, nil)
	whole, err := f.Apply(&halves, Edit{Kind: MakeRequest, Course: w})
	if err != nil || !slices.Equal(requestsOf(&whole), []int32{w, z}) {
		t.Fatalf("two for one: %v, %v", requestsOf(&whole), err)
	}
	back, err := f.Apply(&whole, Edit{Kind: MakeRequest, Course: b})
	if err != nil || !slices.Equal(requestsOf(&back), []int32{b, z, a}) {
		t.Fatalf("one for two: %v, %v", requestsOf(&back), err)
	}
}

// TestMayBecome: what an edit leads to may come as a whole, too, and whatever may come keeps what is fixed and brings nothing that is not
// offered or is earned.
func TestMayBecome(t *testing.T) {
	refused := map[error]int{}
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 11))
		y := randomYear(t, r)
		f := NewFacts(y, randomStudent(r, y))
		is, school := randomSheet(r, y), r.IntN(4) == 0
		course := int32(r.IntN(len(y.Courses)))
		if after, err := f.Apply(&is, Edit{Kind: []EditKind{MakeRequest, MakeAlternate, TakeOff}[r.IntN(3)], Course: course, StandsFor: Any, School: school}); err == nil {
			if err := f.MayBecome(&is, &after, school); err != nil {
				t.Fatalf("seed %d: an edit leads to it, and it may not come: %v", seed, err)
			}
		}
		comes := randomSheet(r, y)
		err := f.MayBecome(&is, &comes, school)
		refused[err]++
		var fixed, barred, earned bool
		for _, c := range courses(is.Requests) {
			fixed = fixed || f.Held(c, school) && !slices.Contains(courses(comes.Requests), c)
		}
		for _, lists := range [][2][]Entry{{is.Requests, comes.Requests}, {is.Summer, comes.Summer}, {is.Alternates, comes.Alternates}} {
			for _, c := range courses(lists[1]) {
				if !slices.Contains(courses(lists[0]), c) {
					barred = barred || f.Barred(c)
					earned = earned || f.AlreadyEarned(c) && !y.Courses[c].Repeatable
				}
			}
		}
		more := slices.ContainsFunc(all(&comes), func(c int32) bool { return !slices.Contains(all(&is), c) })
		over := more && !school && y.Policy.Settings.OverMaximum == policy.RefuseOver && f.rises(&is, &comes)
		want := map[error]bool{ErrFixed: fixed, ErrBarred: barred, ErrEarned: earned, ErrOver: over, nil: !fixed && !barred && !earned && !over}
		if !want[err] {
			t.Fatalf("seed %d: %v; fixed %v, barred %v, earned %v, over %v", seed, err, fixed, barred, earned, over)
		}
	}
	for _, err := range []error{nil, ErrFixed, ErrBarred, ErrEarned, ErrOver} {
		if refused[err] < 3 {
			t.Errorf("%v came up %d times", err, refused[err])
		}
	}
	y := randomYear(t, rand.New(rand.NewPCG(1, 1)))
	f := NewFacts(y, Student{})
	full := Sheet{Requests: make([]Entry, MaxEntries+1)}
	if err := f.MayBecome(&full, &full, true); !errors.Is(err, ErrFull) {
		t.Errorf("beyond what a sheet holds: %v", err)
	}
}
