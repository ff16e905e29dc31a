package caseload

import (
	"cmp"
	"context"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/people"
	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/core/caseload"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	webimports "rubricon/web/imports"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// maxManyBody bounds what names many sheets, or lists many students.
const maxManyBody = 1 << 20

// caseloadRoutes are those of the caseload, and of what is done with many sheets at once.
func (s *Routes) caseloadRoutes(api huma.API) {
	type caseloadIn struct {
		server.InYear
		All       bool   `query:"all" doc:"The whole school rather than the reader's own students"`
		Stage     string `query:"stage" maxLength:"20"`
		Reason    string `query:"reason" maxLength:"20"`
		Grade     string `query:"grade" maxLength:"3" pattern:"^[0-9]*$"`
		Program   string `query:"program" maxLength:"100"`
		Course    string `query:"course" maxLength:"100" doc:"On the sheet, as a request or an alternate"`
		Counselor string `query:"counselor" maxLength:"100"`
		Text      string `query:"text" maxLength:"100" doc:"Words of the name"`
	}
	type caseloadOut struct{ Body *CaseloadView }
	server.SignedIn(s, api, server.Operation("get-caseload", http.MethodGet, server.YearPath+"/caseload",
		"A counselor's students and what they wait for"),
		func(ctx context.Context, by int64, in *caseloadIn) (*caseloadOut, error) {
			f := appcaseload.Filter{All: in.All, Stage: caseload.Stage(in.Stage), Reason: caseload.Reason(in.Reason), Grade: -1,
				Program: in.Program, Course: in.Course,
				Counselor: in.Counselor, Text: in.Text}
			if n, err := strconv.Atoi(in.Grade); err == nil {
				f.Grade = n
			}
			c, err := s.cases.Caseload.Caseload(ctx, by, in.School, in.Year, f)
			if err != nil {
				return nil, err
			}
			return &caseloadOut{newCaseload(c, s.Now())}, nil
		})
	type viewsOut struct{ Body []SavedView }
	server.SignedIn(s, api, server.Operation("list-views", http.MethodGet, server.YearPath+"/caseload/views",
		"Filters of the caseload that the reader keeps by name"),
		func(ctx context.Context, by int64, in *server.InYear) (*viewsOut, error) {
			list, err := s.cases.Caseload.SavedViews(ctx, by, in.School, in.Year)
			out := &viewsOut{Body: []SavedView{}}
			for _, view := range list {
				out.Body = append(out.Body, SavedView(view))
			}
			return out, err
		})
	type saveIn struct {
		server.InYear
		Body SavedView
	}
	type none struct{}
	server.SignedIn(s, api, server.Operation("save-view", http.MethodPost, server.YearPath+"/caseload/views",
		"Keep a filter of the caseload by name"),
		func(ctx context.Context, by int64, in *saveIn) (*none, error) {
			return &none{}, s.cases.Caseload.SaveView(ctx, by, in.School, in.Year, appcaseload.SavedView(in.Body))
		})
	type dropIn struct {
		server.InYear
		Name string `query:"name" maxLength:"60"`
	}
	server.SignedIn(s, api, server.Operation("drop-view", http.MethodDelete, server.YearPath+"/caseload/views",
		"Forget a filter that is kept by name"),
		func(ctx context.Context, by int64, in *dropIn) (*none, error) {
			return &none{}, s.cases.Caseload.DropView(ctx, by, in.School, in.Year, in.Name)
		})
	s.batchRoutes(api)
	type fileOut struct{ Body *FileView }
	server.SignedIn(s, api, server.Operation("get-record", http.MethodGet, server.StudentPath+"/record", "What is on record of a student"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*fileOut, error) {
			f, err := s.cases.People.File(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			return &fileOut{newFile(f)}, nil
		})
	type remindersOut struct{ Body []Reminder }
	server.SignedIn(s, api, server.Operation("get-reminders", http.MethodGet, server.StudentPath+"/reminders",
		"What a student and the family are reminded of"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*remindersOut, error) {
			list, err := s.cases.Caseload.Reminders(ctx, by, in.Place())
			out := &remindersOut{Body: []Reminder{}}
			for _, r := range list {
				out.Body = append(out.Body, Reminder(r))
			}
			return out, err
		})
}

func (s *Routes) batchRoutes(api huma.API) {
	type batchIn struct {
		server.InYear
		Body Batching
	}
	type outcomeOut struct{ Body *BatchOutcome }
	try := server.TakesLong(server.Operation("try-batch", http.MethodPost, server.YearPath+"/batches/trial",
		"What an act on many sheets would do; nothing is changed"))
	do := server.TakesLong(server.Operation("do-batch", http.MethodPost, server.YearPath+"/batches",
		"An act on many sheets, each by itself; those that it cannot be done with stay as they are and are named"))
	try.MaxBodyBytes, do.MaxBodyBytes = maxManyBody, maxManyBody
	server.SignedIn(s, api, try, func(ctx context.Context, by int64, in *batchIn) (*outcomeOut, error) {
		outcomes, err := s.cases.Caseload.TryBatch(ctx, by, in.School, in.Year, newBatch(&in.Body))
		return &outcomeOut{newOutcome(0, outcomes)}, err
	})
	server.SignedIn(s, api, do, func(ctx context.Context, by int64, in *batchIn) (*outcomeOut, error) {
		id, outcomes, err := s.cases.Caseload.DoBatch(ctx, by, in.School, in.Year, newBatch(&in.Body))
		return &outcomeOut{newOutcome(id, outcomes)}, err
	})
	type batchesIn struct {
		server.InYear
		server.Paged
		Student string `query:"student" maxLength:"100"`
	}
	type batchesOut struct{ Body []BatchView }
	server.SignedIn(s, api, server.Operation("list-batches", http.MethodGet, server.YearPath+"/batches",
		"The acts on many sheets at once, or those that concern a student, the latest first, at most 100 at once"),
		func(ctx context.Context, by int64, in *batchesIn) (*batchesOut, error) {
			list, err := s.cases.Caseload.Batches(ctx, by, in.School, in.Year, in.Student, in.Skip)
			out := &batchesOut{Body: []BatchView{}}
			for i := range list {
				b := &list[i]
				d := b.Detail.V
				out.Body = append(out.Body, BatchView{ID: b.ID, Kind: b.Kind, Course: d["course"], Instead: d["instead"],
					Name: d["name"], Message: d["message"], Reason: b.Reason, By: b.By,
					At: b.At, Sheets: b.Sheets, Back: b.Back, BackBy: b.BackBy, BackAt: b.BackAt, MayTakeBack: b.MayTakeBack})
			}
			return out, err
		})
	type backIn struct {
		server.InYear
		Batch int64 `path:"batch" minimum:"1"`
		Body  struct {
			Student string `json:"student,omitempty" maxLength:"100" doc:"Only for this one"`
			Reason  string `json:"reason" maxLength:"1000"`
		}
	}
	server.SignedIn(s, api, server.TakesLong(server.Operation("take-back-batch", http.MethodPost,
		server.YearPath+"/batches/{batch}/return", "Take back what an act on many sheets did; sheets that have gone on since are named")),
		func(ctx context.Context, by int64, in *backIn) (*outcomeOut, error) {
			outcomes, err := s.cases.Caseload.TakeBack(ctx, by, in.School, in.Year, in.Batch, in.Body.Student, in.Body.Reason)
			return &outcomeOut{newOutcome(in.Batch, outcomes)}, err
		})
	type cohortIn struct {
		server.InYear
		Body Choosing
	}
	type cohortOut struct{ Body *CohortView }
	choose := server.Operation("choose-cohort", http.MethodPost, server.YearPath+"/cohort",
		"The students of whom something holds, or whom a list names")
	choose.MaxBodyBytes = maxManyBody
	server.SignedIn(s, api, choose, func(ctx context.Context, by int64, in *cohortIn) (*cohortOut, error) {
		c, err := s.cases.Caseload.Cohort(ctx, by, in.School, in.Year, appcaseload.Whom(in.Body))
		if err != nil {
			return nil, err
		}
		return &cohortOut{newCohort(c)}, nil
	})
}

// recordRoutes are those of records that many have from another school.
func (s *Routes) recordRoutes(api huma.API) {
	type recordsIn struct {
		server.InYear
		Body struct {
			Text string `json:"text" maxLength:"524288" doc:"In the columns of records.csv, cells parted by commas, semicolons or tabs"`
		}
	}
	type recordsOut struct{ Body *RecordsRead }
	read := server.Operation("read-records", http.MethodPost, server.YearPath+"/records",
		"Read a list of records of another school, whose each is, and what cannot be read; nothing is changed")
	read.MaxBodyBytes = maxManyBody
	server.SignedIn(s, api, read, func(ctx context.Context, by int64, in *recordsIn) (*recordsOut, error) {
		rows, problems, err := s.cases.Caseload.ReadRecords(ctx, by, in.School, in.Year, in.Body.Text)
		if err != nil {
			return nil, err
		}
		v := &RecordsRead{Problems: webimports.TaskProblems(problems), Rows: []RecordRead{}}
		for i := range rows {
			r := &rows[i]
			e := &r.Entry
			row := RecordRead{Line: r.Line, Named: r.Named, People: Members(r.People),
				Record: RecordText{Course: e.Course, Title: e.Title, Subject: e.Subject, SchoolYear: e.SchoolYear, Term: e.Term,
					Credits: e.Credits, Mark: e.Mark, Outcome: e.Outcome}, Bad: r.Bad}
			if r.Student != nil {
				row.Student = &Members([]people.Member{*r.Student})[0]
			}
			v.Rows = append(v.Rows, row)
		}
		return &recordsOut{v}, nil
	})
}

func newCohort(c *appcaseload.Cohort) *CohortView {
	v := &CohortView{Students: Members(c.Students), Unknown: c.Unknown, Lines: []RosterLine{}}
	for _, l := range c.Lines {
		v.Lines = append(v.Lines, RosterLine{Line: l.Number, Text: l.Text, Twice: l.Twice, People: Members(l.People)})
	}
	return v
}

// Members returns students as lists show them.
func Members(list []people.Member) []Member {
	out := []Member{}
	for _, m := range list {
		out = append(out, Member{ID: m.Student, Given: m.GivenName, Family: m.FamilyName, Grade: m.Grade, Version: m.Version})
	}
	return out
}

func newBatch(b *Batching) appcaseload.Batch {
	out := appcaseload.Batch{Kind: b.Kind, Course: b.Course, Instead: b.Instead, Name: b.Name, Fixed: b.Fixed,
		Message: b.Message, Reason: b.Reason, ID: b.Batch}
	if b.Record != nil {
		out.Record = enteringOf(b.Record)
	}
	for i := range b.Own {
		out.Own = append(out.Own, appcaseload.OwnEntry{Student: b.Own[i].Student, Entry: enteringOf(&b.Own[i].Record)})
	}
	for _, c := range b.Sheets {
		out.Sheets = append(out.Sheets, appcaseload.Choice(c))
	}
	return out
}

func enteringOf(r *Entering) appsheet.Entry {
	return appsheet.Entry{Replaces: r.Record, Course: r.Course, Title: r.Title, Subject: r.Subject,
		SchoolYear: r.SchoolYear, Term: r.Term, Credits: r.Credits, Mark: r.Mark, Outcome: r.Outcome}
}

func newOutcome(id int64, list []appcaseload.Outcome) *BatchOutcome {
	v := &BatchOutcome{Batch: id, Sheets: []SheetOutcome{}}
	for _, o := range list {
		v.Sheets = append(v.Sheets, SheetOutcome{Student: o.Student, Given: o.GivenName, Family: o.FamilyName,
			Grade: o.Grade, Code: string(o.Code), Version: o.Version, Came: append([]string{}, o.Came...), Gone: append([]string{}, o.Gone...)})
	}
	return v
}

// newCaseload shows a caseload.
func newCaseload(c *appcaseload.Caseload, now time.Time) *CaseloadView {
	v := &CaseloadView{School: c.Year.School, Year: c.Year.Start, Name: c.Reader, Mine: c.Mine, Students: make([]CaseRow, 0, len(c.Lines)),
		Counts: CaseCounts{All: c.Counts.All, Waiting: c.Counts.Waiting, Ready: c.Counts.Ready, Stages: []CaseCount{},
			Reasons: []CaseCount{}, Grades: []CaseCount{}, Programs: []CaseCount{}, Counselors: []CaseCount{}}}
	n := &v.Counts
	for _, stage := range caseload.Stages() {
		n.Stages = append(n.Stages, CaseCount{ID: string(stage), Students: c.Counts.Stages[stage]})
	}
	for _, reason := range caseload.Reasons() {
		if k := c.Counts.Reasons[reason]; k > 0 {
			n.Reasons = append(n.Reasons, CaseCount{ID: string(reason), Students: k, School: reason.School()})
		}
	}
	for grade, k := range c.Counts.Grades {
		n.Grades = append(n.Grades, CaseCount{ID: strconv.Itoa(grade), Students: k})
	}
	slices.SortFunc(n.Grades, func(a, b CaseCount) int {
		x, _ := strconv.Atoi(a.ID)
		y, _ := strconv.Atoi(b.ID)
		return x - y
	})
	for program, k := range c.Counts.Programs {
		n.Programs = append(n.Programs, CaseCount{ID: program, Students: k})
	}
	slices.SortFunc(n.Programs, func(a, b CaseCount) int { return cmp.Compare(a.ID, b.ID) })
	for _, k := range c.Counts.Counselors {
		n.Counselors = append(n.Counselors, CaseCount{ID: k.ID, Name: k.Name, Students: k.Students})
	}
	for i := range c.Lines {
		v.Students = append(v.Students, newCaseRow(c, &c.Lines[i], now))
	}
	return v
}

func newCaseRow(c *appcaseload.Caseload, l *appcaseload.CaseLine, now time.Time) CaseRow {
	row := CaseRow{ID: l.Student, Given: l.GivenName, Family: l.FamilyName, Grade: l.Grade, Stage: string(l.Stage),
		Version: l.Version, Approve: websheet.NewAct(l.Approve),
		Reminded: l.RemindedAt, Waits: []CaseWait{}}
	if !c.Mine {
		row.Counselor = l.CounselorName
	}
	if w := l.Window(); w.Phase(now) == acts.Open {
		row.Closes = &w.Families
	}
	for _, w := range l.Waits {
		wait := CaseWait{Reason: string(w.Reason), School: w.Reason.School(), Text: w.Text, Courses: []string{}}
		for _, course := range w.Courses {
			wait.Courses = append(wait.Courses, c.Year.Codes[course])
		}
		if !w.Since.IsZero() {
			wait.Since = &w.Since
		}
		row.Waits = append(row.Waits, wait)
	}
	return row
}

// newFile shows what is on record of a student.
func newFile(f *people.File) *FileView {
	v := &FileView{Records: []RecordView{}, Signals: []SignalView{}, Guardians: []Guardian{}}
	k := f.Desk.Known
	for i := range k.Records {
		r := &k.Records[i]
		row := RecordView{ID: k.RecordIDs[i], Course: r.Code, Title: r.Title, Subjects: append([]string{}, r.Subjects...),
			SchoolYear: policy.YearLabel(r.Year), Term: r.Term,
			Credits: r.Credits, Outcome: string(r.Outcome), Entered: k.Entered[i]}
		if course, ok := f.Desk.Year.Index(r.Code); ok {
			row.Title, row.Subjects = f.Desk.Year.Courses[course].Title, f.Desk.Year.Courses[course].Subjects
		}
		if r.HasMark {
			row.Mark = &r.Mark
		}
		v.Records = append(v.Records, row)
	}
	slices.SortStableFunc(v.Records, func(a, b RecordView) int { return cmp.Compare(a.SchoolYear, b.SchoolYear) })
	for i := range k.Signals {
		x := &k.Signals[i]
		row := SignalView{Kind: string(x.Kind), Course: x.Code, Name: x.Name, By: k.Said[i], Note: x.Note,
			Fixed: x.Kind == sheet.Assignment && x.Value == credit.One}
		if x.Kind == sheet.ScoreOnFile {
			row.Value = &x.Value
		}
		v.Signals = append(v.Signals, row)
	}
	for _, g := range f.Guardians {
		v.Guardians = append(v.Guardians, Guardian(g))
	}
	return v
}
