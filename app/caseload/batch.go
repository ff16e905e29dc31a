package caseload

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"time"

	"golang.org/x/sync/errgroup"

	"rubricon/app/actor"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/caseload"
	"rubricon/store"
)

// Batch is something the school does with many sheets at once, or with one: each on its own, kept as one act
// with one reason, and taken back as one.
type Batch struct {
	Kind    string
	Course  string // a code: assign, takeOff, place, waive, permit (empty: for all)
	Instead string // assign, place: what gives its place, where it is on the sheet; empty: a placeholder for the course
	Name    string // exempt: a rule, or AUDIT/ENTRY; permit: the kind of permission; remind: what about, a reason of the caseload
	Fixed   bool   // assign: the family may not exchange it
	Message string // sendBack: to the family; remind: words beside, may be empty
	Reason  string
	Sheets  []Choice       // a version of 0: whatever it is
	Record  appsheet.Entry // record: what is entered for all
	Own     []OwnEntry     // record: what is entered for each instead; nil: the same for all
	ID      int64          // goes on with one that was begun; 0: begins one
}

// The kinds of batches.
const (
	BatchClear    = "clear"
	BatchSendBack = appsheet.SentBackKind
	BatchRemind   = "remind"
	BatchAssign   = "assign"  // put a course on the sheet
	BatchTakeOff  = "takeOff" // take a course off the sheet, and what the school said that put it there
	BatchExempt   = "exempt"  // from a rule or an entry of a list of requirements
	BatchPermit   = "permit"
	BatchPlace    = "place"  // what a test has shown; it replaces a placeholder
	BatchWaive    = "waive"  // the condition of a course
	BatchRecord   = "record" // enter a record, or correct one
)

// Choice names a sheet in the version that was looked at.
type Choice struct {
	Student string
	Version int64
}

// Outcome is the result for one sheet of many, done or tried.
type Outcome struct {
	Student               string
	GivenName, FamilyName string
	Grade                 int
	Code                  problem.Code // why nothing is done; "": it is
	Version               int64        // of the sheet: before where it is only tried, afterwards where it is done
	Came, Gone            []string     // courses that are new on the sheet, and that leave it
}

// MaxChoices is how many sheets are taken at once.
const MaxChoices = 2000

// atOnce is how many sheets of a batch are worked on next to each other: they wait for the disk most of the time.
const atOnce = 8

// TryBatch reports what a batch would do, and changes nothing.
func (s *Service) TryBatch(ctx context.Context, by int64, school string, year int, b Batch) ([]Outcome, error) {
	y, a, err := s.batch(ctx, by, school, year, &b)
	if err != nil {
		return nil, err
	}
	desks, strangers, err := s.batchDesks(ctx, y, a, &b)
	if err != nil {
		return nil, err
	}
	outcomes := make([]Outcome, len(desks))
	for i, d := range desks {
		outcomes[i] = outcome(d)
		change, err := s.partOf(d, &b, versionOf(&b, d.Row.Student))
		if outcomes[i].Code = problem.CodeOf(err); err != nil && outcomes[i].Code == "" {
			return nil, err
		}
		if change != nil && change.Batch != nil {
			outcomes[i].Came, outcomes[i].Gone = newIn(change.Batch.Came, change.Batch.Gone), newIn(change.Batch.Gone, change.Batch.Came)
		}
	}
	if b.Kind == BatchRemind {
		err = s.notTwice(ctx, y, &b, outcomes)
	}
	return append(outcomes, strangers...), err
}

// DoBatch does it, and gives the number under which it is kept. Sheets that it cannot be done with stay as
// they are and are named.
func (s *Service) DoBatch(ctx context.Context, by int64, school string, year int, b Batch) (id int64, outcomes []Outcome, err error) {
	y, a, err := s.batch(ctx, by, school, year, &b)
	if err != nil {
		return 0, nil, err
	}
	if b.Reason == "" && b.Kind != BatchClear && b.Kind != BatchRemind && b.Kind != BatchSendBack {
		return 0, nil, problem.New(problem.NeedsReason)
	}
	desks, strangers, err := s.batchDesks(ctx, y, a, &b)
	if err != nil {
		return 0, nil, err
	}
	if err := s.beginBatch(ctx, y, a, &b); err != nil {
		return 0, nil, err
	}
	outcomes = make([]Outcome, len(desks))
	var work errgroup.Group
	work.SetLimit(atOnce)
	for i, d := range desks {
		work.Go(func() error {
			outcomes[i] = outcome(d)
			version, err := s.part(ctx, d, &b)
			if outcomes[i].Code = problem.CodeOf(err); err != nil && outcomes[i].Code == "" {
				return err
			}
			if err == nil {
				outcomes[i].Version = version
			}
			return nil
		})
	}
	if err := work.Wait(); err != nil {
		return b.ID, nil, err
	}
	if err := s.base.DB.Queries().Caseload.DropBatch(ctx, school, year, b.ID); err != nil {
		return b.ID, nil, err
	}
	s.base.Log.InfoContext(ctx, "a batch", "act", b.Kind, "school", school, "year", year, "account", by, "batch", b.ID)
	return b.ID, append(outcomes, strangers...), nil
}

