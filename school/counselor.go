package school

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"time"

	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Clear accepts what was submitted and signed. Where the family has asked for a change the reason is the answer to it.
func (s *Service) Clear(ctx context.Context, by int64, at Place, version int64, reason string) (*Desk, error) {
	return s.act(ctx, by, at, version, acts.Clear, reason, func(d *Desk) (*store.Change, error) {
		change := d.change("clear", tidy(reason), map[string]any{"submission": d.Row.Submission})
		change.State.State, change.State.ClearedAt = string(acts.Cleared), &d.now
		d.answerWish(&change.State, change.Reason)
		return change, nil
	})
}

// Reopen takes a clearance back: the sheet is signed again, and can be sent back or changed.
func (s *Service) Reopen(ctx context.Context, by int64, at Place, version int64, reason string) (*Desk, error) {
	return s.act(ctx, by, at, version, acts.Reopen, reason, func(d *Desk) (*store.Change, error) {
		change := d.change("reopen", tidy(reason), nil)
		change.State.State, change.State.ClearedAt = string(acts.Signed), nil
		return change, nil
	})
}

// Look agrees that the sheet, as it is, may be submitted, where the school wants a look before.
func (s *Service) Look(ctx context.Context, by int64, at Place, version int64) (*Desk, error) {
	return s.act(ctx, by, at, version, acts.Look, "", func(d *Desk) (*store.Change, error) {
		change := d.change("look", "", nil)
		change.State.Looked = &store.JSON[[]store.EntryRow]{V: d.Row.Entries}
		return change, nil
	})
}

// SendBack returns a sheet to the student with a message.
func (s *Service) SendBack(ctx context.Context, by int64, at Place, version int64, message string) (*Desk, error) {
	message = tidy(message)
	return s.act(ctx, by, at, version, acts.SendBack, "", func(d *Desk) (*store.Change, error) {
		if message == "" {
			return nil, problem(NeedsMessage)
		}
		change := d.change("sendBack", "", map[string]any{"message": message})
		change.State.State, change.State.Message, change.State.ClearedAt = string(acts.SentBack), message, nil
		d.answerWish(&change.State, message)
		return change, nil
	})
}

// answerWish settles what the family asks for, where it does; the wish stays to be read with its answer.
func (d *Desk) answerWish(state *store.SheetState, answer string) {
	if state.Asked != "" {
		state.Answered = &store.JSON[store.Answered]{V: store.Answered{Wish: state.Asked, Answer: answer, By: d.actor.name().Name, At: d.now}}
		state.Asked = ""
	}
}

// Decision is an answer to what a family says is met elsewhere, or a waiver.
type Decision struct {
	Version int64
	Answer  string         // confirm: the claim becomes a record; waive: the course's condition is met; decline: neither
	Claim   int64          // the claim's id; 0: the course's condition is waived
	Course  string         // the requested course whose condition it is
	Mark    *credit.Amount // confirm: the mark on the report
	Reason  string         // kept, and shown to the family
}

// Decide settles a claim, or waives a condition, with a reason.
func (s *Service) Decide(ctx context.Context, by int64, at Place, d Decision) (*Desk, error) {
	d.Reason = tidy(d.Reason)
	return s.act(ctx, by, at, d.Version, acts.Decide, d.Reason, func(desk *Desk) (*store.Change, error) {
		y := desk.Year.Year
		if _, ok := y.Index(d.Course); !ok {
			return nil, &Error{Code: NoCourse, Param: d.Course}
		}
		var claim *Claim
		for i := range desk.Known.Claims {
			if desk.Known.Claims[i].ID == d.Claim {
				claim = &desk.Known.Claims[i]
			}
		}
		settled := map[string]string{"confirm": "confirmed", "waive": "waived", "decline": "declined"}[d.Answer]
		if settled == "" {
			return nil, problem(BadAct)
		}
		if claim == nil && (d.Claim != 0 || d.Answer != "waive") {
			return nil, problem(NoClaim)
		}
		change := desk.change("decide", d.Reason, map[string]any{"answer": d.Answer, "course": d.Course, "claim": claim})
		if claim != nil {
			change.Settle = &store.Settlement{Claim: claim.ID, Answer: settled, Reason: d.Reason, By: desk.actor.name().Name}
		}
		var err error
		switch d.Answer {
		case "confirm":
			change.Record, err = transfer(y, at.Student, claim, d.Mark)
		case "waive":
			change.Signal = saidOf(at.Student, sheet.Waiver, d.Course, "", desk.actor.ID, d.Reason)
		}
		return change, err
	})
}

// Settling says of an errand that it is done, or that it is not after all.
type Settling struct {
	Version int64
	Course  string // that brings it along
	Kind    string // of the errand
	Done    bool
	Reason  string
}

