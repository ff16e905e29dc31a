package schedule

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/schedule"
	"rubricon/web/server"
)

// SinceView is what has changed since a run was made.
type SinceView struct {
	Gone      []SectionSinceView `json:"gone"`
	Moved     []SectionSinceView `json:"moved"`
	Over      []SectionSinceView `json:"over" doc:"Sections with fewer seats than the run has taken"`
	New       []NamedPupil       `json:"new" doc:"Whose sheet was handed in since"`
	Changed   []NamedPupil       `json:"changed" doc:"Whose sheet was handed in otherwise"`
	Withdrawn []NamedPupil       `json:"withdrawn" doc:"Whose sheet is no longer handed in"`
	Students  int                `json:"students" doc:"To be placed anew"`
}

// SectionSinceView is a section of a run that has changed since.
type SectionSinceView struct {
	Section  string `json:"section"`
	Course   string `json:"course"`
	Students int    `json:"students"`
}

// TouchedView is a student whose week has changed.
type TouchedView struct {
	NamedPupil
	Why  string   `json:"why" enum:"new,changed,gone,moved,over,room,out"`
	Lost []string `json:"lost"`
	Got  []string `json:"got"`
}

// HoldView is what every later run keeps as it is.
type HoldView struct {
	Kind   string    `json:"kind" enum:"student,section,given,taken"`
	Key    string    `json:"key"`
	Name   string    `json:"name,omitempty" doc:"Of the student"`
	Course string    `json:"course,omitempty" doc:"Of a section, or what was given or taken"`
	Seats  int       `json:"seats"`
	Reason string    `json:"reason,omitempty"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
}

// RunActView is something that was done to a run after it had ended.
type RunActView struct {
	Kind    string                  `json:"kind" enum:"give,take,anew"`
	Student string                  `json:"student"`
	Name    string                  `json:"name"`
	Course  string                  `json:"course,omitempty"`
	Section string                  `json:"section,omitempty"`
	Reason  string                  `json:"reason"`
	Was     []schedule.GivenSection `json:"was"`
	Now     []schedule.GivenSection `json:"now"`
	By      string                  `json:"by"`
	At      time.Time               `json:"at"`
}

// ChoiceView is a wish with the sections that it could be given in.
type ChoiceView struct {
	Course    string              `json:"course"`
	Rank      int                 `json:"rank"`
	Alternate bool                `json:"alternate"`
	Section   string              `json:"section,omitempty" doc:"The one that is given"`
	Sections  []SectionChoiceView `json:"sections"`
}

// SectionChoiceView is a section with its seats, and what the student has at the same time.
type SectionChoiceView struct {
	schedule.RunSection
	Clash string `json:"clash,omitempty" doc:"A course that the student has then"`
}

// BesideView is what a run gives otherwise than another one.
type BesideView struct {
	Sections  []SectionDiffView `json:"sections"`
	Lost      []BesidePupilView `json:"lost" doc:"Requests that the other run gives and this does not; at most 500 students"`
	Got       []BesidePupilView `json:"got" doc:"And the other way round"`
	Elsewhere int               `json:"elsewhere" doc:"Students with the same courses in other sections"`
}

// SectionDiffView is a section that differs between two runs.
type SectionDiffView struct {
	Section    string `json:"section"`
	Course     string `json:"course"`
	WasPeriods []int  `json:"wasPeriods"`
	Periods    []int  `json:"periods"`
	WasSeats   int    `json:"wasSeats"`
	Seats      int    `json:"seats"`
	Only       string `json:"only,omitempty" enum:"this,other" doc:"The run that alone has it"`
}

// BesidePupilView is a student with the requests that differ.
type BesidePupilView struct {
	NamedPupil
	Courses []string `json:"courses"`
}

func namedPupils(list []schedule.PersonName) []NamedPupil {
	out := []NamedPupil{}
	for _, p := range list {
		out = append(out, NamedPupil(p))
	}
	return out
}

func sectionsSince(list []schedule.SectionSince) []SectionSinceView {
	out := []SectionSinceView{}
	for _, x := range list {
		out = append(out, SectionSinceView(x))
	}
	return out
}

func besidePupils(list []schedule.BesidePupil) []BesidePupilView {
	out := []BesidePupilView{}
	for _, p := range list {
		out = append(out, BesidePupilView{NamedPupil(p.PersonName), p.Courses})
	}
	return out
}

// RunIn names a run of the placement.
type RunIn struct {
	server.InYear
	Run int `path:"run" minimum:"1" maximum:"1000"`
}

// handRoutes are those of changing a run after it has ended, of what later runs keep, and of setting two
// next to each other.
func (s *Routes) handRoutes(api huma.API) {
	type sinceOut struct{ Body SinceView }
	server.SignedIn(s, api, server.Operation("get-since", http.MethodGet, server.YearPath+"/placements/{run}/since",
		"What has changed since a run was made"), func(ctx context.Context, by int64, in *RunIn) (*sinceOut, error) {
		x, err := s.cases.Schedule.Since(ctx, by, in.School, in.Year, in.Run)
		if err != nil {
			return nil, err
		}
		return &sinceOut{SinceView{Gone: sectionsSince(x.Gone), Moved: sectionsSince(x.Moved), Over: sectionsSince(x.Over),
			New: namedPupils(x.New), Changed: namedPupils(x.Changed), Withdrawn: namedPupils(x.Withdrawn), Students: x.Students}}, nil
	})
	type anewOut struct{ Body []TouchedView }
	server.SignedIn(s, api, server.TakesLong(server.Operation("place-anew", http.MethodPost,
		server.YearPath+"/placements/{run}/anew", "Place anew what has changed, touching as few others as possible")),
		func(ctx context.Context, by int64, in *RunIn) (*anewOut, error) {
			list, err := s.cases.Schedule.PlaceAnew(ctx, by, in.School, in.Year, in.Run)
			out := &anewOut{Body: []TouchedView{}}
			for _, t := range list {
				out.Body = append(out.Body, TouchedView{NamedPupil: NamedPupil(t.PersonName), Why: string(t.Why),
					Lost: append([]string{}, t.Lost...), Got: append([]string{}, t.Got...)})
			}
			return out, err
		})
	type handIn struct {
		RunIn
		Student string `path:"student" maxLength:"100"`
		Body    struct {
			Course  string `json:"course" maxLength:"100"`
			Section string `json:"section" maxLength:"200" doc:"Empty: the course is taken away"`
			Reason  string `json:"reason" maxLength:"1000"`
		}
	}
	hand := server.Operation("place-by-hand", http.MethodPut, server.YearPath+"/placements/{run}/students/{student}",
		"Give a student a section of a course that they wish for, or take the course away; later runs keep it")
	hand.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, hand, func(ctx context.Context, by int64, in *handIn) (*struct{}, error) {
		return nil, s.cases.Schedule.ByHand(ctx, by, in.School, in.Year, in.Run, in.Student, in.Body.Course, in.Body.Section, in.Body.Reason)
	})
	type choicesIn struct {
		RunIn
		Student string `path:"student" maxLength:"100"`
	}
	type choicesOut struct{ Body []ChoiceView }
	server.SignedIn(s, api, server.Operation("list-choices", http.MethodGet,
		server.YearPath+"/placements/{run}/students/{student}/choices", "A student's wishes with the sections that they could be given in"),
		func(ctx context.Context, by int64, in *choicesIn) (*choicesOut, error) {
			list, err := s.cases.Schedule.Choices(ctx, by, in.School, in.Year, in.Run, in.Student)
			out := &choicesOut{Body: []ChoiceView{}}
			for _, c := range list {
				v := ChoiceView{Course: c.Course, Rank: c.Rank, Alternate: c.Alternate, Section: c.Section, Sections: []SectionChoiceView{}}
				for _, x := range c.Sections {
					v.Sections = append(v.Sections, SectionChoiceView{x.RunSection, x.Clash})
				}
				out.Body = append(out.Body, v)
			}
			return out, err
		})
	type actsOut struct{ Body []RunActView }
	server.SignedIn(s, api, server.Operation("list-run-acts", http.MethodGet, server.YearPath+"/placements/{run}/acts",
		"What was done to a run after it had ended, the latest first; at most 200"),
		func(ctx context.Context, by int64, in *RunIn) (*actsOut, error) {
			list, err := s.cases.Schedule.RunActs(ctx, by, in.School, in.Year, in.Run)
			out := &actsOut{Body: []RunActView{}}
			for _, a := range list {
				v := RunActView{Kind: a.Kind, Student: a.Student, Name: a.Name, Course: a.Course, Section: a.Section,
					Reason: a.Reason, By: a.By, At: a.At}
				_, _ = json.Unmarshal(a.Was, &v.Was), json.Unmarshal(a.Now, &v.Now) // they are the application's own
				out.Body = append(out.Body, v)
			}
			return out, err
		})
}

// compareRoutes registers the comparison of two runs.
func (s *Routes) compareRoutes(api huma.API) {
	type besideIn struct {
		RunIn
		Other int `path:"other" minimum:"1" maximum:"1000"`
	}
	type besideOut struct{ Body BesideView }
	server.SignedIn(s, api, server.Operation("get-beside", http.MethodGet,
		server.YearPath+"/placements/{run}/beside/{other}", "What a run gives otherwise than another one"),
		func(ctx context.Context, by int64, in *besideIn) (*besideOut, error) {
			b, err := s.cases.Schedule.Beside(ctx, by, in.School, in.Year, in.Run, in.Other)
			if err != nil {
				return nil, err
			}
			v := BesideView{Sections: []SectionDiffView{}, Lost: besidePupils(b.Lost), Got: besidePupils(b.Got), Elsewhere: b.Elsewhere}
			for _, d := range b.Sections {
				x := SectionDiffView{Section: d.Section, Course: d.Course, WasPeriods: append([]int{}, d.WasPeriods...),
					Periods: append([]int{}, d.Periods...), WasSeats: d.WasSeats, Seats: d.Seats}
				if d.New {
					x.Only = "this"
				} else if d.Gone {
					x.Only = "other"
				}
				v.Sections = append(v.Sections, x)
			}
			return &besideOut{v}, nil
		})
}

// holdRoutes registers what later runs keep as it is.
func (s *Routes) holdRoutes(api huma.API) {
	type holdsOut struct{ Body []HoldView }
	server.SignedIn(s, api, server.Operation("list-holds", http.MethodGet, server.YearPath+"/placement-holds",
		"What every later run keeps as it is"), func(ctx context.Context, by int64, in *server.InYear) (*holdsOut, error) {
		list, err := s.cases.Schedule.Holds(ctx, by, in.School, in.Year)
		out := &holdsOut{Body: []HoldView{}}
		for _, h := range list {
			v := HoldView{Kind: h.Kind, Key: h.Key, Name: h.Name, Seats: len(h.Seats.V), Reason: h.Reason, By: h.By, At: h.At}
			if h.Kind != "student" && v.Seats > 0 {
				v.Course = h.Seats.V[0].Course
			}
			out.Body = append(out.Body, v)
		}
		return out, err
	})
	type holdIn struct {
		RunIn
		Body struct {
			Kind string `json:"kind" enum:"student,section"`
			Key  string `json:"key" maxLength:"200" doc:"The student, or the section"`
		}
	}
	hold := server.Operation("hold", http.MethodPost, server.YearPath+"/placements/{run}/holds",
		"Hold a student's week, or the students of a section, as a run has them")
	hold.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, hold, func(ctx context.Context, by int64, in *holdIn) (*struct{}, error) {
		return nil, s.cases.Schedule.HoldAs(ctx, by, in.School, in.Year, in.Run, in.Body.Kind, in.Body.Key)
	})
	type releaseIn struct {
		server.InYear
		Kind string `query:"kind" enum:"student,section,given,taken" required:"true"`
		Key  string `query:"key" maxLength:"300" required:"true"`
	}
	release := server.Operation("release", http.MethodDelete, server.YearPath+"/placement-holds", "Hold something no longer")
	release.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, release, func(ctx context.Context, by int64, in *releaseIn) (*struct{}, error) {
		return nil, s.cases.Schedule.Release(ctx, by, in.School, in.Year, in.Kind, in.Key)
	})
}

// helpRoutes registers the search for what would help most.
func (s *Routes) helpRoutes(api huma.API) {
	type helpOut struct{ Body RunView }
	view := func(r *schedule.Run, err error) (*helpOut, error) {
		if err != nil {
			return nil, err
		}
		return &helpOut{newRun(r)}, nil
	}
	type helpIn struct {
		RunIn
		Body struct {
			Moves   int `json:"moves" minimum:"0" maximum:"60" doc:"At most so many together; 0: single changes alone"`
			Seconds int `json:"seconds" minimum:"1" maximum:"600" doc:"The longest to search"`
		}
	}
	server.SignedIn(s, api, server.Operation("start-help", http.MethodPost, server.YearPath+"/placements/{run}/helps",
		"Look for the changes of the sections that would help a run most"), func(ctx context.Context, by int64, in *helpIn) (*helpOut, error) {
		return view(s.cases.Schedule.StartHelp(ctx, by, in.School, in.Year, in.Run, in.Body.Moves, in.Body.Seconds))
	})
	server.SignedIn(s, api, server.Operation("stop-help", http.MethodDelete, server.YearPath+"/placements/{run}/helps",
		"End looking; what was found is kept"), func(ctx context.Context, by int64, in *RunIn) (*helpOut, error) {
		return view(s.cases.Schedule.StopHelp(ctx, by, in.School, in.Year, in.Run))
	})
	type useOut struct {
		Body struct {
			Changes int `json:"changes"`
		}
	}
	server.SignedIn(s, api, server.Operation("use-sections", http.MethodPost,
		server.YearPath+"/placements/{run}/sections", "Make the changes that a run has tried in the master schedule"),
		func(ctx context.Context, by int64, in *RunIn) (*useOut, error) {
			out := &useOut{}
			var err error
			out.Body.Changes, err = s.cases.Schedule.UseSections(ctx, by, in.School, in.Year, in.Run)
			return out, err
		})
}
