package sheet

import (
	"fmt"
	"slices"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

// newSheet shows a desk.
func newSheet(d *appsheet.Desk) *SheetView {
	y := d.Year.Year
	v := &SheetView{School: d.Row.School, Year: d.Row.Year, Version: d.Row.Version,
		Judged: fmt.Sprintf("%s.%d", VersionOf(d.Year), d.Row.Facts), Beyond: d.Judgement == nil,
		Student: NewStudent(d),
		Status:  newStatus(d), Acts: newActs(&d.Acts), Todo: todos(d), Requests: []Entry{}, Alternate: []Entry{},
		Rules: []RuleState{}, Audits: []AuditState{}, Fees: d.Fees(),
		Summer: []Entry{}, Errands: []Errand{},
		Packing: Packing{Loads: make([]credit.Amount, len(y.Terms))}}
	v.Agree.Student, v.Agree.Guardian = d.Agree()
	v.Agree.Acknowledge = []Acknowledgement{}
	for _, a := range d.Acknowledge() {
		v.Agree.Acknowledge = append(v.Agree.Acknowledge, Acknowledgement{ID: a.ID(), Rule: a.Rule, Course: a.Course, Taking: a.Taking})
	}
	if d.Draft != nil {
		head := newDraftHead(d.Draft)
		v.Draft = &head
	}
	v.Placed, v.Clash = schedule.WeekOf(d), Codes(y, d.Clash())
	if v.Shown = d.Row.Shown; appcaseload.InFamily(d) {
		v.Talk = d.Row.Talk.V
	}
	if x := d.Row.Undoes; x != nil && d.Acts[acts.Undo].Allowed {
		v.Undoes = &Trace{Act: x.V.Act, Course: x.V.Course, Instead: x.V.Instead, At: x.V.At}
	}
	for _, o := range d.Only() {
		v.Only = append(v.Only, OnlyAnswer{y.Rules[o.Rule].ID, y.Codes[o.Course]})
	}
	if v.Fees == nil {
		v.Fees = []string{}
	}
	if d.Judgement != nil {
		v.Packing = Packing{Fits: d.Judgement.Packing.Fits(), Overload: d.Judgement.Packing.Overload, Loads: d.Judgement.Packing.Loads}
		if !v.Packing.Fits {
			v.Packing.Fill = Codes(y, d.Known.Overfilled(&d.Sheet))
		}
		for _, r := range d.Judgement.Rules {
			rule := &y.Rules[r.Rule]
			v.Rules = append(v.Rules, RuleState{ID: rule.ID, Measured: r.Measured, Min: rule.Min, Max: rule.Max, Holds: r.Holds})
		}
	}
	v.requests(d)
	v.alternates(d)
	v.summer(d)
	for _, e := range d.Gone {
		gone := Entry{Course: e.Course, Rank: e.Rank, Terms: []int{}, Mark: string(sheet.Stopped), Gone: true, Entry: "none"}
		if e.Alternate {
			v.Alternate = append(v.Alternate, gone)
		} else {
			v.Requests = append(v.Requests, gone)
		}
	}
	for i := range y.Audits {
		a := AuditState{ID: y.Audits[i].ID, Entries: []AuditEntry{}}
		for e, x := range d.Known.Audit(i, &d.Sheet) {
			a.Entries = append(a.Entries, AuditEntry{ID: y.Audits[i].Entries[e].ID, Need: x.Need, Earned: x.Earned,
				InProgress: x.InProgress, Requested: x.Requested, Short: x.Short, Late: x.Late})
		}
		v.Audits = append(v.Audits, a)
	}
	return v
}

func (v *SheetView) requests(d *appsheet.Desk) {
	y := d.Year.Year
	covers, sole := d.Cover(), d.Known.Sole(&d.Sheet)
	var halves []int
	v.Next = NextAlternate{Rank: len(d.Sheet.Alternates) + 1}
	if d.Judgement != nil {
		halves = d.Judgement.Halves(y, &d.Sheet)
		if next := d.Known.NextAlternate(&d.Sheet, d.Judgement); next.Over {
			v.Next.Most = &next.Most
		}
	}
	for i, r := range d.Sheet.Requests {
		e := newEntry(d, r.Course)
		e.Rank, e.Terms = i+1, y.Courses[r.Course].Spans[0].Positions()
		for _, o := range sole {
			if o.Course == r.Course {
				e.OnlyFor = append(e.OnlyFor, y.Rules[o.Rule].ID)
			}
		}
		if d.Judgement != nil {
			found := &d.Judgement.Requests[i]
			e.Terms = d.Judgement.Packing.Spans[i].Positions()
			if k := halves[i]; k >= 0 {
				e.Half = y.Codes[d.Sheet.Requests[k].Course]
			}
			e.stand(found)
			e.waived(d.Known, found.Waiver)
		}
		if covers != nil {
			e.Covered, e.Mend = covers[i].Covered, Codes(y, covers[i].Mend)
			for _, rule := range covers[i].Short {
				e.Short = append(e.Short, y.Rules[rule].ID)
			}
		}
		v.Requests = append(v.Requests, e)
	}
}

// summer shows the requests for the summer, and what is to be done outside the sheet.
func (v *SheetView) summer(d *appsheet.Desk) {
	for i, r := range d.Sheet.Summer {
		e := newEntry(d, r.Course)
		e.Rank, e.Terms, e.Covered = i+1, []int{}, true
		if d.Judgement != nil {
			e.stand(&d.Judgement.Summer[i])
			e.waived(d.Known, d.Judgement.Summer[i].Waiver)
		}
		v.Summer = append(v.Summer, e)
	}
	v.Round = newRound(d)
	if d.VoidsYear || d.VoidsSummer {
		v.Voids = &Voids{d.VoidsYear, d.VoidsSummer}
	}
	y := d.Year.Year
	for _, r := range d.Known.Errands(&d.Sheet) {
		e := Errand{Errand: r.Errand, Course: y.Codes[r.Course], Settled: r.Settled}
		if r.Signal >= 0 {
			e.By = d.Known.Said[r.Signal]
		}
		if r.ReplacedBy >= 0 {
			e.ReplacedBy = y.Codes[r.ReplacedBy]
		}
		v.Errands = append(v.Errands, e)
	}
}

// NewStudent returns the student of a sheet as the contract has them.
func NewStudent(d *appsheet.Desk) Student {
	return Student{ID: d.Row.Student, Given: d.Pupil.GivenName, Family: d.Pupil.FamilyName, Grade: d.Row.Grade,
		Counselor: d.Pupil.CounselorName, Guardians: d.Pupil.Guardians}
}

// Phases are those of a window that has been set, as screens have them.
var Phases = map[acts.Phase]string{acts.Before: "before", acts.Open: "open", acts.Late: "late", acts.Over: "over"}

func newRound(d *appsheet.Desk) *Round {
	s, set := d.Summer(), &d.Year.Policy.Settings
	if !s.Apart() {
		return nil
	}
	out := &Round{Window: Window{Opens: s.Opens, Families: s.Families, Counselors: s.Counselors, Zone: set.TimeZone},
		Phase: Phases[d.SummerPhase()], Counts: set.SummerCounts, Handed: s.Handed}
	if handed := d.Row.SheetState.Summer; handed != nil {
		out.Receipt, out.At = handed.V.Receipt, &handed.V.At
		if !s.Handed {
			out.Had = handed.V.Courses
		}
	}
	return out
}

func (v *SheetView) alternates(d *appsheet.Desk) {
	y := d.Year.Year
	standing := d.Known.Standing(&d.Sheet)
	for i, a := range d.Sheet.Alternates {
		e := newEntry(d, a.Course)
		e.Rank, e.Terms = i+1, y.Courses[a.Course].Spans[0].Positions()
		e.stand(&standing[i])
		if a.StandsFor != sheet.Any {
			e.StandsFor = y.Codes[a.StandsFor]
			e.Saves = []string{e.StandsFor}
		} else {
			for _, r := range v.Requests {
				if slices.Contains(r.Mend, e.Course) {
					e.Saves = append(e.Saves, r.Course)
				}
			}
		}
		v.Alternate = append(v.Alternate, e)
	}
}

func (e *Entry) stand(r *sheet.RequestResult) {
	e.Entry, e.Repeat, e.Barred, e.Mark = Verdict(r.HasEntry, r.Entry), r.Repeat, r.Barred, string(r.Mark())
}

// waived reports who waived the condition, by the place of the signal, and why; -1: no one did.
func (e *Entry) waived(k *schoolyear.Known, signal int) {
	if signal >= 0 {
		e.WaivedBy, e.WaivedNote = k.Said[signal], k.Signals[signal].Note
	}
}

// Verdict names the verdict on the condition of a course.
func Verdict(has bool, v condition.Verdict) string {
	if !has {
		return "none"
	}
	return v.String()
}

func newStatus(d *appsheet.Desk) Status {
	r := &d.Row
	st := Status{State: r.State, Stood: string(acts.State(r.State).Stood(acts.State(r.Before))),
		Started: appcaseload.Started(d), Changed: d.Changed, HandedIn: d.HandedIn(), Next: string(d.Next),
		KeptAt: r.ChangedAt, SubmittedAt: r.SubmittedAt, ClearedAt: r.ClearedAt,
		Message: r.Message, About: r.About.V, Answered: r.Answered, Reminded: r.Reminded, ChangeRequests: []ChangeRequest{},
		Signatures: []Signature{}}
	if x := d.Since(); x != nil {
		since := Since(*x)
		st.Since = &since
	}
	if r.Receipt != nil {
		st.Receipt = *r.Receipt
	}
	if acts.State(r.State).HandedIn() {
		for _, x := range r.Signatures.V {
			st.Signatures = append(st.Signatures, Signature{Name: x.Name, At: x.At, ForFamily: x.ForFamily, PaperBy: x.PaperBy})
		}
	}
	for _, x := range r.ChangeRequests.V {
		st.ChangeRequests = append(st.ChangeRequests,
			ChangeRequest{ID: x.ID, By: x.Name, Own: d.IsReader(x.Person), Kind: x.Kind, Course: x.Course, Text: x.Text, At: x.At,
				Open: x.AnsweredAt == nil, Answer: x.Answer, AnsweredBy: x.AnsweredBy, AnsweredAt: x.AnsweredAt})
	}
	if w := d.SeatWindow(); !w.Opens.IsZero() {
		st.Seats = &SeatTime{Window{Opens: w.Opens, Families: w.Families, Counselors: w.Counselors,
			Zone: d.Year.Policy.Settings.TimeZone}, Phases[d.SeatPhase()]}
	}
	if w := d.Window(); !w.Opens.IsZero() {
		st.Window = &Window{Opens: w.Opens, Families: w.Families, Counselors: w.Counselors, Zone: d.Year.Policy.Settings.TimeZone}
	}
	return st
}

// NewAct returns whether an act is allowed, as the contract has it.
func NewAct(a acts.Answer) Act { return Act{a.Allowed, string(a.Why), a.Reason} }

func newActs(a *acts.Answers) Acts {
	return Acts{Edit: NewAct(a[acts.Edit]), Undo: NewAct(a[acts.Undo]), Redo: NewAct(a[acts.Redo]),
		Submit: NewAct(a[acts.Submit]), Sign: NewAct(a[acts.Sign]), Ask: NewAct(a[acts.Ask]), Look: NewAct(a[acts.Look]),
		Decide: NewAct(a[acts.Decide]), SendBack: NewAct(a[acts.SendBack]), Approve: NewAct(a[acts.Approve]),
		Reopen: NewAct(a[acts.Reopen]), Plan: NewAct(a[acts.Plan]),
		EditSummer: NewAct(a[acts.EditSummer]), SubmitSummer: NewAct(a[acts.SubmitSummer])}
}

// newEntry shows what is known of a course on the sheet, wherever it stands.
func newEntry(d *appsheet.Desk, course int32) Entry {
	y, k := d.Year.Year, d.Known
	e := Entry{Course: y.Codes[course], Entry: "none", Mark: string(sheet.Settled), Retake: k.Retake(course), Taking: k.Taking(course)}
	e.Assigned, e.Fixed = k.Assigned(course)
	e.Fixed = e.Fixed || e.Assigned && y.Policy.Settings.NoExchange
	e.Recommends, e.AssignedBy = said(k, sheet.Recommendation, e.Course), said(k, sheet.Assignment, e.Course)
	for _, proof := range k.Explain(&d.Sheet, course) {
		e.Needs = append(e.Needs, NewProof(k, &proof))
		for i := range k.Claims {
			if claim := &k.Claims[i]; claim.About(proof.Leaf, e.Course) {
				e.Claims = append(e.Claims, newClaim(claim))
			}
		}
		for i := range k.Declined {
			if x := &k.Declined[i]; proof.Verdict < condition.Expected && x.About(proof.Leaf, e.Course) {
				declined := newClaim(&x.Claim)
				declined.Answer, declined.Decider = x.Answer, x.Decider
				e.Declined = append(e.Declined, declined)
			}
		}
	}
	if e.Assigned && !e.Fixed {
		for _, other := range y.Courses[course].Mutual {
			if !k.Barred(other) && !k.AlreadyEarned(other) {
				e.Exchange = append(e.Exchange, y.Codes[other])
			}
		}
	}
	return e
}

// said is who gave the first signal of a kind about a course, where it is known.
func said(k *schoolyear.Known, kind sheet.SignalKind, course string) string {
	for i := range k.Signals {
		if x := &k.Signals[i]; x.Kind == kind && x.Code == course {
			return k.Said[i]
		}
	}
	return ""
}

func newClaim(c *schoolyear.Claim) Claim {
	return Claim{ID: c.ID, Course: c.Course, Name: c.Name, By: c.By, Note: c.Note, File: c.File, SchoolYear: c.SchoolYear,
		Term: c.Term, Mark: c.Mark}
}

// NewNeed returns a leaf of a condition as the contract has it.
func NewNeed(y *catalog.Year, l *condition.Leaf) Need {
	n := Need{Kind: l.Kind.String(), Name: l.Name}
	if l.HasAt {
		n.At = &l.At
	}
	if i, ok := y.Index(l.Name); ok && (l.Kind == condition.Passed || l.Kind == condition.Alongside) {
		n.Title = y.Courses[i].Title
	}
	return n
}

// NewProof returns the evidence for a leaf of a condition.
func NewProof(k *schoolyear.Known, e *sheet.Evidence) Proof {
	p := Proof{Need: NewNeed(k.Year, e.Leaf), Verdict: e.Verdict.String(), Open: e.Verdict < condition.Expected}
	if e.Record >= 0 {
		r := &k.Records[e.Record]
		p.Year, p.Outcome, p.From, p.Code = policy.YearLabel(r.Year), string(r.Outcome), r.Title, r.Code
		if r.HasMark {
			p.Mark = &r.Mark
		}
	}
	if e.Signal >= 0 {
		p.By = k.Said[e.Signal]
		if x := &k.Signals[e.Signal]; x.Kind == sheet.ScoreOnFile {
			p.Value = &x.Value
		}
	}
	return p
}

// newEffects shows what adding each course would do.
func newEffects(e *appsheet.Effects) *EffectsView {
	y := e.Desk.Year.Year
	v := &EffectsView{Version: e.Desk.Row.Version, Effects: make([]Effect, 0, len(e.Effects)), Mends: []RuleMend{},
		Room: sheet.Room(y, e.Effects)}
	for i := range e.Effects {
		x := newEffect(e.Desk, &e.Effects[i])
		if e.Effects[i].Fits {
			x.Clash = Codes(y, e.Clash(e.Effects[i].Course))
		}
		v.Effects = append(v.Effects, x)
	}
	if e.Desk.Judgement == nil {
		return v
	}
	for _, r := range e.Desk.Judgement.Rules {
		if r.Holds {
			continue
		}
		if mends := Codes(y, sheet.Mends(y, e.Effects, r.Rule)); len(mends) > 0 {
			v.Mends = append(v.Mends, RuleMend{y.Rules[r.Rule].ID, mends[:min(len(mends), 12)]})
		}
	}
	return v
}

func newEffect(d *appsheet.Desk, e *sheet.Effect) Effect {
	y := d.Year.Year
	out := Effect{Course: y.Codes[e.Course], Possible: e.Possible(), Suggested: e.Suggested(&d.Sheet), Refused: string(appsheet.EditCode(e.Refused)),
		Offered: y.Courses[e.Course].Offers(d.Row.Grade), Entry: Verdict(e.HasEntry, e.Entry),
		Barred: e.Barred, Earned: e.Earned, Repeat: e.Repeat, Retake: e.Retake, Taking: e.Taking, OK: e.Admissible,
		Shown: e.Admissible || e.HasEntry && e.Entry == condition.Unverified,
		Terms: e.Span.Positions(), Fits: e.Fits, Fill: Codes(y, e.Fill), Room: Codes(y, e.Room), Swaps: Codes(y, e.Swaps),
		With: Codes(y, e.With), Recommended: e.Recommended,
		Weight: e.Weight(y)}
	if e.Refused == sheet.ErrOver {
		out.Over = y.Rules[e.Over].ID
	}
	if out.Recommended {
		out.Recommends = said(d.Known, sheet.Recommendation, out.Course)
	}
	for _, m := range e.Moved {
		out.Moves = append(out.Moves, RuleMove{y.Rules[m.Rule].ID, m.After})
	}
	for _, l := range e.Missing {
		out.Missing = append(out.Missing, NewNeed(y, l))
	}
	for _, r := range e.Rules {
		does := "nearer"
		if r.Held != r.Holds {
			if does = "breaks"; r.Holds {
				does = "completes"
			}
		}
		out.Rules = append(out.Rules, RuleChange{Rule: y.Rules[r.Rule].ID, From: r.Before, To: r.After, Does: does})
	}
	return out
}

// Codes returns the codes of courses.
func Codes(y *catalog.Year, list []int32) []string {
	if len(list) == 0 {
		return nil
	}
	out := make([]string, len(list))
	for i, course := range list {
		out[i] = y.Codes[course]
	}
	return out
}

// todos lists what is still to do, what no judgement can tell included.
func todos(d *appsheet.Desk) []Todo {
	y := d.Year.Year
	out := []Todo{}
	if d.Judgement == nil {
		out = append(out, Todo{Kind: "beyond"})
	}
	for i := range d.Todo {
		t := &d.Todo[i]
		todo := Todo{Kind: string(t.Kind), Amount: t.Amount, Waits: t.Waits()}
		switch t.Kind {
		case sheet.RuleShort, sheet.RuleOver:
			todo.Rule = y.Rules[t.Rule].ID
		case sheet.LinkOpen:
			todo.Course, todo.Needs = y.Codes[t.Course], y.Codes[t.Needs]
		case sheet.Overfull:
		default:
			todo.Course = y.Codes[t.Course]
			if t.Kind == sheet.EntryOpen {
				todo.Verdict = t.Verdict.String()
			}
		}
		out = append(out, todo)
	}
	for _, e := range d.Gone {
		out = append(out, Todo{Kind: "gone", Course: e.Course})
	}
	return out
}

// VersionOf names the versions of catalog and rules that a year was compiled from.
func VersionOf(y *schoolyear.SchoolYear) string {
	return fmt.Sprintf("%d.%d", y.CatalogVersion, y.PolicyVersion)
}
