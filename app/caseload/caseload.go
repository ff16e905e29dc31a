package caseload

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"rubricon/app/actor"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/caseload"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Filter chooses students of a caseload. What is empty chooses all.
type Filter struct {
	All       bool // of the school, rather than the reader's own
	Stage     caseload.Stage
	Reason    caseload.Reason
	Grade     int // the one entered; -1: any
	Program   string
	Course    string // a code: on the sheet, as a request or an alternate
	Counselor string // an id
	Text      string // words of the name, the number or the receipt
}

// Caseload is a counselor's students by what they wait for.
type Caseload struct {
	Year   *schoolyear.SchoolYear
	Reader string // their name
	Mine   bool   // only the reader's own students
	Lines  []CaseLine
	Counts Counts
}

// Counts are how many students a choice of each kind would list, next to what is chosen of the other kinds.
// Choosing a stage drops the reason and the text that were chosen, and choosing a reason drops the stage; so
// the counts of stages are of whatever reason and text, those of reasons of whatever stage.
type Counts struct {
	All        int // with the course and the text that are chosen
	Waiting    int // of the whole caseload, whatever is chosen: they wait for the school
	Ready      int // of the whole caseload: they can be approved now
	Stages     map[caseload.Stage]int
	Reasons    map[caseload.Reason]int
	Grades     map[int]int
	Programs   map[string]int
	Counselors []CounselorCount // by name
}

// CounselorCount is how many students a counselor has.
type CounselorCount struct {
	ID, Name string
	Students int
}

// CaseLine is one student of a caseload.
type CaseLine struct {
	*store.HeadRow
	Stage   caseload.Stage
	Waits   []CaseWait // the school's first
	Approve acts.Answer

	found *foundSheet
}

// Ready reports whether the reader can approve the requests at once: they are signed, and nothing waits for a person.
func (l *CaseLine) Ready() bool { return l.Stage == caseload.Complete && l.Approve.Allowed }

// Window is when the sheet is open.
func (l *CaseLine) Window() acts.Window { return appsheet.WindowOf(&l.Pupil) }

// CaseWait is one reason for which a student's sheet waits.
type CaseWait struct {
	caseload.Wait
	Text string // what the family says or asks
}

// foundSheet is the judgment of a sheet in one version, with the courses on it.
type foundSheet struct {
	caseload.Found
	claims map[int32]string // what is said of the course that an open claim is about
	on     []int32
}

// Caseload lists the students of the reader, or of the whole school, each with where the sheet is and all it
// waits for: those that a filter chooses. The longest waiting come first.
func (s *Service) Caseload(ctx context.Context, by int64, school string, year int, f Filter) (*Caseload, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	counselor := a.ID
	if f.All || !a.Counsels {
		counselor = ""
	}
	heads, err := s.base.DB.Queries().Caseload.Heads(ctx, school, year, counselor)
	if err != nil {
		return nil, err
	}
	found, err := s.found(ctx, y, a, heads)
	if err != nil {
		return nil, err
	}
	contested, err := s.contested(ctx, y)
	if err != nil {
		return nil, err
	}
	out := &Caseload{Year: y, Reader: a.Name().Name, Mine: counselor != "", Lines: make([]CaseLine, 0, len(heads))}
	lines, now := make([]CaseLine, len(heads)), s.base.Now()
	for i := range heads {
		lines[i] = caseLine(y, a, &heads[i], found[i], contested, now)
	}
	out.choose(lines, &f)
	return out, nil
}

// found reports what was found of sheets, working out what is not cached.
func (s *Service) found(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, heads []store.HeadRow) ([]*foundSheet, error) {
	return appsheet.OfMany(ctx, s.ports.Sheet, y, a, heads, s.foundBefore, func(k appsheet.FoundKey) appsheet.FoundKey { return k }, findOn)
}

// findOn finds everything that the sheet on a desk can wait for.
func findOn(d *appsheet.Desk) *foundSheet {
	d.Judge(0)
	out := &foundSheet{claims: map[int32]string{}}
	out.Found = caseload.Find(d.Known.Facts, &d.Sheet, d.Judgement, d.Todo, d.HandedIn(), d.Year.Zone())
	out.Changed, out.Complete, out.Ready = d.Changed, d.Complete, d.Ready
	out.Begun, out.Clash = out.Begun || len(d.Gone) > 0, d.Clash()
	for _, course := range out.Claims {
		if claim := claimFor(d, course); claim != nil {
			out.claims[course] = claim.Note
		}
	}
	for _, e := range slices.Concat(d.Sheet.Requests, d.Sheet.Alternates, d.Sheet.Summer) {
		out.on = append(out.on, e.Course)
	}
	return out
}

