package catalog

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	appcatalog "rubricon/app/catalog"
	webcaseload "rubricon/web/caseload"
	webimports "rubricon/web/imports"
	"rubricon/web/server"
)

// RulesView is what the rules and courses of a school year are read from.
type RulesView struct {
	Catalog int64               `json:"catalog" doc:"The version of the courses in force"`
	Policy  int64               `json:"policy" doc:"The version of the rules in force"`
	Text    string              `json:"text" doc:"policy.json"`
	Courses []CourseRow         `json:"courses" doc:"Rows of courses.csv, in their order"`
	Errands []map[string]string `json:"errands" doc:"Rows of errands.csv, in their order: by column, but for those that are empty"`
}

// CourseRow is a row of courses.csv.
type CourseRow struct {
	Code  string            `json:"code"`
	Cells map[string]string `json:"cells" doc:"By column, but for those that are empty"`
}

// Revising changes the rules, or courses.
type Revising struct {
	Catalog int64                `json:"catalog" doc:"The versions that were looked at"`
	Policy  int64                `json:"policy"`
	Text    *string              `json:"text,omitempty" maxLength:"1000000" doc:"policy.json; none: as it is"`
	Courses []CourseEdit         `json:"courses,omitempty" maxItems:"200"`
	Errands *[]map[string]string `json:"errands,omitempty" maxItems:"1000" doc:"Rows of errands.csv; none: as they are"`
	Reason  string               `json:"reason,omitempty" maxLength:"1000" doc:"To put it in force"`
}

// CourseEdit changes cells of a course, adds one, or takes one away.
type CourseEdit struct {
	Code   string            `json:"code" minLength:"1" maxLength:"100"`
	Cells  map[string]string `json:"cells,omitempty"`
	Remove bool              `json:"remove,omitempty"`
}

// RevisionView is what a revision would do.
type RevisionView struct {
	Problems []webimports.TaskProblem `json:"problems" doc:"What is wrong in it; nothing else is said then"`
	Sheets   int                      `json:"sheets" doc:"That were judged"`
	Rules    []RuleStanding           `json:"rules" doc:"The rules as they come, then those that go"`
	Lapsed   []webcaseload.Member     `json:"lapsed" doc:"Whose sheet held and would no longer"`
	Mended   []webcaseload.Member     `json:"mended" doc:"Whose sheet would hold and does not now"`
	Gone     []GoneCourse             `json:"gone" doc:"Courses that are taken away"`
	Removed  []RemovedPart            `json:"removed" doc:"Parts of the rules that are taken away, in the order in which they were"`
}

// RemovedPart is a part of the rules that is taken away.
type RemovedPart struct {
	Kind  string `json:"kind" enum:"rule,audit,entry,commitment,group,fill,stage,welcome,contact,mark,holiday"`
	Label string `json:"label,omitempty" doc:"As people know it"`
}

// RuleStanding is how the real sheets stand to a rule: as it is, and as it would be.
type RuleStanding struct {
	ID    string    `json:"id"`
	Label string    `json:"label"`
	Was   *Standing `json:"was,omitempty" doc:"None: the rule is new"`
	Now   *Standing `json:"now,omitempty" doc:"None: the rule goes"`
}

// Standing counts sheets by how they stand to a rule.
type Standing struct {
	Holds int `json:"holds"`
	Short int `json:"short"`
	Over  int `json:"over"`
	Apart int `json:"apart" doc:"For whom it is not in force"`
}

// GoneCourse is a course that is taken away.
type GoneCourse struct {
	Code      string `json:"code"`
	Title     string `json:"title"`
	Requested int    `json:"requested"`
	Entered   int    `json:"entered" doc:"Of those who request it: handed in"`
}

// VersionView is a version of the rules or the courses.
type VersionView struct {
	Kind    string    `json:"kind" enum:"rules,courses"`
	Version int64     `json:"version"`
	At      time.Time `json:"at"`
	By      string    `json:"by,omitempty" doc:"Empty: it came with the school’s data"`
	Reason  string    `json:"reason,omitempty"`
}

