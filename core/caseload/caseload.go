// Package caseload tells where each sheet of a caseload is, and every reason for which it waits for a person.
// What is found of a sheet in one version is worked out once, by Find; what follows from it at a moment, by
// Of, costs next to nothing.
//
//	found := caseload.Find(facts, &laid, judgement, facts.Todo(judgement), true, time.UTC)
//	stage, waits := caseload.Of(&caseload.Case{Found: &found, State: acts.Submitted, Submitted: at, Guardians: 2, Now: now})
package caseload

import (
	"cmp"
	"slices"
	"time"

	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/sheet"
)

// Stage is where a sheet is.
type Stage string

// The stages.
const (
	NotBegun   Stage = "notBegun" // nothing but what the school has put there is on it
	InProgress Stage = "inProgress"
	WithFamily Stage = "withFamily" // handed in; a guardian has to sign
	Waiting    Stage = "waiting"    // for the school: some reason is the school's to settle
	Complete   Stage = "complete"   // signed, and nothing waits: it can be cleared
	Cleared    Stage = "cleared"
)

// Stages lists the stages in the order a sheet takes them.
func Stages() []Stage { return []Stage{NotBegun, InProgress, WithFamily, Waiting, Complete, Cleared} }

// Reason is why a sheet waits for a person.
type Reason string

// The reasons. The school settles those up to Lapsed, the family the others.
const (
	Claim      Reason = "claim"      // a condition is said to be met elsewhere
	Asked      Reason = "asked"      // the family asks for a change
	Remark     Reason = "remark"     // what the family asks or says is not answered
	NoGuardian Reason = "noGuardian" // handed in, and no one is on file who could sign: someone of the school signs for the family
	Unmet      Reason = "unmet"      // handed in, and a rule or condition does not hold now
	Overridden Reason = "overridden" // handed in although a condition does not hold, which was taken note of
	Retake     Reason = "retake"     // handed in, and a course that was failed, or is being taken, is asked for again
	TooComplex Reason = "tooComplex" // the sheet is beyond the limits of judging
	Lapsed     Reason = "lapsed"     // cleared, and what it was cleared by has changed: it no longer holds

	Changed   Reason = "changed"   // different from what was handed in
	Unsigned  Reason = "unsigned"  // handed in, and not signed for LongUnsigned
	Contested Reason = "contested" // more ask for a course than there are seats, and nothing stands in for it
	Uncovered Reason = "uncovered" // nothing stands in for a request
	LoneHalf  Reason = "loneHalf"  // a course lacks the one it is linked with
	Clash     Reason = "clash"     // no choice of sections gives some requests together
	Unreached Reason = "unreached" // the mail by which the family would know what to do did not reach someone
	Overdue   Reason = "overdue"   // the day of an errand has passed
	Unbegun   Reason = "unbegun"   // the window is open, and no one has begun
)

// Reasons lists the reasons: first those that the school settles, then those that the family does.
func Reasons() []Reason {
	return []Reason{Claim, Asked, Remark, NoGuardian, Unmet, Overridden, Retake, TooComplex, Lapsed, Contested, Uncovered,
		LoneHalf, Clash, Changed, Unsigned, Unreached, Overdue, Unbegun}
}

// School reports whether it is for the school to settle.
func (r Reason) School() bool {
	return slices.Index(Reasons(), r) <= slices.Index(Reasons(), Lapsed)
}

// LongUnsigned is how long a sheet may wait for a signature before it is one of the exceptions: a week,
// common practice.
const LongUnsigned = 7 * 24 * time.Hour

// None is no course.
const None int32 = -1

// Wait is one reason for which a sheet waits.
type Wait struct {
	Reason  Reason
	Courses []int32   // it is about; none: the whole sheet
	Since   time.Time // zero: not known
}

// Due is an errand that is not settled, with its date in the school's time zone: overdue from Passed on.
type Due struct {
	Course int32
	Passed time.Time
}

