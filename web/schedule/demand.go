package schedule

import (
	"bytes"
	"context"
	"encoding/json"
	"mime"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/background"
	"rubricon/app/schedule"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/credit"
	"rubricon/core/demand"
	"rubricon/web/server"
)

// DemandView is what the sheets of a school year ask for, and what is planned for it.
type DemandView struct {
	Size      int            `json:"size" doc:"Of a section, in students"`
	Few       int            `json:"few" doc:"Requests below which a course has few: half a section"`
	Students  int            `json:"students"`
	Submitted int            `json:"submitted" doc:"Whose sheet is handed in"`
	Drafts    bool           `json:"drafts" doc:"Also what is not handed in is counted"`
	Planned   credit.Amount  `json:"planned" doc:"Teaching periods that the planned sections take: a section of load 1 all year is one"`
	Periods   *int           `json:"periods,omitempty" doc:"That teachers can give"`
	Clashes   bool           `json:"clashes" doc:"Families are told which requests no choice of sections gives together"`
	Courses   []DemandCourse `json:"courses" doc:"Those that somebody asks for, that are planned, or that have sections"`
}

// DemandCourse is what is asked of one course.
type DemandCourse struct {
	Course     string      `json:"course"`
	Requests   int         `json:"requests"`
	Alternates int         `json:"alternates,omitempty"`
	Grades     []GradeAsks `json:"grades" doc:"The requests by grade, the lowest first"`
	Uncovered  int         `json:"uncovered,omitempty" doc:"Students whom nothing covers if it does not run"`
	Needed     int         `json:"needed" doc:"Sections of the size that it takes"`
	Plan       *int        `json:"plan,omitempty" doc:"Sections that were planned; missing: as many as it takes"`
	Planned    int         `json:"planned" doc:"Sections planned: none where it does not run, else what was set, else as many as it takes"`
	Over       int         `json:"over,omitempty" doc:"Requests beyond the seats of those"`
	Fit        string      `json:"fit" enum:"stopped,few,more,fewer,plain" doc:"How they suit the requests: few are fewer than half a section, more than their seats, or one section fewer would do"`
	StepIn     int         `json:"stepIn,omitempty" doc:"Students for whom it comes in for a course that does not run"`
	Sections   int         `json:"sections,omitempty" doc:"In the master schedule"`
	Seats      int         `json:"seats,omitempty"`
	Stopped    *Stopped    `json:"stopped,omitempty" doc:"It does not run"`
}

