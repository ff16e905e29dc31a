package caseload

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	appcaseload "rubricon/app/caseload"
	schoolyear "rubricon/app/year"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// ClassesView are the classes of a teacher.
type ClassesView struct {
	Classes []ClassHead `json:"classes"`
}

// ClassHead is a class in a list.
type ClassHead struct {
	Course string `json:"course" doc:"The course that is taught"`
	Title  string `json:"title"`
	Pupils int    `json:"pupils"`
	Words  int    `json:"words" doc:"How many have the teacher's word"`
}

// ClassView is a course that the reader teaches now, with those whom they teach it.
type ClassView struct {
	Course  string        `json:"course"`
	Title   string        `json:"title"`
	Columns []ClassColumn `json:"columns" doc:"The courses that are likely to come next, those that are wanted beside, the last the same again"`
	Others  []ClassColumn `json:"others" doc:"The other courses of the subject, by title"`
	Pupils  []Pupil       `json:"pupils" doc:"By name"`
}

// ClassColumn is a course that may come next.
type ClassColumn struct {
	Course string `json:"course"`
	Title  string `json:"title"`
	Again  bool   `json:"again,omitempty" doc:"It is the class's own course"`
	ByWord bool   `json:"byWord,omitempty" doc:"It opens by a recommendation"`
}

// Pupil is what a teacher sees of a student.
type Pupil struct {
	Student  string         `json:"student"`
	Given    string         `json:"given"`
	Family   string         `json:"family"`
	Grade    int            `json:"grade" doc:"The grade being entered"`
	Mark     *credit.Amount `json:"mark,omitempty" doc:"In the class, so far"`
	Asks     []string       `json:"asks" doc:"Titles of what the student requests in the subject"`
	HandedIn bool           `json:"handedIn" doc:"The school has what is requested; else it is planned"`
	Word     string         `json:"word,omitempty" doc:"The course that the teacher recommends"`
	Reason   string         `json:"reason,omitempty" doc:"Why, for the student and the family"`
	Cells    []PupilCell    `json:"cells" doc:"One for each column"`
	May      websheet.Act   `json:"may" doc:"Whether the teacher may recommend now"`
}

// PupilCell reports whether a student may take a course.
type PupilCell struct {
	Verdict string          `json:"verdict" enum:"none,unmet,unverified,expected,met" doc:"With the teacher's word; none: it is not offered to the student"`
	Holds   bool            `json:"holds" doc:"The student may take it, or may once a course now being taken is finished"`
	Lacks   []websheet.Need `json:"lacks,omitempty" doc:"What it asks for and nothing meets"`
}

// Recommending is a teacher's word.
type Recommending struct {
	Students []string `json:"students" minItems:"1" maxItems:"200"`
	Course   string   `json:"course" maxLength:"100" doc:"Of the subject of the class; empty: the word is taken back"`
	Reason   string   `json:"reason,omitempty" maxLength:"120"`
	Also     string   `json:"also,omitempty" maxLength:"100" doc:"A course of the subject that is wanted as a column too"`
}