// Started reports whether the family has begun.
func Started(d *appsheet.Desk) bool {
	return caseload.Started(acts.State(d.Row.State), d.Row.Begun, caseload.Begun(d.Known.Facts, &d.Sheet) || len(d.Gone) > 0)
}

// contested reports by course whether more ask for it than there are seats.
func (s *Service) contested(ctx context.Context, y *schoolyear.SchoolYear) ([]bool, error) {
	seats, err := s.base.DB.Queries().Caseload.Seats(ctx, y.School, y.Start)
	if err != nil || len(seats) == 0 {
		return nil, err
	}
	asked, err := s.base.DB.Queries().Caseload.Asked(ctx, y.School, y.Start)
	if err != nil {
		return nil, err
	}
	byCourse := func(list []store.CourseCount) map[int32]int {
		out := map[int32]int{}
		for _, x := range list {
			if course, ok := y.Index(x.Course); ok {
				out[course] += x.N
			}
		}
		return out
	}
	return caseload.Contest(y.Year, byCourse(asked), byCourse(seats)), nil
}

// caseLine reports where a sheet is and what it waits for.
func caseLine(y *schoolyear.SchoolYear, a *actor.Actor, h *store.HeadRow, found *foundSheet, contested []bool, now time.Time) CaseLine {
	c := caseload.Case{Found: &found.Found, State: acts.State(h.State), Before: acts.State(h.Before), Touched: h.Begun,
		Asked: h.Asked != "", Window: appsheet.WindowOf(&h.Pupil),
		Guardians: h.Guardians, Contested: contested, Now: now, AskedAt: schoolyear.Moment(h.AskedAt),
		RemarkAt: schoolyear.Moment(h.RemarkAt), LostAt: schoolyear.Moment(h.LostAt), ChangedAt: schoolyear.Moment(h.ChangedAt),
		SubmittedAt: schoolyear.Moment(h.SubmittedAt), ClearedAt: schoolyear.Moment(h.ClearedAt)}
	l := CaseLine{HeadRow: h, found: found}
	stage, waits := caseload.Of(&c)
	l.Stage = stage
	for _, w := range waits {
		wait := CaseWait{Wait: w}
		switch w.Reason {
		case caseload.Claim:
			wait.Text = found.claims[w.Courses[0]]
		case caseload.Asked:
			wait.Text = h.Asked
			if course, ok := y.Index(h.AskedCourse); ok {
				wait.Courses = []int32{course}
			}
		}
		l.Waits = append(l.Waits, wait)
	}
	may := acts.Of(&acts.Case{Relation: a.To(h.Student), State: c.State, Before: c.Before, Changed: found.Changed,
		Window: c.Window, Now: now, Settings: y.Policy.Settings, Guardians: h.Guardians,
		Asked: c.Asked, Complete: found.Complete, Ready: found.Ready})
	l.Approve = may[acts.Approve]
	return l
}

