package school

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strconv"
	"time"

	"golang.org/x/sync/errgroup"

	"rubricon/core/acts"
	"rubricon/core/caseload"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

// Batch is something the school does with many sheets at once, or with one: each by itself, kept as one act with one reason, and taken
// back as one.
type Batch struct {
	Kind    string
	Course  string // a code: assign, takeOff, place, waive, permit (empty: for all)
	Instead string // assign, place: what gives its place, where it is on the sheet; empty: a placeholder for the course
	Name    string // exempt: a rule, or AUDIT/ENTRY; permit: the kind of permission; remind: what about, a reason of the caseload
	Fixed   bool   // assign: the family may not exchange it
	Message string // sendBack: to the family; remind: words beside, may be empty
	Reason  string
	Sheets  []Choice // a version of 0: whatever it is
	Record  Entry    // record: what is entered
	ID      int64    // goes on with one that was begun; 0: begins one
}

// The kinds of batches.
const (
	BatchClear    = "clear"
	BatchSendBack = "sendBack"
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

// Outcome is what became, or would become, of one sheet of many.
type Outcome struct {
	Student               string
	GivenName, FamilyName string
	Grade                 int
	Code                  Code     // why nothing is done; "": it is
	Version               int64    // of the sheet: before where it is only tried, afterwards where it is done
	Came, Gone            []string // courses that are new on the sheet, and that leave it
}

// MaxChoices is how many sheets are taken at once.
const MaxChoices = 2000

// atOnce is how many sheets of a batch are worked on beside each other: they wait for the disk most of the time.
const atOnce = 8

// TryBatch tells what a batch would do, and changes nothing.
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
		outcomes[i] = d.outcome()
		change, err := s.partOf(d, &b, versionOf(&b, d.Row.Student))
		if outcomes[i].Code = CodeOf(err); err != nil && outcomes[i].Code == "" {
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

// DoBatch does it, and gives the number under which it is kept. Sheets that it cannot be done with stay as they are and are named.
func (s *Service) DoBatch(ctx context.Context, by int64, school string, year int, b Batch) (id int64, outcomes []Outcome, err error) {
	y, a, err := s.batch(ctx, by, school, year, &b)
	if err != nil {
		return 0, nil, err
	}
	if b.Reason == "" && b.Kind != BatchClear && b.Kind != BatchRemind && b.Kind != BatchSendBack {
		return 0, nil, problem(NeedsReason)
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
			outcomes[i] = d.outcome()
			version, err := s.part(ctx, d, &b)
			if outcomes[i].Code = CodeOf(err); err != nil && outcomes[i].Code == "" {
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
	if err := s.db.Queries().DropBatch(ctx, school, year, b.ID); err != nil {
		return b.ID, nil, err
	}
	s.log.InfoContext(ctx, "a batch", "act", b.Kind, "school", school, "year", year, "account", by, "batch", b.ID)
	return b.ID, append(outcomes, strangers...), nil
}

// batch looks at what is to be done, apart from any sheet.
func (s *Service) batch(ctx context.Context, by int64, school string, year int, b *Batch) (*SchoolYear, *actor, error) {
	y, a, err := s.reader(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, nil, err
	}
	if len(b.Sheets) > MaxChoices {
		return nil, nil, problem(TooMuch)
	}
	b.Reason, b.Message, b.Name = tidy(b.Reason), tidy(b.Message), tidy(b.Name)
	for _, code := range []string{b.Course, b.Instead} {
		if _, ok := y.Index(code); code != "" && !ok {
			return nil, nil, &Error{Code: NoCourse, Param: code}
		}
	}
	switch b.Kind {
	case BatchClear:
	case BatchSendBack:
		if b.Message == "" {
			err = problem(NeedsMessage)
		}
	case BatchRemind:
		if !slices.Contains(caseload.Reasons(), caseload.Reason(b.Name)) {
			err = problem(BadAct)
		}
	case BatchAssign, BatchTakeOff, BatchPlace, BatchWaive:
		if b.Course == "" {
			err = problem(NoCourse)
		}
	case BatchExempt:
		if !y.Exempts(b.Name) {
			err = &Error{Code: NoRule, Param: b.Name}
		}
	case BatchRecord:
		err = b.Record.check(y)
	case BatchPermit:
		if b.Name == "" {
			err = problem(NeedsName)
		}
	default:
		err = problem(BadAct)
	}
	return y, a, err
}

// batchDesks reads the sheets of a batch, by name; strangers are outcomes for those who are no students of the year.
func (s *Service) batchDesks(ctx context.Context, y *SchoolYear, a *actor, b *Batch) (desks []*Desk, strangers []Outcome, err error) {
	ids, there := make([]string, len(b.Sheets)), map[string]bool{}
	for i, c := range b.Sheets {
		ids[i] = c.Student
	}
	if desks, err = s.desks(ctx, y, a, ids); err != nil {
		return nil, nil, err
	}
	for _, d := range desks {
		there[d.Row.Student] = true
	}
	for _, id := range ids {
		if !there[id] {
			strangers = append(strangers, Outcome{Student: id, Code: NotFound})
		}
	}
	return desks, strangers, nil
}

// versionOf gives the version of a sheet that was looked at.
func versionOf(b *Batch, student string) int64 {
	for _, c := range b.Sheets {
		if c.Student == student {
			return c.Version
		}
	}
	return 0
}

// beginBatch begins a batch, or looks up the one that is gone on with.
func (s *Service) beginBatch(ctx context.Context, y *SchoolYear, a *actor, b *Batch) (err error) {
	q := s.db.Queries()
	if b.ID != 0 {
		row, err := q.Batch(ctx, y.School, y.Start, b.ID)
		switch {
		case err != nil:
			return asNotFound(err)
		case row.Person != a.ID || row.Kind != b.Kind || row.BackAt != nil:
			return problem(BadAct)
		}
		b.Reason = row.Reason
		return nil
	}
	row := store.BatchRow{Kind: b.Kind, Reason: b.Reason, Person: a.ID, By: a.name().Name, At: s.now()}
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
	b.ID, err = q.BeginBatch(ctx, y.School, y.Start, &row)
	return err
}

// part does a batch with one sheet; where somebody was quicker it is decided anew.
func (s *Service) part(ctx context.Context, d *Desk, b *Batch) (version int64, err error) {
	for range tries {
		change, err := s.partOf(d, b, versionOf(b, d.Row.Student))
		if err != nil {
			return 0, err
		}
		if change == nil { // a reminder leaves the sheet as it is
			kept, err := s.db.Queries().Remind(ctx, d.Row.Place, store.ReminderRow{About: b.Name, Text: b.Message, By: d.actor.name().Name, At: d.now}, today(d.Year, d.now), b.ID)
			if err == nil && !kept {
				err = problem(RemindedToday)
			}
			s.told(d.Row.Place, d.Row.Version)
			return d.Row.Version, err
		}
		saved, err := s.db.Queries().SaveChange(ctx, change)
		if err != nil {
			return 0, err
		}
		if saved {
			s.told(d.Row.Place, change.Version)
			return change.Version, nil
		}
		again, err := s.desks(ctx, d.Year, d.actor, []string{d.Row.Student})
		if err != nil {
			return 0, err
		}
		if len(again) == 0 {
			return 0, problem(NotFound)
		}
		d = again[0]
	}
	return 0, problem(Busy)
}

// partOf tells what a batch changes on a sheet; nil, where it is a reminder.
func (s *Service) partOf(d *Desk, b *Batch, version int64) (*store.Change, error) {
	d.judge(version)
	if err := d.guard(batchAct(b.Kind), cmp.Or(b.Reason, "-")); err != nil {
		return nil, err
	}
	switch b.Kind {
	case BatchRemind:
		return nil, nil
	case BatchClear:
		if b.Reason == "" {
			if err := d.guard(acts.Clear, ""); err != nil {
				return nil, err
			}
		}
		change := d.cleared(b.Reason)
		change.Batch = &store.BatchPart{Batch: b.ID, Was: d.Row.State}
		return change, nil
	case BatchSendBack:
		change := d.sentBack(b.Message)
		change.Batch = &store.BatchPart{Batch: b.ID, Was: d.Row.State}
		return change, nil
	}
	if b.Kind == BatchRecord {
		return d.recorded(b)
	}
	return d.prepared(b)
}

// batchAct is the act on a sheet that a batch does.
func batchAct(kind string) acts.Act {
	switch kind {
	case BatchClear:
		return acts.Clear
	case BatchSendBack:
		return acts.SendBack
	case BatchExempt, BatchPermit, BatchWaive, BatchRecord:
		return acts.Decide
	}
	return acts.Prepare
}

// prepared is the change by which the school says something of a student, and what that does to the sheet.
func (d *Desk) prepared(b *Batch) (*store.Change, error) {
	kind := map[string]sheet.SignalKind{BatchAssign: sheet.Assignment, BatchExempt: sheet.Exemption, BatchPermit: sheet.Permission, BatchPlace: sheet.PlacementMade,
		BatchWaive: sheet.Waiver}[b.Kind]
	after, err := d.preparedEntries(b)
	if err != nil {
		return nil, err
	}
	before := d.Row.Entries
	change := d.change(b.Kind, b.Reason, map[string]any{"course": b.Course, "rule": b.Name, "before": before})
	change.Prepares = true
	if b.Kind == BatchTakeOff {
		for i := range d.Known.Signals {
			if x := &d.Known.Signals[i]; x.Code == b.Course && x.Kind == sheet.Assignment {
				change.Withdraw = append(change.Withdraw, d.Known.SignalIDs[i])
			}
		}
	} else {
		said := saidOf(d.Row.Student, kind, b.Course, b.Name, d.actor.ID, b.Reason)
		if b.Kind == BatchAssign && b.Fixed {
			said.Value, said.Cells["value"] = int64(credit.One), "1"
		}
		if !d.says(said) {
			change.Signal = said
		}
	}
	same := slices.Equal(normal(before), normal(after))
	if same && change.Signal == nil && len(change.Withdraw) == 0 {
		return nil, problem(Code(acts.AlreadyDone))
	}
	change.Batch = &store.BatchPart{Batch: b.ID, Was: d.Row.State, Unsaid: change.Withdraw}
	if !same {
		d.putOn(change, before, after)
	}
	return change, nil
}

// putOn lets a change of the school's write other entries. What the family did before cannot be undone past it.
func (d *Desk) putOn(change *store.Change, before, after []store.EntryRow) {
	change.Delete, change.Upsert = difference(before, after)
	change.State.ChangedAt, change.State.Undoable, change.State.Redoable, change.State.Undoes = &d.now, 0, 0, nil
	if change.Batch != nil {
		change.Batch.Came = change.Upsert
		for _, e := range before {
			if !slices.Contains(after, e) {
				change.Batch.Gone = append(change.Batch.Gone, e)
			}
		}
	}
}

// says tells whether the school has said the same of the student.
func (d *Desk) says(said *store.SignalRow) bool {
	return slices.ContainsFunc(d.Known.Signals, func(x sheet.Signal) bool {
		return string(x.Kind) == said.Kind && x.Code == said.Code && x.Name == said.Name && (x.Kind != sheet.Assignment || x.Value == credit.Amount(said.Value))
	})
}

// preparedEntries is what the entries are after a batch.
func (d *Desk) preparedEntries(b *Batch) ([]store.EntryRow, error) {
	edit := &Edit{Act: string(sheet.MakeRequest), Course: b.Course}
	switch b.Kind {
	case BatchAssign, BatchPlace:
		edit.Instead = b.Instead
		if edit.Instead == "" {
			edit.Instead = d.placeholderFor(b.Course)
		}
		asked := slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == edit.Instead })
		if requested := slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == b.Course && !e.Alternate }); requested && asked {
			edit.Act, edit.Course = string(sheet.TakeOff), edit.Instead // the course is there, what it replaces goes
		} else if asked {
			edit.Act = string(sheet.Replace)
		} else if requested || b.Kind == BatchPlace { // a test alone puts nothing on the sheet
			return d.Row.Entries, nil
		}
	case BatchTakeOff:
		edit.Act = string(sheet.TakeOff)
		if !slices.ContainsFunc(d.Row.Entries, func(e store.EntryRow) bool { return e.Course == b.Course }) {
			return nil, problem(NotOnSheet)
		}
	default:
		return d.Row.Entries, nil
	}
	if err := d.guard(acts.Edit, cmp.Or(b.Reason, "-")); err != nil {
		return nil, err
	}
	return d.afterBy(edit, true)
}