// teacherRoutes are those of who teaches.
func (s *Routes) teacherRoutes(api huma.API) {
	type classesOut struct{ Body *ClassesView }
	type classOut struct{ Body *ClassView }
	server.SignedIn(s, api, server.Operation("get-classes", http.MethodGet, server.YearPath+"/classes",
		"The classes that the reader teaches now"),
		func(ctx context.Context, by int64, in *server.InYear) (*classesOut, error) {
			y, list, err := s.cases.Caseload.Classes(ctx, by, in.School, in.Year)
			if err != nil {
				return nil, err
			}
			v := &ClassesView{Classes: []ClassHead{}}
			for _, c := range list {
				v.Classes = append(v.Classes, ClassHead{Course: c.Course, Title: titleOf(y, c.Course, server.RequestOf(ctx).Reads),
					Pupils: c.Pupils, Words: c.Words})
			}
			return &classesOut{v}, nil
		})
	type classIn struct {
		server.InYear
		Class string `path:"class" maxLength:"100"`
		Also  string `query:"also" maxLength:"100" doc:"A course of the subject that is wanted as a column too"`
	}
	server.SignedIn(s, api, server.Operation("get-class", http.MethodGet, server.YearPath+"/classes/{class}",
		"A course that the reader teaches now, with those whom they teach it"),
		func(ctx context.Context, by int64, in *classIn) (*classOut, error) {
			c, err := s.cases.Caseload.Class(ctx, by, in.School, in.Year, in.Class, in.Also)
			if err != nil {
				return nil, err
			}
			return &classOut{newClass(c, server.RequestOf(ctx).Reads)}, nil
		})
	type recommendIn struct {
		server.InYear
		Class string `path:"class" maxLength:"100"`
		Body  Recommending
	}
	server.SignedIn(s, api, server.Operation("recommend", http.MethodPost,
		server.YearPath+"/classes/{class}/recommendations", "Recommend what comes next to students of a class, or take the word back"),
		func(ctx context.Context, by int64, in *recommendIn) (*classOut, error) {
			c, err := s.cases.Caseload.Recommend(ctx, by, in.School, in.Year, in.Class, appcaseload.Recommending(in.Body))
			if err != nil {
				return nil, err
			}
			return &classOut{newClass(c, server.RequestOf(ctx).Reads)}, nil
		})
}

// titleOf is a course's title in a language, or its code where the catalog has it no longer.
func titleOf(y *schoolyear.SchoolYear, code, language string) string {
	if course, ok := y.Index(code); ok {
		return y.Courses[course].TextIn(language).Title
	}
	return code
}

func newClass(c *appcaseload.Class, language string) *ClassView {
	y := c.Year
	v := &ClassView{Course: c.Course, Title: titleOf(y, c.Course, language), Columns: []ClassColumn{},
		Others: []ClassColumn{}, Pupils: []Pupil{}}
	for _, course := range c.Columns {
		v.Columns = append(v.Columns, newColumn(c, course, language))
	}
	for _, course := range c.Others {
		v.Others = append(v.Others, newColumn(c, course, language))
	}
	for i := range c.Pupils {
		p := &c.Pupils[i]
		out := Pupil{Student: p.Known.ID, Given: p.GivenName, Family: p.FamilyName, Grade: p.Known.Grade, Mark: p.Mark,
			Asks: []string{}, HandedIn: p.HandedIn, Reason: p.Reason, Cells: []PupilCell{}, May: websheet.NewAct(p.May)}
		for _, course := range p.Asks {
			out.Asks = append(out.Asks, titleOf(y, y.Codes[course], language))
		}
		if p.Word >= 0 {
			out.Word = y.Codes[p.Word]
		}
		for _, course := range c.Columns {
			out.Cells = append(out.Cells, newCell(y.Year, p, course))
		}
		v.Pupils = append(v.Pupils, out)
	}
	return v
}

func newColumn(c *appcaseload.Class, course int32, language string) ClassColumn {
	x := &c.Year.Courses[course]
	return ClassColumn{Course: x.Code, Title: x.TextIn(language).Title, Again: x.Code == c.Course, ByWord: x.ByWord()}
}

func newCell(y *catalog.Year, p *appcaseload.Taught, course int32) (cell PupilCell) {
	verdict, offered := p.Known.ByWord(&p.Sheet, course)
	if !offered {
		return PupilCell{Verdict: "none"}
	}
	cell.Verdict, cell.Holds = verdict.String(), verdict >= condition.Expected
	if !cell.Holds {
		for _, e := range p.Known.Explain(&p.Sheet, course) {
			if e.Verdict < condition.Expected && e.Leaf.Kind != condition.Recommended {
				cell.Lacks = append(cell.Lacks, websheet.NewNeed(y, e.Leaf))
			}
		}
	}
	return cell
}
