package web

import (
	"fmt"
	"slices"

	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/school"
)

// newCatalog shows a school year, its texts in a language as far as the school has them in it.
func newCatalog(y *school.SchoolYear, language string) *Catalog {
	set := &y.Policy.Settings
	c := &Catalog{School: y.School, Name: y.Name, Year: y.Start, Label: y.Year.Policy.SchoolYear, Version: versionOf(y), Periods: y.Capacity, Terms: y.Terms,
		Courses: []Course{}, Rules: []Rule{}, Audits: []AuditHead{}, Language: set.Language, Languages: set.Languages, Zone: set.TimeZone, Currency: set.Currency,
		Exchange: !set.NoExchange, Contacts: []Contact{}, Stages: []Stage{}, Welcome: []WelcomeWords{}, Commitments: []CommitmentText{}, Errands: []ErrandText{}}
	if set.One.Own != "" {
		c.Unit = &Unit{set.One.In(language), set.Many.In(language)}
	}
	for i := range y.Courses {
		c.Courses = append(c.Courses, newCourse(&y.Courses[i], language))
	}
	for i := range y.Rules {
		r := &y.Rules[i]
		rule := Rule{ID: r.ID, Label: policy.Text{Own: r.Label, By: r.Labels}.In(language), On: string(r.On), Measure: string(r.Measure), Stance: string(r.Stance), Courses: []string{}}
		for k := range y.Courses {
			if r.Count.Has(int32(k)) {
				rule.Courses = append(rule.Courses, y.Courses[k].Code)
			}
		}
		if len(rule.Courses) == len(y.Courses) {
			rule.Courses = []string{}
		}
		c.Rules = append(c.Rules, rule)
	}
	for i := range y.Audits {
		a := y.Audits[i]
		head := AuditHead{ID: a.ID, Label: policy.Text{Own: a.Label, By: a.Labels}.In(language), Entries: []AuditLabel{}}
		for e := range a.Entries {
			entry := &a.Entries[e]
			head.Entries = append(head.Entries, AuditLabel{entry.ID, policy.Text{Own: entry.Label, By: entry.Labels}.In(language)})
		}
		c.Audits = append(c.Audits, head)
	}
	for _, x := range set.Contacts {
		c.Contacts = append(c.Contacts, Contact(x))
	}
	for _, x := range set.Stages {
		c.Stages = append(c.Stages, Stage{x.From, x.Text.In(language)})
	}
	for _, x := range y.Policy.Welcome {
		c.Welcome = append(c.Welcome, WelcomeWords{append([]int{}, x.Grades...), x.Text.In(language)})
	}
	for i := range y.Commitments {
		c.Commitments = append(c.Commitments, CommitmentText{y.Commitments[i].ID, y.Commitments[i].Text.In(language)})
	}
	for i := range y.Errands {
		e := &y.Errands[i]
		c.Errands = append(c.Errands, ErrandText{e.Kind, e.Title, e.Due, e.Place, e.Note, codes(y.Year, e.Becomes)})
	}
	return c
}

func versionOf(y *school.SchoolYear) string {
	return fmt.Sprintf("%d.%d", y.CatalogVersion, y.PolicyVersion)
}

func newCourse(c *catalog.Compiled, language string) Course {
	text := c.TextIn(language)
	out := Course{Code: c.Code, Title: text.Title, Subject: c.Subjects[0], Subjects: c.Subjects, Grades: c.Grades, Credits: c.Credits, Load: c.Load,
		VariantOf: c.VariantOf, LeadsTo: c.LeadsTo, Tags: c.Tags, Fee: c.Fee, Description: text.Description, Note: text.Note, Links: c.Course.Links,
		Summer: c.Summer, Words: c.Synonyms, Usual: c.Usual}
	if out.Grades == nil {
		out.Grades = []int{}
	}
	for _, s := range c.Spans {
		out.Spans = append(out.Spans, positions(s))
	}
	if c.Entry != nil {
		out.Entry = c.Entry.String()
	}
	return out
}

func positions(s catalog.TermSet) []int {
	list := []int{}
	for i := 0; s>>i != 0; i++ {
		if s>>i&1 == 1 {
			list = append(list, i)
		}
	}
	return list
}