// WindowRow is when sheets are open, or seats are chosen; times are those of the school's time zone.
type WindowRow struct {
	Round      string `json:"round,omitempty" enum:"summer,seats" doc:"Absent: of the requests for the year"`
	Grade      int    `json:"grade" minimum:"-1" maximum:"20" doc:"-1: of every grade without one of its own"`
	Student    string `json:"student,omitempty" maxLength:"100" doc:"Of one student, with the grade -1"`
	Name       string `json:"name,omitempty" maxLength:"300" doc:"Of the student"`
	Opens      string `json:"opens" maxLength:"16" doc:"2027-03-12T16:00"`
	Families   string `json:"families" maxLength:"16" doc:"Closes for families"`
	Counselors string `json:"counselors" maxLength:"16" doc:"Closes for counselors too"`
}

// rulesRoutes are those of what a school changes of its rules and courses here.
func (s *Routes) rulesRoutes(api huma.API) {
	type rulesOut struct{ Body *RulesView }
	server.SignedIn(s, api, server.Operation("get-rules", http.MethodGet, server.YearPath+"/rules",
		"What the rules and courses of a school year are read from"),
		func(ctx context.Context, by int64, in *server.InYear) (*rulesOut, error) {
			y, source, err := s.cases.Catalog.Source(ctx, by, in.School, in.Year)
			if err != nil {
				return nil, err
			}
			v := &RulesView{Catalog: y.CatalogVersion, Policy: y.PolicyVersion, Text: source.Policy, Courses: []CourseRow{}}
			for _, cells := range cellsOf(source.Files["courses.csv"]) {
				v.Courses = append(v.Courses, CourseRow{Code: cells["courseCode"], Cells: cells})
			}
			v.Errands = cellsOf(source.Files["errands.csv"])
			return &rulesOut{v}, nil
		})
	type reviseIn struct {
		server.InYear
		Body Revising
	}
	type effectOut struct{ Body *RevisionView }
	answered := func(e *appcatalog.RevisionEffect, err error) (*effectOut, error) {
		if err != nil {
			return nil, err
		}
		return &effectOut{newRevisionView(e)}, nil
	}
	try := server.TakesLong(server.Operation("try-revision", http.MethodPost, server.YearPath+"/rules/trial",
		"What other rules or courses would do to the real sheets; nothing is changed"))
	do := server.TakesLong(server.Operation("revise", http.MethodPost, server.YearPath+"/rules",
		"Put other rules or courses in force, with a reason"))
	try.MaxBodyBytes, do.MaxBodyBytes = 2<<20, 2<<20
	server.SignedIn(s, api, try, func(ctx context.Context, by int64, in *reviseIn) (*effectOut, error) {
		return answered(s.cases.Catalog.TryRevision(ctx, by, in.School, in.Year, newRevision(&in.Body)))
	})
	server.SignedIn(s, api, do, func(ctx context.Context, by int64, in *reviseIn) (*effectOut, error) {
		return answered(s.cases.Catalog.Revise(ctx, by, in.School, in.Year, newRevision(&in.Body)))
	})
}

// windowRoutes registers the request periods.
func (s *Routes) windowRoutes(api huma.API) {
	type windowsOut struct{ Body []WindowRow }
	server.SignedIn(s, api, server.Operation("list-windows", http.MethodGet, server.YearPath+"/windows",
		"When sheets are open: for all, by grade, by student"),
		func(ctx context.Context, by int64, in *server.InYear) (*windowsOut, error) {
			y, list, err := s.cases.Catalog.Windows(ctx, by, in.School, in.Year)
			out := &windowsOut{Body: []WindowRow{}}
			for i := range list {
				l := appcatalog.LocalOf(y, &list[i])
				out.Body = append(out.Body, WindowRow{Round: string(l.Round), Grade: l.Grade, Student: l.Student,
					Name: list[i].Name, Opens: l.Opens, Families: l.Families, Counselors: l.Counselors})
			}
			return out, err
		})
	type windowIn struct {
		server.InYear
		Body WindowRow
	}
	server.SignedIn(s, api, server.Operation("put-window", http.MethodPut, server.YearPath+"/windows", "Set when sheets are open"),
		func(ctx context.Context, by int64, in *windowIn) (*struct{}, error) {
			b := &in.Body
			return &struct{}{}, s.cases.Catalog.PutWindow(ctx, by, in.School, in.Year,
				appcatalog.Local{Round: appcatalog.Round(b.Round), Grade: b.Grade, Student: b.Student, Opens: b.Opens,
					Families: b.Families, Counselors: b.Counselors})
		})
	type noWindowIn struct {
		server.InYear
		Round   string `query:"round" enum:"summer,seats"`
		Grade   int    `query:"grade" minimum:"-1" maximum:"20"`
		Student string `query:"student" maxLength:"100"`
	}
	server.SignedIn(s, api, server.Operation("drop-window", http.MethodDelete, server.YearPath+"/windows",
		"Take a window away; the one of the grade, or of all, then holds"),
		func(ctx context.Context, by int64, in *noWindowIn) (*struct{}, error) {
			return &struct{}{}, s.cases.Catalog.DropWindow(ctx, by, in.School, in.Year,
				appcatalog.Window{Round: appcatalog.Round(in.Round), Grade: in.Grade, Student: in.Student})
		})
}