// Found is what is found of a sheet in one version. It is immutable.
type Found struct {
	Begun     bool // something but what the school has put there is on it
	Changed   bool // it differs from what was handed in
	Complete  bool // nothing is still to do but what waits for a person
	Ready     bool // nothing is still to do at all
	Beyond    bool // it is beyond the limits of judging
	Claims    []int32
	Open      int32 // the first course whose condition does not hold; None
	Noted     []int32
	Retakes   []int32
	Halves    []int32
	Clash     []int32 // the smallest set of requests that no choice of sections gives together; the caller knows the sections
	Uncovered []int32 // except for those that the school gives anyway: assigned, or asked for by a rule
	Dues      []Due
}

// Find looks for what a sheet may wait for, at whatever moment. It leaves Changed, Complete, Ready and Clash
// to the caller, who knows what was handed in and which parts of the sheet count.
//
// Zone is the school's, in which the days of errands pass.
func Find(f *sheet.Facts, s *sheet.Sheet, j *sheet.Judgement, todo []sheet.Todo, handed bool, zone *time.Location) Found {
	out := Found{Open: None, Beyond: j == nil, Begun: Begun(f, s)}
	if j == nil {
		return out
	}
	for i := range todo {
		t := &todo[i]
		switch {
		case t.Kind == sheet.EntryOpen && t.Waits() && claimed(f, s, t.Course):
			out.Claims = append(out.Claims, t.Course)
		case t.Kind == sheet.EntryOpen && out.Open == None:
			out.Open = t.Course
		case t.Kind == sheet.LinkOpen:
			out.Halves = append(out.Halves, t.Course)
		}
	}
	for _, r := range j.Requests {
		if f.Retake(r.Course) || f.Taking(r.Course) {
			out.Retakes = append(out.Retakes, r.Course)
		}
	}
	_, out.Noted, _ = f.Acknowledge(j)
	for _, e := range f.Errands(s) {
		if passed, ok := f.Year.Errands[e.Errand].Passed(zone); ok && !e.Settled {
			out.Dues = append(out.Dues, Due{e.Course, passed})
		}
	}
	if handed {
		out.Uncovered = atRisk(f, s)
	}
	return out
}

// atRisk lists the requests that may not be given and that nothing stands in for; none where that is beyond
// the limits of judging.
func atRisk(f *sheet.Facts, s *sheet.Sheet) []int32 {
	list, err := f.Uncovered(s)
	if err != nil {
		return nil
	}
	required, err := f.Required(s)
	if err != nil {
		return nil
	}
	return slices.DeleteFunc(list, func(course int32) bool {
		at := slices.IndexFunc(s.Requests, func(e sheet.Entry) bool { return e.Course == course })
		return at >= 0 && required[at]
	})
}

// Started reports whether a family has begun: someone of it has worked on the sheet, something but what the
// school has put there is on it, or it has been submitted. It is the one definition of that.
func Started(state acts.State, touched, begun bool) bool {
	return state != acts.InProgress || touched || begun
}

// Begun reports whether something but what the school has put there is on a sheet.
func Begun(f *sheet.Facts, s *sheet.Sheet) bool {
	return len(s.Alternates) > 0 || slices.ContainsFunc(s.Requests, func(e sheet.Entry) bool {
		assigned, _ := f.Assigned(e.Course)
		return !assigned
	})
}

// claimed reports whether there is an open claim for what the condition of a course waits for.
func claimed(f *sheet.Facts, s *sheet.Sheet, course int32) bool {
	return slices.ContainsFunc(f.Explain(s, course), func(e sheet.Evidence) bool {
		return e.Verdict == condition.Unverified && e.Signal >= 0 && f.Signals[e.Signal].Kind == sheet.Claim
	})
}

// Case is a sheet at a moment.
type Case struct {
	*Found
	State     acts.State
	Before    acts.State // in which it was placed
	Touched   bool       // someone of the family has worked on it
	Asked     bool       // the family asks for a change
	Window    acts.Window
	Guardians int
	Contested []bool // by course: more ask for it than there are seats; nil: none

	// Zero: not, or not known. RemarkAt: of the oldest without an answer; LostAt: of a mail that asks for what
	// is still to be done and was not delivered.
	Now, AskedAt, RemarkAt, LostAt, ChangedAt, SubmittedAt, ClearedAt time.Time
}