// SettleErrand ticks off an errand of a course on the sheet, or takes that back, for whoever decides. The error is NotOnSheet where no
// such errand concerns the student, and NotSettledHere where what settles it is not a word of the school.
func (s *Service) SettleErrand(ctx context.Context, by int64, at Place, x Settling) (*Desk, error) {
	x.Reason = tidy(x.Reason)
	return s.act(ctx, by, at, x.Version, acts.Decide, x.Reason, func(d *Desk) (*store.Change, error) {
		errands := d.Known.Errands(&d.Sheet)
		i := slices.IndexFunc(errands, func(r sheet.ErrandResult) bool {
			e := &d.Year.Errands[r.Errand]
			return d.Year.Codes[r.Course] == x.Course && e.Kind == x.Kind
		})
		if i < 0 {
			return nil, problem(NotOnSheet)
		}
		found := &errands[i]
		if found.Settled == x.Done {
			return nil, problem(Code(acts.AlreadyDone))
		}
		kind := "errandOpen"
		if x.Done {
			kind = "errandDone"
		}
		change := d.change(kind, x.Reason, map[string]any{"course": x.Course, "errand": x.Kind})
		if x.Done {
			change.Signal = saidOf(at.Student, sheet.ErrandDone, x.Course, x.Kind, d.actor.ID, x.Reason)
			return change, nil
		}
		for i := range d.Known.Signals {
			if y := &d.Known.Signals[i]; y.Kind == sheet.ErrandDone && y.Code == x.Course && y.Name == x.Kind {
				change.Withdraw = append(change.Withdraw, d.Known.SignalIDs[i])
			}
		}
		if len(change.Withdraw) == 0 {
			return nil, problem(NotSettledHere)
		}
		return change, nil
	})
}

// transfer makes of a claim about a course a transfer record, dated in the year before the one being asked for.
func transfer(y *catalog.Year, student string, claim *Claim, mark *credit.Amount) (*store.RecordRow, error) {
	if claim.Course == "" {
		return nil, problem(NotACourse)
	}
	if mark != nil && (*mark < 0 || *mark > 100*credit.One) {
		return nil, problem(BadMark)
	}
	record := &store.RecordRow{Code: claim.Course, Year: y.Start - 1, Outcome: string(sheet.Transfer), Subjects: []string{}}
	if i, ok := y.Index(claim.Course); ok {
		c := &y.Courses[i]
		record.Title, record.Credits, record.Subjects = c.Title, int64(c.Credits), c.Subjects
	}
	text := ""
	if mark != nil {
		value := int64(*mark)
		record.Mark, text = &value, mark.String()
	}
	record.Cells = store.Cells{"student": student, "courseCode": claim.Course, "title": record.Title, "subject": strings.Join(record.Subjects, ","),
		"schoolYear": policy.YearLabel(record.Year), "credits": credit.Amount(record.Credits).String(), "mark": text, "outcome": record.Outcome}
	maps.DeleteFunc(record.Cells, func(_, cell string) bool { return cell == "" }) // as a file that is read has them
	return record, nil
}

// Caseload is a counselor's students by what they wait for.
type Caseload struct {
	Year   *SchoolYear
	Reader string // their name
	Mine   bool   // only the reader's own students
	Lines  []CaseLine
}

// CaseLine is one student of a caseload.
type CaseLine struct {
	*Desk
	Stage  string // notBegun, inProgress, withFamily, waiting, complete, cleared: where the sheet is
	Reason string // waiting: for what: claim, asked, retake, unmet, tooComplex
	Course string // the code it is about
	Text   string // what the family says or asks
	Also   string // what it asks beside that
}