// batch checks a batch, apart from any sheet.
func (s *Service) batch(ctx context.Context, by int64, school string, year int, b *Batch) (*schoolyear.SchoolYear, *actor.Actor, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, nil, err
	}
	if len(b.Sheets) > MaxChoices {
		return nil, nil, problem.New(problem.TooMuch)
	}
	b.Reason, b.Message, b.Name = text.Tidy(b.Reason), text.Tidy(b.Message), text.Tidy(b.Name)
	for _, code := range []string{b.Course, b.Instead} {
		if _, ok := y.Index(code); code != "" && !ok {
			return nil, nil, &problem.Error{Code: problem.NoCourse, Param: code}
		}
	}
	switch b.Kind {
	case BatchClear:
	case BatchSendBack:
		if b.Message == "" {
			err = problem.New(problem.NeedsMessage)
		}
	case BatchRemind:
		if !slices.Contains(caseload.Reasons(), caseload.Reason(b.Name)) {
			err = problem.New(problem.BadAct)
		}
	case BatchAssign, BatchTakeOff, BatchPlace, BatchWaive:
		if b.Course == "" {
			err = problem.New(problem.NoCourse)
		}
	case BatchExempt:
		if !y.Exempts(b.Name) {
			err = &problem.Error{Code: problem.NoRule, Param: b.Name}
		}
	case BatchRecord:
		if b.Own == nil {
			err = b.Record.Check(y)
		}
		for i := range b.Own {
			err = cmp.Or(err, b.Own[i].Entry.Check(y))
		}
	case BatchPermit:
		if b.Name == "" {
			err = problem.New(problem.NeedsName)
		}
	default:
		err = problem.New(problem.BadAct)
	}
	return y, a, err
}

// batchDesks reads the sheets of a batch, by name; strangers are outcomes for those who are no students of the year.
func (s *Service) batchDesks(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor,
	b *Batch) (desks []*appsheet.Desk, strangers []Outcome, err error) {
	ids, there := make([]string, len(b.Sheets)), map[string]bool{}
	for i, c := range b.Sheets {
		ids[i] = c.Student
	}
	if desks, err = s.ports.Sheet.Desks(ctx, y, a, ids); err != nil {
		return nil, nil, err
	}
	for _, d := range desks {
		there[d.Row.Student] = true
	}
	for _, id := range ids {
		if !there[id] {
			strangers = append(strangers, Outcome{Student: id, Code: problem.NotFound})
		}
	}
	return desks, strangers, nil
}

// versionOf returns the version of a sheet that was looked at.
func versionOf(b *Batch, student string) int64 {
	for _, c := range b.Sheets {
		if c.Student == student {
			return c.Version
		}
	}
	return 0
}

// beginBatch begins a batch, or looks up the one that is gone on with.
func (s *Service) beginBatch(ctx context.Context, y *schoolyear.SchoolYear, a *actor.Actor, b *Batch) (err error) {
	q := s.base.DB.Queries()
	if b.ID != 0 {
		row, err := q.Caseload.Batch(ctx, y.School, y.Start, b.ID)
		switch {
		case err != nil:
			return problem.AsNotFound(err)
		case row.Person != a.ID || row.Kind != b.Kind || row.BackAt != nil:
			return problem.New(problem.BadAct)
		}
		b.Reason = row.Reason
		return nil
	}
	row := store.BatchRow{Kind: b.Kind, Reason: b.Reason, Person: a.ID, By: a.Name().Name, At: s.base.Now()}
	row.Detail.V = map[string]string{}
	for key, text := range map[string]string{"course": b.Course, "instead": b.Instead, "name": b.Name, "message": b.Message} {
		if text != "" {
			row.Detail.V[key] = text
		}
	}
	if b.Kind == BatchRecord {
		row.Detail.V["course"], row.Detail.V["name"] = b.Record.Course, b.Record.Title
	}
	if b.Kind == BatchAssign {
		row.Detail.V["fixed"] = strconv.FormatBool(b.Fixed)
	}
	b.ID, err = q.Caseload.BeginBatch(ctx, y.School, y.Start, &row)
	return err
}

