package school

import (
	"time"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// SheetView is a whole judged sheet: what is asked for, what the school will check, and what is still to do.
type SheetView struct {
	School    string       `json:"school"`
	Student   Student      `json:"student"`
	Version   int64        `json:"version"`
	Catalog   int64        `json:"catalog" doc:"The version of the catalog it was judged by"`
	Status    Status       `json:"status"`
	Requests  []Entry      `json:"requests"`
	Alternate []Entry      `json:"alternates"`
	Rules     []RuleState  `json:"rules" doc:"Those in force, in the policy's order"`
	Packing   Packing      `json:"packing"`
	Todo      []Todo       `json:"todo" doc:"What keeps the sheet from being submitted or cleared"`
	Audits    []AuditState `json:"audits"`
	CanUndo   bool         `json:"canUndo"`
}

// Student is whose sheet it is.
type Student struct {
	ID        string `json:"id"`
	Given     string `json:"given"`
	Family    string `json:"family"`
	Grade     int    `json:"grade" doc:"The grade being entered"`
	Counselor string `json:"counselor,omitempty"`
	Guardians int    `json:"guardians" doc:"How many are on file"`
}

// Status is the one truthful state of a sheet.
type Status struct {
	State       string     `json:"state" enum:"inProgress,submitted,signed,cleared,sentBack"`
	Changed     bool       `json:"changed" doc:"Changed since it was submitted: the school still has what was submitted"`
	KeptAt      *time.Time `json:"keptAt,omitempty"`
	SubmittedAt *time.Time `json:"submittedAt,omitempty"`
	Receipt     string     `json:"receipt,omitempty"`
	SignedAt    *time.Time `json:"signedAt,omitempty"`
	SignedBy    string     `json:"signedBy,omitempty"`
	ClearedAt   *time.Time `json:"clearedAt,omitempty"`
	Message     string     `json:"message,omitempty" doc:"Why it was sent back"`
	Asked       string     `json:"asked,omitempty" doc:"What the family asks to change"`
	Window      *Window    `json:"window,omitempty" doc:"Absent where the school has set none"`
	Open        bool       `json:"open" doc:"The student may change and submit it now"`
	CanSubmit   bool       `json:"canSubmit" doc:"All that is still to do waits for a counselor"`
}

// Window is when a sheet is open.
type Window struct {
	Opens      time.Time `json:"opens"`
	Families   time.Time `json:"families" doc:"Closes for students and families"`
	Counselors time.Time `json:"counselors" doc:"Closes for counselors"`
	Zone       string    `json:"zone" doc:"IANA time zone in which the school reads these times"`
}

// Entry is a course on the sheet.
type Entry struct {
	Course     string   `json:"course"`
	Rank       int      `json:"rank"`
	StandsFor  string   `json:"standsFor,omitempty"`
	Terms      []int    `json:"terms" doc:"Positions of the terms it is laid into"`
	Entry      string   `json:"entry" enum:"none,unmet,unverified,expected,met"`
	Needs      []Proof  `json:"needs,omitempty" doc:"Its entry condition, leaf by leaf, with the evidence"`
	WaivedBy   string   `json:"waivedBy,omitempty"`
	Repeat     bool     `json:"repeat,omitempty"`
	Barred     bool     `json:"barred,omitempty"`
	Retake     bool     `json:"retake,omitempty"`
	Assigned   bool     `json:"assigned,omitempty"`
	Fixed      bool     `json:"fixed,omitempty"`
	Recommends string   `json:"recommends,omitempty" doc:"Who recommends it"`
	Covered    bool     `json:"covered,omitempty" doc:"If it cannot be given, the year still holds"`
	Mend       []string `json:"mend,omitempty" doc:"The alternates that would then come in"`
	Short      []string `json:"short,omitempty" doc:"The rules that would then not hold"`
	Claims     []Claim  `json:"claims,omitempty"`
	Exchange   []string `json:"exchange,omitempty" doc:"Courses it may be exchanged for"`
}

// Proof is one need with what it rests on.
type Proof struct {
	Need
	Verdict string         `json:"verdict" enum:"unmet,unverified,expected,met"`
	Mark    *credit.Amount `json:"mark,omitempty"`
	Year    string         `json:"year,omitempty"`
	Outcome string         `json:"outcome,omitempty"`
	From    string         `json:"from,omitempty" doc:"The title of the course on record"`
	By      string         `json:"by,omitempty" doc:"Who says so"`
	Value   *credit.Amount `json:"value,omitempty"`
}

// Claim is a family's statement that something is met elsewhere.
type Claim struct {
	ID     int64  `json:"id"`
	Course string `json:"course,omitempty"`
	Name   string `json:"name,omitempty"`
	By     string `json:"by,omitempty"`
	Note   string `json:"note,omitempty"`
}

// RuleState is a rule in force with its measure.
type RuleState struct {
	ID       string         `json:"id"`
	Measured credit.Amount  `json:"measured"`
	Min      *credit.Amount `json:"min,omitempty"`
	Max      *credit.Amount `json:"max,omitempty"`
	Holds    bool           `json:"holds"`
}

// Packing is how the requests are laid into the terms.
type Packing struct {
	Fits     bool            `json:"fits"`
	Overload credit.Amount   `json:"overload"`
	Loads    []credit.Amount `json:"loads" doc:"Periods a day, by term"`
	Fill     []string        `json:"fill,omitempty" doc:"Where it does not fit: the fewest requests that overfill a term"`
}

// Todo is one thing still to do.
type Todo struct {
	Kind    string        `json:"kind" enum:"ruleShort,ruleOver,entry,link,repeat,barred,overload"`
	Rule    string        `json:"rule,omitempty"`
	Course  string        `json:"course,omitempty"`
	Needs   string        `json:"needs,omitempty"`
	Verdict string        `json:"verdict,omitempty"`
	Amount  credit.Amount `json:"amount,omitempty"`
}

// AuditState is one list of requirements.
type AuditState struct {
	ID      string       `json:"id"`
	Entries []AuditEntry `json:"entries"`
}

// AuditEntry is how far one requirement is.
type AuditEntry struct {
	ID         string        `json:"id"`
	Need       credit.Amount `json:"need"`
	Earned     credit.Amount `json:"earned"`
	InProgress credit.Amount `json:"inProgress"`
	Requested  credit.Amount `json:"requested"`
	Short      credit.Amount `json:"short"`
	Late       bool          `json:"late,omitempty"`
}

// EffectsView is what adding each course would do to a sheet in one version of it.
type EffectsView struct {
	Version int64      `json:"version" doc:"The version of the sheet"`
	Effects []Effect   `json:"effects" doc:"For each course not requested"`
	Mends   []RuleMend `json:"mends" doc:"For each rule that does not hold and that some course would mend"`
}

// RuleMend is what would mend a rule that does not hold.
type RuleMend struct {
	Rule    string   `json:"rule"`
	Courses []string `json:"courses" doc:"At most 12, best first"`
}

// Effect is what adding a course would do.
type Effect struct {
	Course  string       `json:"course"`
	Entry   string       `json:"entry" enum:"none,unmet,unverified,expected,met"`
	Missing []Need       `json:"missing,omitempty"`
	Barred  bool         `json:"barred,omitempty"`
	Earned  bool         `json:"earned,omitempty"`
	Repeat  bool         `json:"repeat,omitempty"`
	Retake  bool         `json:"retake,omitempty"`
	OK      bool         `json:"ok,omitempty" doc:"It could be submitted, as far as the course itself goes"`
	Terms   []int        `json:"terms"`
	Fits    bool         `json:"fits,omitempty"`
	Fill    []string     `json:"fill,omitempty"`
	Swaps   []string     `json:"swaps,omitempty"`
	With    []string     `json:"with,omitempty"`
	Rules   []RuleChange `json:"rules,omitempty"`
	Feeds   []Feed       `json:"feeds,omitempty"`

	Recommended bool `json:"recommended,omitempty"`
}

// RuleChange is a rule whose result an addition changes.
type RuleChange struct {
	Rule  string        `json:"rule"`
	From  credit.Amount `json:"from"`
	To    credit.Amount `json:"to"`
	Held  bool          `json:"held"`
	Holds bool          `json:"holds"`
}

// Feed is a requirement that an addition brings credits to.
type Feed struct {
	Audit   string        `json:"audit"`
	Entry   string        `json:"entry"`
	Credits credit.Amount `json:"credits"`
}

// judged is a sheet with all that was found of it.
type judged struct {
	sheet     sheet.Sheet
	judgement *sheet.Judgement
	todo      []sheet.Todo
}

func judge(k *known, entries []store.EntryRow) (*judged, error) {
	j := &judged{sheet: laid(k.Year, entries)}
	var err error
	if j.judgement, err = k.Judge(&j.sheet); err != nil {
		return nil, problem(TooComplex, "the sheet cannot be judged: %v", err)
	}
	j.todo = k.Todo(j.judgement)
	return j, nil
}

// submittable tells whether all that is open waits for a counselor, so that one open claim does not block the rest.
func (j *judged) submittable() bool {
	for _, t := range j.todo {
		if t.Kind != sheet.EntryOpen || t.Verdict != condition.Unverified {
			return false
		}
	}
	return true
}

func verdict(has bool, v condition.Verdict) string {
	if !has {
		return "none"
	}
	return v.String()
}

func (s *Service) status(sub *subject, j *judged) Status {
	st := Status{State: sub.State, KeptAt: sub.ChangedAt, SubmittedAt: sub.SubmittedAt, Receipt: sub.Receipt, SignedAt: sub.SignedAt, SignedBy: sub.SignedBy,
		ClearedAt: sub.ClearedAt, Message: sub.Message, Asked: sub.Asked, Changed: changedSince(&sub.SheetRow), CanSubmit: j.submittable()}
	if sub.Opens != nil {
		st.Window = &Window{*sub.Opens, *sub.FamiliesClose, *sub.CounselorsClose, sub.TimeZone}
		st.Open = s.checkOpen(sub) == nil
	}
	return st
}

func changedSince(sub *store.SheetRow) bool {
	return sub.SubmittedVersion > 0 && sub.State == "submitted" && sub.ContentVersion > sub.SubmittedVersion
}

// view judges the subject's sheet and shows all of it.
func (s *Service) view(sub *subject) (*SheetView, error) {
	k := sub.known
	j, err := judge(k, sub.Entries)
	if err != nil {
		return nil, err
	}
	covers, err := k.Cover(&j.sheet)
	if err != nil {
		return nil, problem(TooComplex, "the sheet cannot be judged: %v", err)
	}
	y := k.Year
	v := &SheetView{School: sub.School, Version: sub.Version, Catalog: sub.SchoolVersion, CanUndo: sub.Undoable > 0, Status: s.status(sub, j),
		Student: Student{sub.Student, sub.GivenName, sub.FamilyName, sub.Grade, sub.CounselorName, sub.Guardians},
		Todo:    todos(y, j.todo), Requests: make([]Entry, 0, len(j.sheet.Requests)), Alternate: make([]Entry, 0, len(j.sheet.Alternates)),
		Packing: Packing{Fits: j.judgement.Packing.Fits(), Overload: j.judgement.Packing.Overload, Loads: j.judgement.Packing.Loads}}
	if !v.Packing.Fits {
		v.Packing.Fill = codes(y, k.Overfilled(&j.sheet))
	}
	for i, r := range j.judgement.Requests {
		e := s.entry(k, j, r.Course)
		e.Rank, e.Terms = i+1, positions(j.judgement.Packing.Spans[i])
		e.Entry, e.Repeat, e.Barred = verdict(r.HasEntry, r.Entry), r.Repeat, r.Barred
		if r.Waiver >= 0 {
			e.WaivedBy = k.Signals[r.Waiver].By
		}
		e.Covered, e.Mend = covers[i].Covered, codes(y, covers[i].Mend)
		for _, rule := range covers[i].Short {
			e.Short = append(e.Short, y.Rules[rule].ID)
		}
		v.Requests = append(v.Requests, e)
	}
	standing := k.Standing(&j.sheet)
	for i, a := range j.sheet.Alternates {
		e := s.entry(k, j, a.Course)
		e.Rank, e.Terms = i+1, positions(y.Courses[a.Course].Spans[0])
		if a.StandsFor != sheet.Any {
			e.StandsFor = y.Codes[a.StandsFor]
		}
		e.Entry, e.Barred, e.Repeat = verdict(standing[i].HasEntry, standing[i].Entry), standing[i].Barred, standing[i].Repeat
		v.Alternate = append(v.Alternate, e)
	}
	v.Rules = make([]RuleState, 0, len(j.judgement.Rules))
	for _, r := range j.judgement.Rules {
		rule := &y.Rules[r.Rule]
		v.Rules = append(v.Rules, RuleState{ID: rule.ID, Measured: r.Measured, Min: rule.Min, Max: rule.Max, Holds: r.Holds})
	}
	v.Audits = make([]AuditState, 0, len(y.Audits))
	for i := range y.Audits {
		a := AuditState{ID: y.Audits[i].ID, Entries: []AuditEntry{}}
		for e, x := range k.Audit(i, &j.sheet) {
			a.Entries = append(a.Entries, AuditEntry{y.Audits[i].Entries[e].ID, x.Need, x.Earned, x.InProgress, x.Requested, x.Short, x.Late})
		}
		v.Audits = append(v.Audits, a)
	}
	return v, nil
}

// effectsView tells what adding each course would do to the subject's sheet.
func effectsView(sub *subject) (*EffectsView, error) {
	k := sub.known
	j, err := judge(k, sub.Entries)
	if err != nil {
		return nil, err
	}
	effects, err := k.Effects(&j.sheet)
	if err != nil {
		return nil, problem(TooComplex, "the sheet cannot be judged: %v", err)
	}
	v := &EffectsView{Version: sub.Version, Effects: make([]Effect, 0, len(effects)), Mends: []RuleMend{}}
	for i := range effects {
		e := newEffect(k.Year, &effects[i])
		e.Recommended = k.Recommended(effects[i].Course)
		v.Effects = append(v.Effects, e)
	}
	for _, r := range j.judgement.Rules {
		if r.Holds {
			continue
		}
		if mends := codes(k.Year, sheet.Mends(k.Year, effects, r.Rule)); len(mends) > 0 {
			v.Mends = append(v.Mends, RuleMend{k.Year.Rules[r.Rule].ID, mends[:min(len(mends), 12)]})
		}
	}
	return v, nil
}

// entry shows what is known of a course on the sheet, wherever it stands.
func (s *Service) entry(k *known, j *judged, course int32) Entry {
	y := k.Year
	e := Entry{Course: y.Codes[course], Entry: "none", Retake: k.Retake(course)}
	e.Assigned, e.Fixed = k.Assigned(course)
	for i := range k.Signals {
		if x := &k.Signals[i]; x.Kind == sheet.Recommendation && x.Code == e.Course {
			e.Recommends = x.By
			break
		}
	}
	for _, proof := range k.Explain(&j.sheet, course) {
		e.Needs = append(e.Needs, newProof(k, &proof))
		for _, claim := range k.claims {
			if claim.Course == proof.Leaf.Name || claim.Name != "" && claim.Name == proof.Leaf.Name || proof.Leaf.Kind == condition.Recommended && claim.Name == "recommended" && claim.Course == e.Course {
				e.Claims = append(e.Claims, claim)
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

func newProof(k *known, e *sheet.Evidence) Proof {
	p := Proof{Need: newNeed(k.Year, e.Leaf), Verdict: e.Verdict.String()}
	if e.Record >= 0 {
		r := &k.Records[e.Record]
		p.Year, p.Outcome, p.From = yearLabel(r.Year), string(r.Outcome), r.Title
		if r.HasMark {
			p.Mark = &r.Mark
		}
	}
	if e.Signal >= 0 {
		x := &k.Signals[e.Signal]
		p.By = x.By
		if x.Kind == sheet.ScoreOnFile {
			p.Value = &x.Value
		}
	}
	return p
}

func newEffect(y *catalog.Year, e *sheet.Effect) Effect {
	out := Effect{Course: y.Codes[e.Course], Entry: verdict(e.HasEntry, e.Entry), Missing: newNeeds(y, e.Missing), Barred: e.Barred, Earned: e.Earned, Repeat: e.Repeat,
		Retake: e.Retake, OK: e.Admissible, Terms: positions(e.Span), Fits: e.Fits, Fill: codes(y, e.Fill), Swaps: codes(y, e.Swaps), With: codes(y, e.With)}
	for _, r := range e.Rules {
		out.Rules = append(out.Rules, RuleChange{y.Rules[r.Rule].ID, r.Before, r.After, r.Held, r.Holds})
	}
	for _, f := range e.Fed {
		out.Feeds = append(out.Feeds, Feed{y.Audits[f.Audit].ID, y.Audits[f.Audit].Entries[f.Entry].ID, f.Credits})
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

func todos(y *catalog.Year, list []sheet.Todo) []Todo {
	out := make([]Todo, 0, len(list))
	for _, t := range list {
		todo := Todo{Kind: string(t.Kind), Amount: t.Amount}
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
	return out
}
