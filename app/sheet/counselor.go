package sheet

import (
	"cmp"
	"context"
	"slices"
	"time"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Approve accepts what was submitted and signed. Where the family has asked for a change the reason is the answer to it.
func (s *Service) Approve(ctx context.Context, by int64, at schoolyear.Place, version int64, reason string) (*Desk, error) {
	return s.Act(ctx, by, at, version, acts.Approve, reason, func(d *Desk) (*store.Change, error) {
		return d.Cleared(text.Tidy(reason)), nil
	})
}

// Cleared is the change that clears the sheet.
func (d *Desk) Cleared(reason string) *store.Change {
	change := d.Change("clear", reason, map[string]any{"submission": d.Row.Submission})
	setState(&change.State, acts.Cleared)
	change.State.ClearedAt = &d.Now
	d.answerAll(&change.State, change.Reason)
	return change
}

// Reopen takes a clearance back: the sheet is signed again, and can be sent back or changed.
func (s *Service) Reopen(ctx context.Context, by int64, at schoolyear.Place, version int64, reason string) (*Desk, error) {
	return s.Act(ctx, by, at, version, acts.Reopen, reason, func(d *Desk) (*store.Change, error) {
		change := d.Change("reopen", text.Tidy(reason), nil)
		change.State.State, change.State.ClearedAt = string(acts.Signed), nil
		return change, nil
	})
}

// Look agrees that the sheet, as it is, may be submitted, where the school wants a look before.
func (s *Service) Look(ctx context.Context, by int64, at schoolyear.Place, version int64) (*Desk, error) {
	return s.Act(ctx, by, at, version, acts.Look, "", func(d *Desk) (*store.Change, error) {
		change := d.Change("look", "", nil)
		change.State.Looked = &store.JSON[[]store.EntryRow]{V: d.Row.Entries}
		return change, nil
	})
}

// SendBack returns a sheet to the student with a message, about entries where courses are named. The errors
// are NeedsMessage, and NotOnSheet where one of them is not on the sheet.
func (s *Service) SendBack(ctx context.Context, by int64, at schoolyear.Place, version int64, message string,
	about ...string) (*Desk, error) {
	message = text.Tidy(message)
	return s.Act(ctx, by, at, version, acts.SendBack, "", func(d *Desk) (*store.Change, error) {
		if message == "" {
			return nil, problem.New(problem.NeedsMessage)
		}
		for _, code := range about {
			if !slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == code }) {
				return nil, &problem.Error{Code: problem.NotOnSheet, Param: code}
			}
		}
		return d.SentBack(message, about...), nil
	})
}

// SentBack is the change that sends the sheet back.
func (d *Desk) SentBack(message string, about ...string) *store.Change {
	change := d.Change("sendBack", "", map[string]any{"message": message, "about": about})
	change.State.About.V = about
	change.State.State, change.State.Message, change.State.ClearedAt = string(acts.SentBack), message, nil
	d.answerAll(&change.State, message)
	return change
}

// Decision is an answer to what a family says is met elsewhere, or a waiver.
type Decision struct {
	Version int64
	Answer  string         // confirm: the claim becomes a record; waive: the course's condition is met; decline: neither
	Claim   int64          // the claim's id; 0: the course's condition is waived
	Course  string         // the requested course whose condition it is
	Mark    *credit.Amount // confirm: the mark on the report
	Reason  string         // kept, and shown to the family

	SchoolYear string // confirm: in which it was earned; empty: as the family said
	Term       string // confirm: empty: as the family said
	Credits    string // confirm: as on the report; empty: those of the course
}

// Decide settles a claim, or waives a condition, with a reason.
func (s *Service) Decide(ctx context.Context, by int64, at schoolyear.Place, d Decision) (*Desk, error) {
	d.Reason = text.Tidy(d.Reason)
	return s.Act(ctx, by, at, d.Version, acts.Decide, d.Reason, func(desk *Desk) (*store.Change, error) {
		y := desk.Year.Year
		if _, ok := y.Index(d.Course); !ok {
			return nil, &problem.Error{Code: problem.NoCourse, Param: d.Course}
		}
		var claim *schoolyear.Claim
		for i := range desk.Known.Claims {
			if desk.Known.Claims[i].ID == d.Claim {
				claim = &desk.Known.Claims[i]
			}
		}
		settled := map[string]string{"confirm": "confirmed", "waive": "waived", "decline": "declined"}[d.Answer]
		if settled == "" {
			return nil, problem.New(problem.BadAct)
		}
		if claim == nil && (d.Claim != 0 || d.Answer != "waive") {
			return nil, problem.New(problem.NoClaim)
		}
		change := desk.Change("decide", d.Reason, map[string]any{"answer": d.Answer, "course": d.Course, "claim": claim})
		if claim != nil {
			change.Settle = &store.Settlement{Claim: claim.ID, Answer: settled, Reason: d.Reason, By: desk.Actor.Name().Name}
		}
		var err error
		switch d.Answer {
		case "confirm":
			var record *store.RecordRow
			if record, err = d.transfer(desk.Year, at.Student, claim); err == nil {
				change.Records = []*store.RecordRow{record}
			}
		case "waive":
			change.Say(SaidOf(at.Student, sheet.Waiver, d.Course, "", desk.Actor.ID, d.Reason))
		}
		return change, err
	})
}