// versionRoutes registers the versions of the rules.
func (s *Routes) versionRoutes(api huma.API) {
	type versionsOut struct{ Body []VersionView }
	server.SignedIn(s, api, server.Operation("list-rules", http.MethodGet, server.YearPath+"/rules/versions",
		"The versions of the rules and courses, the latest first"),
		func(ctx context.Context, by int64, in *server.InYear) (*versionsOut, error) {
			list, err := s.cases.Catalog.Versions(ctx, by, in.School, in.Year)
			out := &versionsOut{Body: []VersionView{}}
			for _, v := range list {
				out.Body = append(out.Body, VersionView(v))
			}
			return out, err
		})
	type versionIn struct {
		server.InYear
		Version int64 `path:"version" minimum:"1"`
	}
	type textOut struct {
		Body struct {
			Text string `json:"text"`
		}
	}
	server.SignedIn(s, api, server.Operation("get-rules-version", http.MethodGet,
		server.YearPath+"/rules/versions/{version}", "policy.json as it was in a version"),
		func(ctx context.Context, by int64, in *versionIn) (out *textOut, err error) {
			out = &textOut{}
			out.Body.Text, err = s.cases.Catalog.RulesOf(ctx, by, in.School, in.Year, in.Version)
			return out, err
		})
}

// cellsOf returns the rows of a file by column, without the cells that are empty.
func cellsOf(f appcatalog.SourceFile) []map[string]string {
	out := []map[string]string{}
	for _, row := range f.Rows {
		cells := map[string]string{}
		for i, column := range f.Header {
			if row[i] != "" {
				cells[column] = row[i]
			}
		}
		out = append(out, cells)
	}
	return out
}

func newRevision(r *Revising) appcatalog.Revision {
	out := appcatalog.Revision{Catalog: r.Catalog, Policy: r.Policy, Rules: r.Text, Errands: r.Errands, Reason: r.Reason}
	for _, c := range r.Courses {
		out.Courses = append(out.Courses, appcatalog.CourseEdit(c))
	}
	return out
}

func newRevisionView(e *appcatalog.RevisionEffect) *RevisionView {
	v := &RevisionView{Problems: webimports.TaskProblems(e.Problems), Sheets: e.Sheets, Rules: []RuleStanding{},
		Lapsed: webcaseload.Members(e.Lapsed), Mended: webcaseload.Members(e.Mended), Gone: []GoneCourse{}, Removed: []RemovedPart{}}
	for _, r := range e.Rules {
		out := RuleStanding{ID: r.ID, Label: r.Label}
		if r.Was != nil {
			was := Standing(*r.Was)
			out.Was = &was
		}
		if r.Now != nil {
			now := Standing(*r.Now)
			out.Now = &now
		}
		v.Rules = append(v.Rules, out)
	}
	for _, p := range e.Removed {
		v.Removed = append(v.Removed, RemovedPart(p))
	}
	for _, g := range e.Gone {
		v.Gone = append(v.Gone, GoneCourse(g))
	}
	return v
}