// choose keeps the lines that a filter chooses, and counts.
func (c *Caseload) choose(lines []CaseLine, f *Filter) {
	words := strings.Fields(strings.ReplaceAll(text.Fold(f.Text), ",", " "))
	course, known := c.Year.Index(f.Course)
	n := &c.Counts
	n.Stages, n.Reasons, n.Grades, n.Programs = map[caseload.Stage]int{}, map[caseload.Reason]int{}, map[int]int{}, map[string]int{}
	counselors := map[string]*CounselorCount{}
	for i := range lines {
		l := &lines[i]
		if l.Stage == caseload.Waiting {
			n.Waiting++
		}
		if l.Ready() {
			n.Ready++
		}
		if f.Course != "" && !(known && slices.Contains(l.found.on, course)) {
			continue
		}
		stage := f.Stage == "" || l.Stage == f.Stage
		reason := f.Reason == "" || slices.ContainsFunc(l.Waits, func(w CaseWait) bool { return w.Reason == f.Reason })
		grade := f.Grade < 0 || l.Grade == f.Grade
		program := f.Program == "" || slices.Contains(l.Programs.V, f.Program)
		counselor := f.Counselor == "" || l.Counselor == f.Counselor
		if grade && program && counselor {
			n.Stages[l.Stage]++
		}
		if !named(l, words) {
			continue
		}
		if grade && program && counselor {
			for _, w := range l.Waits {
				n.Reasons[w.Reason]++
			}
		}
		if stage && reason && program && counselor {
			n.Grades[l.Grade]++
		}
		if stage && reason && grade && counselor {
			for _, p := range l.Programs.V {
				n.Programs[p]++
			}
		}
		if stage && reason && grade && program && l.Counselor != "" {
			if counselors[l.Counselor] == nil {
				counselors[l.Counselor] = &CounselorCount{ID: l.Counselor, Name: l.CounselorName}
			}
			counselors[l.Counselor].Students++
		}
		if n.All++; stage && reason && grade && program && counselor {
			c.Lines = append(c.Lines, *l)
		}
	}
	for _, x := range counselors {
		n.Counselors = append(n.Counselors, *x)
	}
	slices.SortFunc(n.Counselors, func(a, b CounselorCount) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.ID, b.ID)) })
	slices.SortStableFunc(c.Lines, func(a, b CaseLine) int { return oldest(&a, f.Reason).Compare(oldest(&b, f.Reason)) })
}

// oldest is since when a student waits, for a reason where one is given; those who wait for nothing come last.
func oldest(l *CaseLine, reason caseload.Reason) time.Time {
	never := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	out := never
	for _, w := range l.Waits {
		if (reason == "" || w.Reason == reason) && !w.Since.IsZero() && w.Since.Before(out) {
			out = w.Since
		}
	}
	return out
}

func named(l *CaseLine, words []string) bool {
	if len(words) == 0 {
		return true
	}
	name := text.Fold(l.GivenName + " " + l.FamilyName + " " + l.Student)
	if l.Receipt != nil { // as a form signed on paper has it
		name += " " + text.Fold(*l.Receipt)
	}
	return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(name, w) })
}

// claimFor returns the open claim that a course's condition waits for.
func claimFor(d *appsheet.Desk, course int32) *schoolyear.Claim {
	for _, proof := range d.Known.Explain(&d.Sheet, course) {
		if proof.Signal < 0 || d.Known.Signals[proof.Signal].Kind != sheet.Claim {
			continue
		}
		for i := range d.Known.Claims {
			if d.Known.Claims[i].ID == d.Known.SignalIDs[proof.Signal] {
				return &d.Known.Claims[i]
			}
		}
	}
	return nil
}

// SavedView is a filter of the caseload that someone keeps by name, as an address writes it: keys and values in turn.
type SavedView struct {
	Name   string
	Filter []string
}

// maxViews bounds what one person keeps.
const maxViews = 30

// SavedViews lists what the reader keeps.
func (s *Service) SavedViews(ctx context.Context, by int64, school string, year int) ([]SavedView, error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Caseload.SavedViews(ctx, school, a.ID)
	var list []SavedView
	for _, r := range rows {
		list = append(list, SavedView{r.Name, r.Filter.V})
	}
	return list, err
}

// SaveView keeps a filter by name, in place of one that has it. The errors are NeedsName and AtLimit.
func (s *Service) SaveView(ctx context.Context, by int64, school string, year int, v SavedView) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return err
	}
	if v.Name = text.Tidy(v.Name); v.Name == "" {
		return problem.New(problem.NeedsName)
	}
	row := store.SavedView{Name: v.Name}
	row.Filter.V = append([]string{}, v.Filter...)
	return s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Serialize(ctx, "views", school, a.ID); err != nil {
			return err
		}
		kept, err := q.Caseload.SaveView(ctx, school, a.ID, row, s.base.Now(), maxViews)
		if err == nil && !kept {
			err = problem.New(problem.AtLimit)
		}
		return err
	})
}

// DropView forgets a filter that the reader keeps.
func (s *Service) DropView(ctx context.Context, by int64, school string, year int, name string) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return err
	}
	return s.base.DB.Queries().Caseload.DropView(ctx, school, a.ID, text.Tidy(name))
}