// newSheet shows a desk.
func newSheet(d *school.Desk) *SheetView {
	y := d.Year.Year
	v := &SheetView{School: d.Row.School, Year: d.Row.Year, Version: d.Row.Version, Judged: fmt.Sprintf("%s.%d", versionOf(d.Year), d.Row.Facts), Beyond: d.Judgement == nil,
		Student: Student{d.Row.Student, d.Pupil.GivenName, d.Pupil.FamilyName, d.Row.Grade, d.Pupil.CounselorName, d.Pupil.Guardians},
		Status:  newStatus(d), Acts: newActs(&d.Acts), Todo: todos(d), Requests: []Entry{}, Alternate: []Entry{}, Rules: []RuleState{}, Audits: []AuditState{}, Fees: d.Fees(),
		Summer: []Entry{}, Errands: []Errand{},
		Packing: Packing{Loads: make([]credit.Amount, len(y.Terms))}}
	v.Agree.Student, v.Agree.Guardian = d.Agree()
	if v.Fees == nil {
		v.Fees = []string{}
	}
	if d.Judgement != nil {
		v.Packing = Packing{Fits: d.Judgement.Packing.Fits(), Overload: d.Judgement.Packing.Overload, Loads: d.Judgement.Packing.Loads}
		if !v.Packing.Fits {
			v.Packing.Fill = codes(y, d.Known.Overfilled(&d.Sheet))
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
			a.Entries = append(a.Entries, AuditEntry{y.Audits[i].Entries[e].ID, x.Need, x.Earned, x.InProgress, x.Requested, x.Short, x.Late})
		}
		v.Audits = append(v.Audits, a)
	}
	return v
}

func (v *SheetView) requests(d *school.Desk) {
	y := d.Year.Year
	covers := d.Cover()
	for i, r := range d.Sheet.Requests {
		e := newEntry(d, r.Course)
		e.Rank, e.Terms = i+1, positions(y.Courses[r.Course].Spans[0])
		if d.Judgement != nil {
			found := &d.Judgement.Requests[i]
			e.Terms = positions(d.Judgement.Packing.Spans[i])
			e.stand(found)
			e.waived(d.Known, found.Waiver)
		}
		if covers != nil {
			e.Covered, e.Mend = covers[i].Covered, codes(y, covers[i].Mend)
			for _, rule := range covers[i].Short {
				e.Short = append(e.Short, y.Rules[rule].ID)
			}
		}
		v.Requests = append(v.Requests, e)
	}
}