// Caseload lists the students of the reader, or of the whole school, judged, each with what it waits for and why.
func (s *Service) Caseload(ctx context.Context, by int64, school string, year int, all bool) (*Caseload, error) {
	y, a, err := s.reader(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	counselor := a.ID
	if all || !a.Counsels {
		counselor = ""
	}
	list, err := s.db.Queries().Caseload(ctx, school, year, counselor)
	if err != nil {
		return nil, err
	}
	sheets := make([]*store.SheetRow, len(list))
	for i := range list {
		sheets[i] = &list[i].SheetRow
	}
	known, err := s.knownOf(ctx, y, sheets)
	if err != nil {
		return nil, err
	}
	out := &Caseload{Year: y, Reader: a.name().Name, Mine: counselor != "", Lines: make([]CaseLine, len(list))}
	now := s.now()
	for i := range list {
		d := &Desk{Row: list[i].SheetRow, Pupil: list[i].Pupil, Year: y, Known: known[i], actor: a, now: now}
		d.judge(0)
		out.Lines[i] = line(d)
	}
	return out, nil
}

// line tells where a sheet is and what it waits for.
func line(d *Desk) CaseLine {
	l := CaseLine{Desk: d}
	switch state := acts.State(d.Row.State); {
	case state == acts.Cleared || state == acts.Placed:
		l.Stage = "cleared"
		return l
	case d.Judgement == nil:
		l.Stage, l.Reason, l.Also = "waiting", "tooComplex", d.Row.Asked
		return l
	case state == acts.InProgress && !d.Row.Touched && d.Row.Asked == "" && onlyAssigned(d):
		l.Stage = "notBegun"
		return l
	case !d.HandedIn():
		l.Stage = "inProgress"
	case state == acts.Submitted && d.Pupil.Guardians > 0:
		l.Stage = "withFamily"
	default:
		l.Stage = "complete"
	}
	for _, t := range d.Todo {
		if !t.Waits() {
			continue
		}
		if claim := d.claimFor(t.Course); claim != nil {
			l.Stage, l.Reason, l.Course, l.Text, l.Also = "waiting", "claim", d.Year.Codes[t.Course], claim.Note, d.Row.Asked
			return l
		}
	}
	if d.Row.Asked != "" {
		l.Stage, l.Reason, l.Text = "waiting", "asked", d.Row.Asked
		return l
	}
	if l.Stage != "complete" {
		return l
	}
	for _, r := range d.Judgement.Requests {
		if d.Known.Retake(r.Course) {
			l.Stage, l.Reason, l.Course = "waiting", "retake", d.Year.Codes[r.Course]
			return l
		}
	}
	if !d.Ready { // the records or the rules have changed since it was submitted
		l.Stage, l.Reason = "waiting", "unmet"
		if len(d.Todo) > 0 && d.Todo[0].Kind == sheet.EntryOpen {
			l.Course = d.Year.Codes[d.Todo[0].Course]
		}
	}
	return l
}

// claimFor gives the open claim that a course's condition waits for.
func (d *Desk) claimFor(course int32) *Claim {
	for _, proof := range d.Known.Explain(&d.Sheet, course) {
		if proof.Verdict != condition.Unverified {
			continue
		}
		for i := range d.Known.Claims {
			if claim := &d.Known.Claims[i]; claim.About(proof.Leaf, d.Year.Codes[course]) {
				return claim
			}
		}
	}
	return nil
}

// About tells whether a claim speaks for a leaf of the condition of a course.
func (c *Claim) About(leaf *condition.Leaf, course string) bool {
	switch leaf.Kind {
	case condition.Passed, condition.Alongside:
		return c.Course == leaf.Name
	case condition.Recommended:
		return c.Name == "recommended" && c.Course == course
	}
	return c.Name != "" && c.Name == leaf.Name
}

// onlyAssigned tells whether nothing but what the school has put on the sheet is on it.
func onlyAssigned(d *Desk) bool {
	for _, e := range d.Sheet.Requests {
		if assigned, _ := d.Known.Assigned(e.Course); !assigned {
			return false
		}
	}
	return len(d.Sheet.Alternates) == 0 && len(d.Gone) == 0
}

// Choice names a sheet in the version that was looked at.
type Choice struct {
	Student string
	Version int64
}

// Outcome is what became of one sheet of many.
type Outcome struct {
	Student string
	Code    Code  // why nothing was done; "": it was done, or done before
	Version int64 // of the sheet afterwards, where it was done
}

// MaxChoices is how many sheets are taken at once.
const MaxChoices = 2000

// ClearAll clears many sheets, each by itself: those that cannot be cleared stay as they are and are named.
func (s *Service) ClearAll(ctx context.Context, by int64, school string, year int, choices []Choice) ([]Outcome, error) {
	return s.each(ctx, by, school, year, choices, func(at Place, version int64) (*Desk, error) { return s.Clear(ctx, by, at, version, "") })
}

// ReopenAll takes many clearances back, each by itself, with one reason.
func (s *Service) ReopenAll(ctx context.Context, by int64, school string, year int, choices []Choice, reason string) ([]Outcome, error) {
	return s.each(ctx, by, school, year, choices, func(at Place, version int64) (*Desk, error) { return s.Reopen(ctx, by, at, version, reason) })
}

func (s *Service) each(ctx context.Context, by int64, school string, year int, choices []Choice, do func(at Place, version int64) (*Desk, error)) ([]Outcome, error) {
	if _, _, err := s.reader(ctx, by, school, year, acts.SeeCaseload); err != nil {
		return nil, err
	}
	if len(choices) > MaxChoices {
		return nil, problem(TooMuch)
	}
	outcomes := make([]Outcome, 0, len(choices))
	for _, c := range choices {
		d, err := do(Place{School: school, Year: year, Student: c.Student}, c.Version)
		var known *Error
		if err != nil && !errors.As(err, &known) {
			return outcomes, err
		}
		outcome := Outcome{Student: c.Student, Code: CodeOf(err)}
		if err == nil {
			outcome.Version = d.Row.Version
		}
		outcomes = append(outcomes, outcome)
	}
	return outcomes, nil
}

// Happening is one thing that happened to a sheet.
type Happening struct {
	Version                      int64
	At                           time.Time
	Who, Kind                    string
	Act, Course, Message, Answer string
	Reason                       string
	Instead                      string
	Receipt                      string // of what was handed in
}

// History lists what happened to a sheet, the latest first.
func (s *Service) History(ctx context.Context, by int64, at Place) (list []Happening, err error) {
	if _, err := s.open(ctx, by, at); err != nil {
		return nil, err
	}
	events, err := s.db.Queries().Events(ctx, at, 100)
	for _, e := range events {
		t := e.Detail.V
		list = append(list, Happening{e.Version, e.At, e.Actor, e.Kind, t.Act, t.Course, t.Message, t.Answer, e.Reason, t.Instead, t.Receipt})
	}
	return list, err
}