// Settling marks an errand as done, or as not done after all.
type Settling struct {
	Version int64
	Course  string // that brings it along
	Kind    string // of the errand
	Done    bool
	Reason  string
}

// SettleErrand ticks off an errand of a course on the sheet, or takes that back, for anyone who decides. The
// error is NotOnSheet where no such errand concerns the student, and NotSettledHere where what settles it is
// not a word of the school.
func (s *Service) SettleErrand(ctx context.Context, by int64, at schoolyear.Place, x Settling) (*Desk, error) {
	x.Reason = text.Tidy(x.Reason)
	return s.Act(ctx, by, at, x.Version, acts.Decide, x.Reason, func(d *Desk) (*store.Change, error) {
		errands := d.Known.Errands(&d.Sheet)
		i := slices.IndexFunc(errands, func(r sheet.ErrandResult) bool {
			e := &d.Year.Errands[r.Errand]
			return d.Year.Codes[r.Course] == x.Course && e.Kind == x.Kind
		})
		if i < 0 {
			return nil, problem.New(problem.NotOnSheet)
		}
		found := &errands[i]
		if found.Settled == x.Done {
			return nil, problem.New(problem.Code(acts.AlreadyDone))
		}
		kind := "errandOpen"
		if x.Done {
			kind = "errandDone"
		}
		change := d.Change(kind, x.Reason, map[string]any{"course": x.Course, "errand": x.Kind})
		if x.Done {
			change.Say(SaidOf(at.Student, sheet.ErrandDone, x.Course, x.Kind, d.Actor.ID, x.Reason))
			return change, nil
		}
		for i := range d.Known.Signals {
			if y := &d.Known.Signals[i]; y.Kind == sheet.ErrandDone && y.Code == x.Course && y.Name == x.Kind {
				change.Withdraw = append(change.Withdraw, d.Known.SignalIDs[i])
			}
		}
		if len(change.Withdraw) == 0 {
			return nil, problem.New(problem.NotSettledHere)
		}
		return change, nil
	})
}

// transfer makes of a claim about a course a transfer record, with what anyone who decides has read on the
// report; what they leave out is as the family said it. The errors are NotACourse, BadMark and BadRecord.
func (d *Decision) transfer(y *schoolyear.SchoolYear, student string, claim *schoolyear.Claim) (*store.RecordRow, error) {
	if claim.Course == "" {
		return nil, problem.New(problem.NotACourse)
	}
	e := Entry{Course: claim.Course, Title: claim.Course, SchoolYear: cmp.Or(text.Tidy(d.SchoolYear), claim.SchoolYear),
		Term:    cmp.Or(text.Tidy(d.Term), claim.Term),
		Credits: text.Tidy(d.Credits), Outcome: string(sheet.Transfer)}
	if d.Mark != nil {
		if *d.Mark < 0 || *d.Mark > 100*credit.One {
			return nil, problem.New(problem.BadMark)
		}
		e.Mark = d.Mark.String()
	}
	record, err := e.Row(y)
	if err != nil {
		return nil, err
	}
	record.Cells = e.Cells(student, record)
	return record, nil
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

// maxHistory is how many events of a sheet are listed at once.
const maxHistory = 100

// History lists what happened to a sheet, the latest first, from the one after so many on.
func (s *Service) History(ctx context.Context, by int64, at schoolyear.Place, skip int) (list []Happening, err error) {
	if _, err := s.Open(ctx, by, at); err != nil {
		return nil, err
	}
	events, err := s.base.DB.Queries().Sheet.Events(ctx, at, skip, maxHistory)
	for _, e := range events {
		t := e.Detail.V
		list = append(list, Happening{Version: e.Version, At: e.At, Who: e.Actor, Kind: e.Kind, Act: t.Act, Course: t.Course,
			Message: t.Message, Answer: t.Answer, Reason: e.Reason, Instead: t.Instead, Receipt: t.Receipt})
	}
	return list, err
}

// SentBackKind is the kind of the act by which a sheet is sent back.
const SentBackKind = "sendBack"
