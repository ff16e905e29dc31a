package school

import (
	"context"
	"errors"
	"strings"
	"time"

	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/sheet"
	"rubricon/store"
)

func (s *Service) counselorsOpen(sub *subject) error {
	if sub.CounselorsClose != nil && !s.now().Before(*sub.CounselorsClose) {
		return problem(Closed, "requests closed for counselors on %s", sub.CounselorsClose.Format(time.RFC3339))
	}
	return nil
}

// Clear accepts a sheet that is complete and, where the student has guardians on file, signed.
func (s *Service) Clear(ctx context.Context, username, school, student string, version int64) (*SheetView, error) {
	return s.act(ctx, username, school, student, DecideSheet, "clear", func(_ store.Queries, sub *subject) (map[string]any, error) {
		if sub.State == "cleared" {
			return nil, nil
		}
		if err := s.counselorsOpen(sub); err != nil {
			return nil, err
		}
		if err := checkVersion(sub, version); err != nil {
			return nil, err
		}
		if sub.State != "signed" && (sub.State != "submitted" || sub.Guardians > 0) || changedSince(&sub.SheetRow) {
			return nil, problem(WrongState, "the sheet must be submitted and signed before it can be cleared")
		}
		j, err := judge(sub.known, sub.Entries)
		if err != nil {
			return nil, err
		}
		if !j.judgement.Ready {
			return nil, &Error{Code: NotReady, Detail: "the sheet cannot be cleared yet; settle what is listed", Todo: todos(sub.known.Year, j.todo)}
		}
		at := s.now()
		sub.State, sub.ClearedAt, sub.Asked = "cleared", &at, ""
		return map[string]any{"cleared": sub.ContentVersion}, nil
	})
}

// SendBack returns a sheet to the student with a message.
func (s *Service) SendBack(ctx context.Context, username, school, student string, version int64, message string) (*SheetView, error) {
	message = strings.TrimSpace(message)
	return s.act(ctx, username, school, student, DecideSheet, "sendBack", func(_ store.Queries, sub *subject) (map[string]any, error) {
		if message == "" {
			return nil, problem(BadInput, "write what the student should change")
		}
		if sub.State == "sentBack" && sub.Message == message {
			return nil, nil
		}
		if err := s.counselorsOpen(sub); err != nil {
			return nil, err
		}
		if err := checkVersion(sub, version); err != nil {
			return nil, err
		}
		if sub.State != "submitted" && sub.State != "signed" && sub.State != "cleared" {
			return nil, problem(WrongState, "only a sheet that was submitted can be sent back")
		}
		sub.State, sub.Message, sub.Asked = "sentBack", message, ""
		sub.SignedAt, sub.SignedBy, sub.ClearedAt = nil, "", nil
		return map[string]any{"message": message}, nil
	})
}

// Decision is a counselor's answer to what a family says is met elsewhere, or a waiver.
type Decision struct {
	Version int64          `json:"version" minimum:"1"`
	Answer  string         `json:"answer" enum:"confirm,waive,decline" doc:"confirm: the claim becomes a record; waive: the course's condition is met; decline: neither"`
	Claim   int64          `json:"claim,omitempty" doc:"The claim's id; without one the course's condition is waived"`
	Course  string         `json:"course" maxLength:"100" doc:"The requested course whose condition it is"`
	Mark    *credit.Amount `json:"mark,omitempty" doc:"confirm: the mark on the report, 0 to 100"`
	Reason  string         `json:"reason" maxLength:"1000" doc:"Kept, and shown to the family"`
}