// placeholderFor is a course on the sheet that is replaced by another once that is known; "": none.
func (d *Desk) placeholderFor(course string) string {
	for _, e := range d.Row.Entries {
		for i := range d.Year.Errands {
			if x := &d.Year.Errands[i]; x.Errand.Course == e.Course && slices.Contains(x.Errand.Becomes, course) {
				return e.Course
			}
		}
	}
	return ""
}

// outcome begins what is told of a sheet.
func (d *Desk) outcome() Outcome {
	return Outcome{Student: d.Row.Student, GivenName: d.Pupil.GivenName, FamilyName: d.Pupil.FamilyName, Grade: d.Row.Grade, Version: d.Row.Version}
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
func today(y *SchoolYear, now time.Time) string { return now.In(y.zone()).Format(time.DateOnly) }

// notTwice names those who have been reminded of the same today.
func (s *Service) notTwice(ctx context.Context, y *SchoolYear, b *Batch, outcomes []Outcome) error {
	list, err := s.db.Queries().Reminded(ctx, y.School, y.Start, b.Name, today(y, s.now()))
	for i := range outcomes {
		if outcomes[i].Code == "" && slices.Contains(list, outcomes[i].Student) {
			outcomes[i].Code = RemindedToday
		}
	}
	return err
}

// maxBatches is how many are listed.
const maxBatches = 100

// Batches lists the latest that were done in a school year; those done to a student where one is named.
func (s *Service) Batches(ctx context.Context, by int64, school string, year int, student string) (*SchoolYear, []store.BatchRow, error) {
	y, _, err := s.reader(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, nil, err
	}
	list, err := s.db.Queries().Batches(ctx, school, year, student, maxBatches)
	return y, list, err
}

// TakeBack takes back what a batch did, for one student where one is named. Sheets that have gone on since so that it cannot be are named.
func (s *Service) TakeBack(ctx context.Context, by int64, school string, year int, id int64, student, reason string) ([]Outcome, error) {
	y, a, err := s.reader(ctx, by, school, year, acts.SeeCaseload)
	if err != nil {
		return nil, err
	}
	if reason = tidy(reason); reason == "" {
		return nil, problem(NeedsReason)
	}
	q := s.db.Queries()
	b, err := q.Batch(ctx, school, year, id)
	if err != nil {
		return nil, asNotFound(err)
	}
	parts, err := q.BatchSheets(ctx, school, year, id)
	if err != nil {
		return nil, err
	}
	var ids []string
	for _, p := range parts {
		if !p.Back && (student == "" || p.Student == student) {
			ids = append(ids, p.Student)
		}
	}
	if len(ids) == 0 {
		return nil, problem(Code(acts.AlreadyDone))
	}
	desks, err := s.desks(ctx, y, a, ids)
	if err != nil {
		return nil, err
	}
	outcomes := make([]Outcome, len(desks))
	var work errgroup.Group
	work.SetLimit(atOnce)
	for i, d := range desks {
		part := parts[slices.IndexFunc(parts, func(p store.BatchSheet) bool { return p.Student == d.Row.Student })]
		work.Go(func() error {
			outcomes[i] = d.outcome()
			err := s.partBack(ctx, d, &b, &part, reason)
			if outcomes[i].Code = CodeOf(err); err != nil && outcomes[i].Code == "" {
				return err
			}
			return nil
		})
	}
	if err := work.Wait(); err != nil {
		return nil, err
	}
	s.log.InfoContext(ctx, "a batch was taken back", "school", school, "year", year, "account", by, "batch", id)
	return outcomes, q.TookBack(ctx, school, year, id, a.name().Name, s.now())
}

func (s *Service) partBack(ctx context.Context, d *Desk, b *store.BatchRow, part *store.BatchSheet, reason string) error {
	for range tries {
		d.judge(0)
		if err := d.guard(acts.Prepare, reason); err != nil {
			return err
		}
		if b.Kind == BatchRemind {
			err := s.db.Queries().Unremind(ctx, d.Row.Place, b.ID)
			s.told(d.Row.Place, d.Row.Version)
			return err
		}
		change, err := d.backOf(b, part, reason)
		if err != nil {
			return err
		}
		change.Back = b.ID
		saved, err := s.db.Queries().SaveChange(ctx, change)
		if err != nil {
			return err
		}
		if saved {
			s.told(d.Row.Place, change.Version)
			return nil
		}
		again, err := s.desks(ctx, d.Year, d.actor, []string{d.Row.Student})
		if err = errors.Join(err, missing(again)); err != nil {
			return err
		}
		d = again[0]
	}
	return problem(Busy)
}

func missing(desks []*Desk) error {
	if len(desks) == 0 {
		return problem(NotFound)
	}
	return nil
}

// backOf is the change that takes back what a batch did to a sheet.
func (d *Desk) backOf(b *store.BatchRow, part *store.BatchSheet, reason string) (*store.Change, error) {
	state := acts.State(d.Row.State)
	change := d.change("batchBack", reason, map[string]any{"act": b.Kind, "course": b.Detail.V["course"], "rule": b.Detail.V["name"], "before": d.Row.Entries})
	change.Prepares = true
	switch b.Kind {
	case BatchClear:
		if state != acts.Cleared {
			return nil, problem(Code(acts.NotCleared))
		}
		change.State.State, change.State.ClearedAt = part.Was, nil
		return change, nil
	case BatchSendBack:
		if state != acts.SentBack || d.Row.Version != part.Version { // the family has gone on
			return nil, problem(GoneOn)
		}
		change.State.State, change.State.Message = part.Was, ""
		return change, nil
	}
	change.Unsay, change.Resay = b.ID, part.Unsaid.V
	if len(part.Came.V) == 0 && len(part.Gone.V) == 0 {
		return change, nil
	}
	if err := d.guard(acts.Edit, reason); err != nil {
		return nil, err
	}
	before := d.Row.Entries
	after := d.restoredBy(part)
	d.putOn(change, before, after)
	return change, nil
}

// restoredBy gives the entries on the desk without what a batch brought, and with what left for that at the places it had.
func (d *Desk) restoredBy(part *store.BatchSheet) []store.EntryRow {
	same := func(list []store.EntryRow, e store.EntryRow) bool {
		return slices.ContainsFunc(list, func(x store.EntryRow) bool { return x.Course == e.Course && x.Alternate == e.Alternate })
	}
	lists := map[bool][]store.EntryRow{} // by whether they are alternates
	for _, e := range normal(d.Row.Entries) {
		if !same(part.Came.V, e) || same(part.Gone.V, e) {
			lists[e.Alternate] = append(lists[e.Alternate], e)
		}
	}
	gone := slices.SortedFunc(slices.Values(part.Gone.V), func(a, b store.EntryRow) int { return cmp.Compare(a.Rank, b.Rank) })
	for _, e := range gone {
		_, known := d.Year.Index(e.Course)
		if there := same(lists[true], store.EntryRow{Course: e.Course, Alternate: true}) || same(lists[false], store.EntryRow{Course: e.Course}); known && !there {
			lists[e.Alternate] = slices.Insert(lists[e.Alternate], min(e.Rank-1, len(lists[e.Alternate])), e)
		}
	}
	for _, list := range lists {
		for i := range list {
			list[i].Rank = i + 1
		}
	}
	return loose(append(lists[false], lists[true]...))
}

// loose loosens ties to requests that are not there.
func loose(list []store.EntryRow) []store.EntryRow {
	for i := range list {
		if !slices.ContainsFunc(list, func(e store.EntryRow) bool { return !e.Alternate && e.Course == list[i].StandsFor }) {
			list[i].StandsFor = ""
		}
	}
	return list
}

// remindedFor is how long a reminder is shown.
const remindedFor = 14 * 24 * time.Hour

// Reminders lists what a student and the family are reminded of, the latest first, for whoever may see the sheet.
func (s *Service) Reminders(ctx context.Context, by int64, at Place) ([]store.ReminderRow, error) {
	if _, err := s.open(ctx, by, at); err != nil {
		return nil, err
	}
	return s.db.Queries().Reminders(ctx, at, s.now().Add(-remindedFor))
}