// part does a batch with one sheet; where someone was quicker it is decided again.
func (s *Service) part(ctx context.Context, d *appsheet.Desk, b *Batch) (version int64, err error) {
	for range appsheet.Tries {
		change, err := s.partOf(d, b, versionOf(b, d.Row.Student))
		if err != nil {
			return 0, err
		}
		if change == nil { // a reminder leaves the sheet as it is
			kept, err := s.base.DB.Queries().Caseload.Remind(ctx, d.Row.Place,
				store.ReminderRow{About: b.Name, Text: b.Message, By: d.Actor.Name().Name, At: d.Now}, today(d.Year, d.Now), b.ID)
			if err == nil && !kept {
				err = problem.New(problem.RemindedToday)
			}
			s.ports.Messages.Told(d.Row.Place, d.Row.Version)
			return d.Row.Version, err
		}
		s.ports.Messages.Announce(d, change)
		saved, err := s.base.DB.Queries().Sheet.SaveChange(ctx, change)
		if err != nil {
			return 0, err
		}
		if saved {
			s.ports.Messages.Told(d.Row.Place, change.Version)
			return change.Version, nil
		}
		again, err := s.ports.Sheet.Desks(ctx, d.Year, d.Actor, []string{d.Row.Student})
		if err != nil {
			return 0, err
		}
		if len(again) == 0 {
			return 0, problem.New(problem.NotFound)
		}
		d = again[0]
	}
	return 0, problem.New(problem.Busy)
}

// partOf reports what a batch changes on a sheet; nil, where it is a reminder.
func (s *Service) partOf(d *appsheet.Desk, b *Batch, version int64) (*store.Change, error) {
	d.Judge(version)
	// A reason is asked for once, where it is done; whom it would concern is told before there is one.
	if err := d.May(batchAct(b.Kind)); err != nil {
		return nil, err
	}
	switch b.Kind {
	case BatchRemind:
		return nil, nil
	case BatchClear:
		if b.Reason == "" {
			if err := d.Guard(acts.Approve, ""); err != nil {
				return nil, err
			}
		}
		change := d.Cleared(b.Reason)
		change.Batch = &store.BatchPart{Batch: b.ID, Was: d.Row.State}
		return change, nil
	case BatchSendBack:
		change := d.SentBack(b.Message)
		change.Batch = &store.BatchPart{Batch: b.ID, Was: d.Row.State}
		return change, nil
	}
	if b.Kind == BatchRecord {
		return recorded(d, b)
	}
	return prepared(d, b)
}

// batchAct is the act on a sheet that a batch does.
func batchAct(kind string) acts.Act {
	switch kind {
	case BatchClear:
		return acts.Approve
	case BatchSendBack:
		return acts.SendBack
	case BatchExempt, BatchPermit, BatchWaive, BatchRecord:
		return acts.Decide
	}
	return acts.Prepare
}

// outcome begins what is told of a sheet.
func outcome(d *appsheet.Desk) Outcome {
	return Outcome{Student: d.Row.Student, GivenName: d.Pupil.GivenName, FamilyName: d.Pupil.FamilyName,
		Grade: d.Row.Grade, Version: d.Row.Version}
}

// newIn lists the courses of some entries that others have not.
func newIn(list, other []store.EntryRow) (codes []string) {
	for _, e := range list {
		if !slices.ContainsFunc(other, func(o store.EntryRow) bool { return o.Course == e.Course }) {
			codes = append(codes, e.Course)
		}
	}
	return codes
}

// today is the day in the school's time zone.
func today(y *schoolyear.SchoolYear, now time.Time) string {
	return now.In(y.Zone()).Format(time.DateOnly)
}

// notTwice names those who have been reminded of the same today.
func (s *Service) notTwice(ctx context.Context, y *schoolyear.SchoolYear, b *Batch, outcomes []Outcome) error {
	list, err := s.base.DB.Queries().Caseload.Reminded(ctx, y.School, y.Start, b.Name, today(y, s.base.Now()))
	for i := range outcomes {
		if outcomes[i].Code == "" && slices.Contains(list, outcomes[i].Student) {
			outcomes[i].Code = problem.RemindedToday
		}
	}
	return err
}

// maxBatches is how many are listed.
const maxBatches = 100

// BatchDone is a batch that was done.
type BatchDone struct {
	store.BatchRow
	MayTakeBack bool // by who reads: for the student named, or for all
}

// Batches lists the latest that were done in a school year; those done to a student where one is named.
func (s *Service) Batches(ctx context.Context, by int64, school string, year int, student string, skip int) ([]BatchDone, error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Caseload.Batches(ctx, school, year, student, skip, maxBatches)
	list := make([]BatchDone, len(rows))
	for i := range rows {
		list[i] = BatchDone{rows[i], acts.TakesBack(a.InSchool(), rows[i].Person == a.ID, student != "") == ""}
	}
	return list, err
}

// remindedFor is how long a reminder is shown.
const remindedFor = 14 * 24 * time.Hour

// Reminders lists what a student and the family are reminded of, the latest first, for anyone who may see the sheet.
func (s *Service) Reminders(ctx context.Context, by int64, at schoolyear.Place) ([]store.ReminderRow, error) {
	if _, err := s.ports.Sheet.Open(ctx, by, at); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Caseload.Reminders(ctx, at, s.base.Now().Add(-remindedFor))
}