// Stopped says why a course does not run.
type Stopped struct {
	Reason string    `json:"reason"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
}

// GradeAsks is how many of a grade ask for a course.
type GradeAsks struct {
	Grade int `json:"grade"`
	N     int `json:"n"`
}

// DemandOne is one course closer.
type DemandOne struct {
	Course    DemandCourse `json:"course"`
	Uncovered []NamedPupil `json:"uncovered" doc:"Whom nothing covers if it does not run"`
	Pairs     []DemandPair `json:"pairs" doc:"What it is wanted together with, the most first"`
	Clashes   []DemandPair `json:"clashes" doc:"The same with one section each: at the same time they would clash"`
}

// NamedPupil is a student by name.
type NamedPupil struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	Grade int    `json:"grade"`
}

// DemandPair is a course with how many want both.
type DemandPair struct {
	Course   string `json:"course"`
	Students int    `json:"students"`
}

func newDemandCourse(d *schedule.Demand, course int) DemandCourse {
	c := &d.Courses[course]
	v := DemandCourse{Course: d.Year.Codes[course], Requests: c.Requests, Alternates: c.Alternates, Grades: []GradeAsks{},
		Uncovered: len(c.Uncovered), Needed: c.Needed, Plan: c.Set, Planned: c.Plan.Sections, Over: c.Plan.Over, Fit: string(c.Plan.Fit),
		StepIn: c.StepIn, Sections: c.Sections, Seats: c.Seats}
	for grade := 0; grade <= 12; grade++ {
		if n := c.ByGrade[grade]; n > 0 {
			v.Grades = append(v.Grades, GradeAsks{grade, n})
		}
	}
	if x := c.Stopped; x != nil {
		v.Stopped = &Stopped{x.Reason, x.By, x.At}
	}
	return v
}

func newDemand(d *schedule.Demand) *DemandView {
	v := &DemandView{Size: d.Size, Few: demand.FewOf(d.Size), Students: d.Students, Submitted: d.Submitted, Drafts: d.Drafts, Planned: d.Planned,
		Periods: d.Periods, Clashes: d.Clashes, Courses: []DemandCourse{}}
	for i := range d.Courses {
		if c := &d.Courses[i]; c.Requests+c.Alternates+c.Sections > 0 || c.Set != nil || c.Stopped != nil {
			v.Courses = append(v.Courses, newDemandCourse(d, i))
		}
	}
	return v
}

// DemandQuery says how demand is counted.
type DemandQuery struct {
	server.InYear
	Size   int  `query:"size" minimum:"0" maximum:"1000" doc:"Of a section; 0: the one that is planned with"`
	Drafts bool `query:"drafts" doc:"Also what is not handed in"`
}

// demandRoutes are those of what is asked for, and of planning sections for it.
func (s *Routes) demandRoutes(api huma.API) {
	type demandOut struct{ Body *DemandView }
	server.SignedIn(s, api, server.Operation("get-demand", http.MethodGet, server.YearPath+"/demand",
		"What the sheets ask for, and what is planned for it"), func(ctx context.Context, by int64, in *DemandQuery) (*demandOut, error) {
		d, err := s.cases.Schedule.Demand(ctx, by, in.School, in.Year, in.Size, in.Drafts)
		if err != nil {
			return nil, err
		}
		return &demandOut{newDemand(d)}, nil
	})
	type demandOneIn struct {
		DemandQuery
		Course string `path:"course" maxLength:"100"`
	}
	type oneOut struct{ Body *DemandOne }
	server.SignedIn(s, api, server.Operation("get-demand-of", http.MethodGet, server.YearPath+"/demand/courses/{course}",
		"One course: whom it would leave with nothing, and what it is wanted together with"),
		func(ctx context.Context, by int64, in *demandOneIn) (*oneOut, error) {
			d, err := s.cases.Schedule.DemandFor(ctx, by, in.School, in.Year, in.Size, in.Drafts, in.Course)
			if err != nil {
				return nil, err
			}
			v := &DemandOne{Course: newDemandCourse(d.Demand, int(d.Course)), Uncovered: []NamedPupil{},
				Pairs: demandPairs(d, d.Pairs), Clashes: demandPairs(d, d.Clashes)}
			for _, p := range d.Uncovered {
				v.Uncovered = append(v.Uncovered, NamedPupil(p))
			}
			return &oneOut{v}, nil
		})
	type planSectionsIn struct {
		server.InYear
		Course string `path:"course" maxLength:"100"`
		Body   struct {
			Sections *int `json:"sections,omitempty" minimum:"0" maximum:"1000" doc:"Missing: as many as it takes"`
		}
	}
	plan := server.Operation("plan-sections", http.MethodPut, server.YearPath+"/demand/courses/{course}",
		"Plan a number of sections of a course")
	plan.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, plan, func(ctx context.Context, by int64, in *planSectionsIn) (*struct{}, error) {
		return nil, s.cases.Schedule.PlanSections(ctx, by, in.School, in.Year, in.Course, in.Body.Sections)
	})
	type setRunsIn struct {
		server.InYear
		Course string `path:"course" maxLength:"100"`
		Body   struct {
			Runs   bool   `json:"runs"`
			Reason string `json:"reason,omitempty" maxLength:"1000" doc:"Why it does not; those concerned read it"`
		}
	}
	type setRunsOut struct {
		Body struct {
			Told int `json:"told" doc:"How many students were told, and their guardians"`
		}
	}
	server.SignedIn(s, api, server.Operation("set-runs", http.MethodPut, server.YearPath+"/demand/courses/{course}/runs",
		"Say that a course does not run, with a reason, or does after all; those concerned are told"),
		func(ctx context.Context, by int64, in *setRunsIn) (*setRunsOut, error) {
			told, err := s.cases.Schedule.SetRuns(ctx, by, in.School, in.Year, in.Course, in.Body.Runs, in.Body.Reason)
			out := &setRunsOut{}
			out.Body.Told = told
			return out, err
		})
}

// planRoutes registers the plan of a year and the demand as a file.
func (s *Routes) planRoutes(api huma.API) {
	type planYearIn struct {
		server.InYear
		Body struct {
			Size    int  `json:"size" minimum:"1" maximum:"1000" doc:"Of a section, in students"`
			Periods *int `json:"periods,omitempty" minimum:"0" maximum:"100000" doc:"That teachers can give; missing: not known"`
			Clashes bool `json:"clashes" doc:"Whether families are told which requests no choice of sections gives together"`
		}
	}
	year := server.Operation("plan-year", http.MethodPut, server.YearPath+"/demand",
		"Set how large sections are planned, and how many periods teachers can give")
	year.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, year, func(ctx context.Context, by int64, in *planYearIn) (*struct{}, error) {
		return nil, s.cases.Schedule.PlanYear(ctx, by, in.School, in.Year,
			schedule.YearPlan{Size: in.Body.Size, Periods: in.Body.Periods, Clashes: in.Body.Clashes})
	})
	type demandFileIn struct {
		DemandQuery
		Form string `path:"form" enum:"csv,xlsx,json"`
	}
	type fileOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("take-demand", http.MethodGet,
		server.YearPath+"/demand/file/{form}",
		"The same as a file: CSV, an XLSX workbook, or JSON as the command demand prints it"), "text/csv",
		background.Workbook, "application/json"),
		func(ctx context.Context, by int64, in *demandFileIn) (*fileOut, error) {
			d, err := s.cases.Schedule.Demand(ctx, by, in.School, in.Year, in.Size, in.Drafts)
			if err != nil {
				return nil, err
			}
			kind, content, err := demandFile(d, in.Form)
			if err != nil {
				return nil, err
			}
			name := "demand-" + in.School + "-" + schoolyear.YearLabel(in.Year) + "." + in.Form
			return &fileOut{kind, mime.FormatMediaType("attachment", map[string]string{"filename": name}), content}, nil
		})
}

func demandPairs(d *schedule.DemandFor, list []demand.Pair) []DemandPair {
	out := []DemandPair{}
	for _, p := range list {
		other := p.First
		if other == d.Course {
			other = p.Second
		}
		out = append(out, DemandPair{d.Year.Codes[other], p.Students})
	}
	return out
}

// demandFile writes the demand as a file.
func demandFile(d *schedule.Demand, form string) (kind string, content []byte, err error) {
	if form == "json" {
		content, err = json.Marshal(demand.NewReport(d.Year.Year, d.Tally, d.Size, demandPairsMost))
		return "application/json", content, err
	}
	header := []string{"courseCode", "title", "requests", "alternates", "uncovered", "sections", "planned", "largest", "runs"}
	low, high := d.Year.Policy.FirstGrade, d.Year.Policy.LastGrade
	for g := low; g <= high; g++ {
		header = append(header, "grade"+strconv.Itoa(g))
	}
	f := bundle.File{Name: "demand.csv", Header: header}
	for i := range d.Courses {
		c := &d.Courses[i]
		sizes := demand.Sections(c.Requests, d.Size)
		largest, planned := 0, c.Needed
		if len(sizes) > 0 {
			largest = sizes[0]
		}
		if c.Set != nil {
			planned = *c.Set
		}
		row := []string{d.Year.Courses[i].Code, d.Year.Courses[i].Title}
		for _, n := range []int{c.Requests, c.Alternates, len(c.Uncovered), c.Needed, planned, largest} {
			row = append(row, strconv.Itoa(n))
		}
		row = append(row, strconv.FormatBool(c.Stopped == nil))
		for g := low; g <= high; g++ {
			row = append(row, strconv.Itoa(c.ByGrade[g]))
		}
		f.Rows = append(f.Rows, row)
	}
	if form == "xlsx" {
		var out bytes.Buffer
		err := bundle.WriteWorkbook(&out, []bundle.File{f})
		return background.Workbook, out.Bytes(), err
	}
	f = f.ForPeople()
	content, err = f.Bytes()
	return "text/csv; charset=utf-8", content, err
}

// demandPairsMost bounds the pairs in the JSON file.
const demandPairsMost = 200