// summer shows the requests for the summer, and what is to be done outside the sheet.
func (v *SheetView) summer(d *school.Desk) {
	for i, r := range d.Sheet.Summer {
		e := newEntry(d, r.Course)
		e.Rank, e.Terms, e.Covered = i+1, []int{}, true
		if d.Judgement != nil {
			e.stand(&d.Judgement.Summer[i])
			e.waived(d.Known, d.Judgement.Summer[i].Waiver)
		}
		v.Summer = append(v.Summer, e)
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

func (v *SheetView) alternates(d *school.Desk) {
	y := d.Year.Year
	standing := d.Known.Standing(&d.Sheet)
	for i, a := range d.Sheet.Alternates {
		e := newEntry(d, a.Course)
		e.Rank, e.Terms = i+1, positions(y.Courses[a.Course].Spans[0])
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
	e.Entry, e.Repeat, e.Barred, e.Mark = verdict(r.HasEntry, r.Entry), r.Repeat, r.Barred, string(r.Mark())
}

// waived tells who waived the condition, by the place of the signal, and why; -1: nobody did.
func (e *Entry) waived(k *school.Known, signal int) {
	if signal >= 0 {
		e.WaivedBy, e.WaivedNote = k.Said[signal], k.Signals[signal].Note
	}
}

func verdict(has bool, v condition.Verdict) string {
	if !has {
		return "none"
	}
	return v.String()
}

func newStatus(d *school.Desk) Status {
	r := &d.Row
	st := Status{State: r.State, Changed: d.Changed, HandedIn: d.HandedIn(), Next: string(d.Next), KeptAt: r.ChangedAt, SubmittedAt: r.SubmittedAt, ClearedAt: r.ClearedAt,
		Message: r.Message, Asked: r.Asked, Signatures: []Signature{}}
	if r.Receipt != nil {
		st.Receipt = *r.Receipt
	}
	if acts.State(r.State).HandedIn() {
		for _, x := range r.Signatures.V {
			st.Signatures = append(st.Signatures, Signature{x.Name, x.At, x.ForFamily})
		}
	}
	if w := d.Window(); !w.Opens.IsZero() {
		st.Window = &Window{w.Opens, w.Families, w.Counselors, d.Year.Policy.Settings.TimeZone}
	}
	return st
}

func newAct(a acts.Answer) Act { return Act{a.Allowed, string(a.Why), a.Reason} }

func newActs(a *acts.Answers) Acts {
	return Acts{newAct(a[acts.Edit]), newAct(a[acts.Undo]), newAct(a[acts.Submit]), newAct(a[acts.Sign]), newAct(a[acts.Ask]), newAct(a[acts.Look]),
		newAct(a[acts.Decide]), newAct(a[acts.SendBack]), newAct(a[acts.Clear]), newAct(a[acts.Reopen])}
}

// newEntry shows what is known of a course on the sheet, wherever it stands.
func newEntry(d *school.Desk, course int32) Entry {
	y, k := d.Year.Year, d.Known
	e := Entry{Course: y.Codes[course], Entry: "none", Mark: string(sheet.Settled), Retake: k.Retake(course)}
	e.Assigned, e.Fixed = k.Assigned(course)
	e.Fixed = e.Fixed || e.Assigned && y.Policy.Settings.NoExchange
	for i := range k.Signals {
		if x := &k.Signals[i]; x.Kind == sheet.Recommendation && x.Code == e.Course {
			e.Recommends = k.Said[i]
			break
		}
	}
	for _, proof := range k.Explain(&d.Sheet, course) {
		e.Needs = append(e.Needs, newProof(k, &proof))
		for i := range k.Claims {
			if claim := &k.Claims[i]; claim.About(proof.Leaf, e.Course) {
				e.Claims = append(e.Claims, Claim(*claim))
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

func newNeed(y *catalog.Year, l *condition.Leaf) Need {
	n := Need{Kind: l.Kind.String(), Name: l.Name}
	if l.HasAt {
		n.At = &l.At
	}
	if i, ok := y.Index(l.Name); ok && (l.Kind == condition.Passed || l.Kind == condition.Alongside) {
		n.Title = y.Courses[i].Title
	}
	return n
}

func newProof(k *school.Known, e *sheet.Evidence) Proof {
	p := Proof{Need: newNeed(k.Year, e.Leaf), Verdict: e.Verdict.String(), Open: e.Verdict < condition.Expected}
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
func newEffects(e *school.Effects) *EffectsView {
	y := e.Desk.Year.Year
	v := &EffectsView{Version: e.Desk.Row.Version, Effects: make([]Effect, 0, len(e.Effects)), Mends: []RuleMend{}, Room: sheet.Room(y, e.Effects)}
	for i := range e.Effects {
		v.Effects = append(v.Effects, newEffect(e.Desk, &e.Effects[i]))
	}
	if e.Desk.Judgement == nil {
		return v
	}
	for _, r := range e.Desk.Judgement.Rules {
		if r.Holds {
			continue
		}
		if mends := codes(y, sheet.Mends(y, e.Effects, r.Rule)); len(mends) > 0 {
			v.Mends = append(v.Mends, RuleMend{y.Rules[r.Rule].ID, mends[:min(len(mends), 12)]})
		}
	}
	return v
}

func newEffect(d *school.Desk, e *sheet.Effect) Effect {
	y := d.Year.Year
	out := Effect{Course: y.Codes[e.Course], Refused: string(school.EditCode(e.Refused)), Offered: y.Courses[e.Course].Offers(d.Row.Grade), Entry: verdict(e.HasEntry, e.Entry),
		Barred: e.Barred, Earned: e.Earned, Repeat: e.Repeat, Retake: e.Retake, OK: e.Admissible, Shown: e.Admissible || e.HasEntry && e.Entry == condition.Unverified,
		Terms: positions(e.Span), Fits: e.Fits, Fill: codes(y, e.Fill), Swaps: codes(y, e.Swaps), With: codes(y, e.With), Recommended: d.Known.Recommended(e.Course),
		Weight: e.Weight(y)}
	for _, l := range e.Missing {
		out.Missing = append(out.Missing, newNeed(y, l))
	}
	for _, r := range e.Rules {
		does := "nearer"
		if r.Held != r.Holds {
			if does = "breaks"; r.Holds {
				does = "completes"
			}
		}
		out.Rules = append(out.Rules, RuleChange{y.Rules[r.Rule].ID, r.Before, r.After, does})
	}
	return out
}

func codes(y *catalog.Year, list []int32) []string {
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
func todos(d *school.Desk) []Todo {
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

// newCaseload shows a caseload.
func newCaseload(c *school.Caseload) *CaseloadView {
	v := &CaseloadView{School: c.Year.School, Year: c.Year.Start, Name: c.Reader, Mine: c.Mine, Students: make([]CaseRow, 0, len(c.Lines))}
	for i := range c.Lines {
		l := &c.Lines[i]
		v.Students = append(v.Students, CaseRow{ID: l.Row.Student, Given: l.Pupil.GivenName, Family: l.Pupil.FamilyName, Grade: l.Row.Grade, Stage: l.Stage, Reason: l.Reason,
			Course: l.Course, Text: l.Text, Since: l.Row.SubmittedAt, Version: l.Row.Version, Acts: CaseActs{Clear: newAct(l.Acts[acts.Clear])}})
	}
	return v
}

// newMe shows who is signed in.
func newMe(me *school.Me) *MeView {
	v := &MeView{Username: me.Username, Language: me.Language, Persons: []PersonView{}}
	for _, p := range me.Persons {
		out := PersonView{School: p.School, Name: p.SchoolName, ID: p.ID, Given: p.GivenName, Family: p.FamilyName, Job: p.Job, Language: p.Language, Year: p.Year,
			Years: append([]int{}, p.Years...), Children: []ChildView{}}
		for _, c := range p.Children {
			out.Children = append(out.Children, ChildView{c.ID, c.Given, c.Family, c.Grade, c.Year, append([]int{}, c.Years...)})
		}
		v.Persons = append(v.Persons, out)
	}
	return v
}