// Decide settles a claim, or waives a condition, with a reason.
func (s *Service) Decide(ctx context.Context, username, school, student string, d Decision) (*SheetView, error) {
	d.Reason = strings.TrimSpace(d.Reason)
	return s.act(ctx, username, school, student, DecideSheet, "decide", func(q store.Queries, sub *subject) (map[string]any, error) {
		if d.Reason == "" {
			return nil, problem(BadInput, "write the reason; it is kept, and the family sees it")
		}
		if err := s.counselorsOpen(sub); err != nil {
			return nil, err
		}
		if err := checkVersion(sub, d.Version); err != nil {
			return nil, err
		}
		k := sub.known
		if _, ok := k.Year.Index(d.Course); !ok {
			return nil, problem(NotFound, "no course has the code %q", d.Course)
		}
		var claim *Claim
		for i := range k.claims {
			if k.claims[i].ID == d.Claim {
				claim = &k.claims[i]
			}
		}
		if claim == nil && (d.Claim != 0 || d.Answer != "waive") {
			return nil, problem(NoClaim, "there is no such open claim")
		}
		if claim != nil {
			settled := map[string]string{"confirm": "confirmed", "waive": "waived", "decline": "declined"}[d.Answer]
			if err := q.SettleClaim(ctx, school, student, claim.ID, settled); errors.Is(err, store.ErrNotFound) {
				return nil, problem(NoClaim, "there is no such open claim")
			} else if err != nil {
				return nil, err
			}
		}
		var err error
		switch d.Answer {
		case "confirm":
			err = s.confirm(ctx, q, sub, claim, &d)
		case "waive":
			err = q.AddSignal(ctx, school, &store.SignalIn{Student: student, Kind: string(sheet.Waiver), Course: d.Course, By: sub.actor.ID, Note: d.Reason,
				Cells: store.Cells{"student": student, "kind": string(sheet.Waiver), "courseCode": d.Course, "by": sub.actor.ID, "note": d.Reason}})
		}
		if err != nil {
			return nil, err
		}
		return map[string]any{"answer": d.Answer, "course": d.Course, "message": d.Reason, "claim": claim}, q.FactsChanged(ctx, school, student)
	})
}

// confirm turns a claim about a course into a transfer record, dated in the year before the student entered the grade.
func (s *Service) confirm(ctx context.Context, q store.Queries, sub *subject, claim *Claim, d *Decision) error {
	y := sub.known.Year
	if claim.Course == "" {
		return problem(BadInput, "only a course can be confirmed as earned elsewhere; waive the condition instead")
	}
	if d.Mark != nil && (*d.Mark < 0 || *d.Mark > 100*credit.One) {
		return problem(BadInput, "the mark must lie between 0 and 100")
	}
	record := &store.RecordIn{Student: sub.Student, Course: claim.Course, StartYear: y.Start - 1, Outcome: string(sheet.Transfer), Subjects: []string{}}
	subject := ""
	if i, ok := y.Index(claim.Course); ok {
		c := &y.Courses[i]
		record.Title, record.Credits, record.Subjects = c.Title, int64(c.Credits), c.Subjects
		subject = strings.Join(c.Subjects, ",")
	}
	mark := ""
	if d.Mark != nil {
		value := int64(*d.Mark)
		record.Mark, mark = &value, d.Mark.String()
	}
	record.Cells = store.Cells{"student": sub.Student, "courseCode": claim.Course, "title": record.Title, "subject": subject, "schoolYear": yearLabel(record.StartYear),
		"credits": credit.Amount(record.Credits).String(), "mark": mark, "outcome": record.Outcome}
	return q.AddRecord(ctx, sub.School, record)
}

// Caseload is a counselor's students by what they wait for.
type Caseload struct {
	School   string    `json:"school"`
	Name     string    `json:"name"`
	Mine     bool      `json:"mine" doc:"Only the reader's own students; false: the whole school"`
	Students []CaseRow `json:"students" doc:"Sorted by family name"`
}

// CaseRow is one student of a caseload.
type CaseRow struct {
	ID      string     `json:"id"`
	Given   string     `json:"given"`
	Family  string     `json:"family"`
	Grade   int        `json:"grade"`
	Stage   string     `json:"stage" enum:"notBegun,inProgress,withFamily,waiting,complete,cleared" doc:"Where the sheet is"`
	Reason  string     `json:"reason,omitempty" enum:"claim,asked,retake,unmet" doc:"waiting: for what"`
	Course  string     `json:"course,omitempty" doc:"The course it is about"`
	Text    string     `json:"text,omitempty" doc:"What the family says or asks"`
	Since   *time.Time `json:"since,omitempty"`
	Version int64      `json:"version"`
}

