package schedule

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/schedule"
	webimports "rubricon/web/imports"
	"rubricon/web/server"
)

// SectionFields is a section of the master schedule as it is wanted.
type SectionFields struct {
	Course  string `json:"course" minLength:"1" maxLength:"100"`
	Title   string `json:"title" maxLength:"200" doc:"Empty: that of the course"`
	Terms   []int  `json:"terms" minItems:"1" maxItems:"16" doc:"Positions of the terms it meets in: one of the course's spans"`
	Periods []int  `json:"periods" maxItems:"50" doc:"From 1; empty: it never clashes"`
	Days    []int  `json:"days" maxItems:"30" doc:"Of the cycle, from 1; empty: every day"`
	Seats   int    `json:"seats" minimum:"0" maximum:"1000"`
	Teacher string `json:"teacher" maxLength:"200"`
	Room    string `json:"room" maxLength:"100"`
}

// SectionView is a section of the master schedule.
type SectionView struct {
	SectionFields
	ID    string `json:"id"`
	Rev   int64  `json:"rev" doc:"Another once it has changed"`
	Taken *int   `json:"taken,omitempty" doc:"Seats taken in the newest run"`
}

// DoubleView is a teacher or a room that two sections take at the same time.
type DoubleView struct {
	What     string   `json:"what" enum:"teacher,room"`
	Name     string   `json:"name"`
	Sections []string `json:"sections"`
	Periods  []int    `json:"periods"`
}

// ScheduleView is the master schedule.
type ScheduleView struct {
	Sections []SectionView            `json:"sections"`
	Doubles  []DoubleView             `json:"doubles" doc:"At most 200"`
	Twice    int                      `json:"twice" doc:"How many there are"`
	Bad      []webimports.TaskProblem `json:"bad,omitempty" doc:"Rows that came in and are no section"`
	Periods  int                      `json:"periods" doc:"Of a day"`
	Days     int                      `json:"days" doc:"Of the cycle"`
	Run      int                      `json:"run,omitempty" doc:"The newest run that has placed anybody"`
}

// scheduleRoutes are those of the master schedule.
func (s *Routes) scheduleRoutes(api huma.API) {
	type scheduleOut struct{ Body ScheduleView }
	server.SignedIn(s, api, server.Operation("get-schedule", http.MethodGet, server.YearPath+"/sections",
		"The master schedule, and what is taken twice in it"), func(ctx context.Context, by int64, in *server.InYear) (*scheduleOut, error) {
		m, err := s.cases.Schedule.MasterSchedule(ctx, by, in.School, in.Year)
		if err != nil {
			return nil, err
		}
		v := ScheduleView{Sections: []SectionView{}, Doubles: []DoubleView{}, Bad: webimports.TaskProblems(m.Bad),
			Periods: m.Periods, Days: m.Days, Run: m.Run, Twice: m.Twice}
		for _, x := range m.Sections {
			v.Sections = append(v.Sections, SectionView{SectionFields: SectionFields{Course: x.Course, Title: x.Title,
				Terms: x.Terms, Periods: x.Periods, Days: x.Days, Seats: x.Seats, Teacher: x.Teacher, Room: x.Room}, ID: x.ID,
				Rev: x.Rev, Taken: x.Taken})
		}
		for _, d := range m.Doubles {
			v.Doubles = append(v.Doubles, DoubleView{What: d.What, Name: d.Name, Sections: d.Sections[:], Periods: d.Periods})
		}
		return &scheduleOut{v}, nil
	})
	type sectionOut struct {
		Body struct {
			ID string `json:"id"`
		}
	}
	put := func(ctx context.Context, by int64, at server.InYear, id string, rev int64, f SectionFields) (*sectionOut, error) {
		out := &sectionOut{}
		var err error
		out.Body.ID, err = s.cases.Schedule.PutSection(ctx, by, at.School, at.Year,
			&schedule.Section{ID: id, Rev: rev, Course: f.Course, Title: f.Title, Terms: f.Terms, Periods: f.Periods, Days: f.Days,
				Seats: f.Seats, Teacher: f.Teacher, Room: f.Room})
		return out, err
	}
	type addIn struct {
		server.InYear
		Body SectionFields
	}
	server.SignedIn(s, api, server.Operation("add-section", http.MethodPost, server.YearPath+"/sections",
		"Make a section"), func(ctx context.Context, by int64, in *addIn) (*sectionOut, error) {
		return put(ctx, by, in.InYear, "", 0, in.Body)
	})
	type changeSectionIn struct {
		server.InYear
		Section string `path:"section" maxLength:"200"`
		Rev     int64  `query:"rev" minimum:"1" required:"true" doc:"As it was looked at"`
		Body    SectionFields
	}
	server.SignedIn(s, api, server.Operation("change-section", http.MethodPut, server.YearPath+"/sections/{section}",
		"Change a section"), func(ctx context.Context, by int64, in *changeSectionIn) (*sectionOut, error) {
		return put(ctx, by, in.InYear, in.Section, in.Rev, in.Body)
	})
	type removeSectionIn struct {
		server.InYear
		Section string `path:"section" maxLength:"200"`
		Rev     int64  `query:"rev" minimum:"1" required:"true" doc:"As it was looked at"`
	}
	remove := server.Operation("remove-section", http.MethodDelete, server.YearPath+"/sections/{section}", "Take a section away")
	remove.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, remove, func(ctx context.Context, by int64, in *removeSectionIn) (*struct{}, error) {
		return nil, s.cases.Schedule.RemoveSection(ctx, by, in.School, in.Year, in.Section, in.Rev)
	})
}