// Of reports where a sheet is, and every reason for which it waits: the school's reasons first, in the order of Reasons.
func Of(c *Case) (Stage, []Wait) {
	var waits []Wait
	add := func(r Reason, since time.Time, courses ...int32) {
		waits = append(waits, Wait{r, slices.DeleteFunc(slices.Clone(courses), func(c int32) bool { return c == None }), since})
	}
	each := func(r Reason, since time.Time, courses []int32) { // where there are some
		if len(courses) > 0 {
			add(r, since, courses...)
		}
	}
	handed := c.State.HandedIn() && !c.Changed
	stood := c.State.Stood(c.Before)
	cleared := stood == acts.Cleared || stood == acts.Placed
	latest := c.ChangedAt
	if handed {
		latest = c.SubmittedAt
	}
	if c.Asked {
		add(Asked, c.AskedAt)
	}
	if !c.RemarkAt.IsZero() {
		add(Remark, c.RemarkAt)
	}
	if handed && stood == acts.Submitted && c.Guardians == 0 {
		add(NoGuardian, c.SubmittedAt)
	}
	stage := c.stage(handed, cleared)
	switch {
	case cleared:
		if !c.Ready {
			add(Lapsed, c.ClearedAt, c.Open)
		}
	case c.Beyond:
		add(TooComplex, latest)
	default:
		each(Claim, latest, c.Claims)
		if handed && stage != WithFamily {
			if !c.Ready && len(c.Claims) == 0 { // the records or the rules have changed since
				add(Unmet, latest, c.Open)
			}
			each(Overridden, latest, c.Noted)
			each(Retake, latest, c.Retakes)
		}
	}
	if stage != Cleared && slices.ContainsFunc(waits, func(w Wait) bool { return w.Reason.School() }) {
		stage = Waiting
	}
	c.family(stage, handed, cleared, latest, add, each)
	slices.SortStableFunc(waits, func(a, b Wait) int {
		return cmp.Compare(slices.Index(Reasons(), a.Reason), slices.Index(Reasons(), b.Reason))
	})
	return stage, waits
}

func (c *Case) stage(handed, cleared bool) Stage {
	switch {
	case cleared:
		return Cleared
	case !Started(c.State, c.Touched, c.Begun):
		return NotBegun
	case !handed:
		return InProgress
	case c.State.Stood(c.Before) == acts.Submitted && c.Guardians > 0:
		return WithFamily
	}
	return Complete
}

// family adds what a sheet waits for the family for.
func (c *Case) family(stage Stage, handed, cleared bool, latest time.Time, add func(Reason, time.Time, ...int32),
	each func(Reason, time.Time, []int32)) {
	if stage == NotBegun && c.Window.Phase(c.Now) == acts.Open {
		add(Unbegun, c.Window.Opens)
	}
	if c.State.HandedIn() && c.Changed {
		add(Changed, c.ChangedAt)
	}
	if handed && c.State.Stood(c.Before) == acts.Submitted && c.Guardians > 0 && c.Now.Sub(c.SubmittedAt) >= LongUnsigned {
		add(Unsigned, c.SubmittedAt)
	}
	if !cleared && !c.LostAt.IsZero() {
		add(Unreached, c.LostAt)
	}
	if handed && !cleared {
		contested := func(course int32) bool { return c.Contested != nil && c.Contested[course] }
		each(Contested, latest, slices.DeleteFunc(slices.Clone(c.Uncovered), func(course int32) bool { return !contested(course) }))
		each(Uncovered, latest, slices.DeleteFunc(slices.Clone(c.Uncovered), contested))
	}
	if stage != NotBegun && !cleared {
		each(LoneHalf, latest, c.Halves)
		each(Clash, latest, c.Clash)
	}
	late, oldest := []int32{}, time.Time{}
	for _, due := range c.Dues {
		if !due.Passed.After(c.Now) {
			if oldest.IsZero() || due.Passed.Before(oldest) {
				oldest = due.Passed
			}
			late = append(late, due.Course)
		}
	}
	each(Overdue, oldest, late)
}

// Contest reports by course whether more ask for it than there are seats. A course without a section is not
// contested: nothing is known of its seats.
func Contest(y *catalog.Year, asked map[int32]int, seats map[int32]int) []bool {
	out := make([]bool, len(y.Courses))
	for course, n := range seats {
		out[course] = n > 0 && asked[course] > n
	}
	return out
}