// Caseload lists the students of the reader, or of the whole school, judged, each with what it waits for and why.
func (s *Service) Caseload(ctx context.Context, username, school string, all bool) (*Caseload, error) {
	q := s.db.Queries()
	p, at, err := s.personIn(ctx, q, username, school, ViewCaseload)
	if err != nil {
		return nil, err
	}
	counselor := p.ID
	if all || !p.Counsels {
		counselor = ""
	}
	list, err := q.Caseload(ctx, school, counselor)
	if err != nil {
		return nil, err
	}
	facts, err := at.factsOf(ctx, q, school, counselor, list)
	if err != nil {
		return nil, err
	}
	out := &Caseload{School: school, Name: p.GivenName + " " + p.FamilyName, Mine: counselor != "", Students: make([]CaseRow, 0, len(list))}
	for i := range list {
		row, err := caseRow(&list[i], facts[i])
		if err != nil {
			return nil, err
		}
		out.Students = append(out.Students, row)
	}
	return out, nil
}

// factsOf gives the compiled facts of a whole caseload, reading those that are not at hand in one go.
func (a *atVersion) factsOf(ctx context.Context, q store.Queries, school, counselor string, list []store.CaseRow) ([]*known, error) {
	out := make([]*known, len(list))
	missing := false
	a.mu.Lock()
	for i := range list {
		if have := a.facts[list[i].Student]; have.value != nil && have.version == list[i].FactsVersion {
			out[i] = have.value
		} else {
			missing = true
		}
	}
	a.mu.Unlock()
	if !missing {
		return out, nil
	}
	rows, err := q.FactsOfSchool(ctx, school, counselor)
	if err != nil {
		return nil, err
	}
	for i := range list {
		if out[i] != nil {
			continue
		}
		row := rows[list[i].Student]
		out[i] = compile(a.year, list[i].Student, list[i].Grade, &row)
		a.mu.Lock()
		keep(a.facts, list[i].Student, keptFacts{list[i].FactsVersion, out[i]})
		a.mu.Unlock()
	}
	return out, nil
}

func caseRow(sub *store.CaseRow, k *known) (CaseRow, error) {
	row := CaseRow{ID: sub.Student, Given: sub.GivenName, Family: sub.FamilyName, Grade: sub.Grade, Version: sub.Version, Since: sub.SubmittedAt}
	j, err := judge(k, sub.Entries)
	if err != nil {
		return row, err
	}
	y := k.Year
	switch {
	case sub.State == "cleared":
		row.Stage = "cleared"
	case sub.State == "inProgress" && sub.Version == 1 && onlyAssigned(k, j):
		row.Stage = "notBegun"
	case sub.State == "inProgress" || sub.State == "sentBack" || changedSince(&sub.SheetRow):
		row.Stage = "inProgress"
	case sub.State == "submitted" && sub.Guardians > 0 && sub.Asked == "":
		row.Stage = "withFamily"
	default:
		row.Stage = "complete"
	}
	if sub.Asked != "" {
		row.Stage, row.Reason, row.Text = "waiting", "asked", sub.Asked
		return row, nil
	}
	if row.Stage == "notBegun" || row.Stage == "cleared" {
		return row, nil
	}
	for _, t := range j.todo {
		if t.Kind == sheet.EntryOpen && t.Verdict == condition.Unverified {
			for _, claim := range k.claims {
				row.Stage, row.Reason, row.Course, row.Text = "waiting", "claim", y.Codes[t.Course], claim.Note
				return row, nil
			}
		}
	}
	if row.Stage != "complete" {
		return row, nil
	}
	for _, r := range j.judgement.Requests {
		if k.Retake(r.Course) {
			row.Stage, row.Reason, row.Course = "waiting", "retake", y.Codes[r.Course]
			return row, nil
		}
	}
	if !j.judgement.Ready { // the records or the rules have changed since it was submitted
		row.Stage, row.Reason = "waiting", "unmet"
		if len(j.todo) > 0 && j.todo[0].Kind == sheet.EntryOpen {
			row.Course = y.Codes[j.todo[0].Course]
		}
	}
	return row, nil
}

// onlyAssigned tells whether nothing but what the school has put on the sheet is on it.
func onlyAssigned(k *known, j *judged) bool {
	for _, e := range j.sheet.Requests {
		if assigned, _ := k.Assigned(e.Course); !assigned {
			return false
		}
	}
	return len(j.sheet.Alternates) == 0
}

// History lists what happened to a sheet, the latest first.
func (s *Service) History(ctx context.Context, username, school, student string) ([]store.Event, error) {
	q := s.db.Queries()
	if _, err := s.subject(ctx, q, username, school, student, ViewSheet, false); err != nil {
		return nil, err
	}
	return q.Events(ctx, school, student, 100)
}
