package schedule

import (
	"context"
	"encoding/json"
	"mime"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/schedule"
	webimports "rubricon/web/imports"
	"rubricon/web/server"
)

// RunView is a run of the placement.
type RunView struct {
	ID       int                      `json:"id" doc:"From 1: people call them A, B, C"`
	State    string                   `json:"state" enum:"waiting,running,done,refused,stopped,failed"`
	Stop     bool                     `json:"stop" doc:"It has been asked to stop"`
	Seed     int64                    `json:"seed"`
	Limit    int                      `json:"limit" doc:"Seconds"`
	By       string                   `json:"by"`
	At       time.Time                `json:"at"`
	Step     string                   `json:"step,omitempty" enum:"read,negotiating,bounding,diving,searching,finished"`
	Settled  int                      `json:"settled"`
	Of       int                      `json:"of"`
	Curve    []schedule.CurvePoint    `json:"curve" doc:"How good the best was after some seconds, and how good any could be"`
	Found    *schedule.RunSummary     `json:"found,omitempty"`
	Why      string                   `json:"why,omitempty" enum:"no-schedule,bad-rows,broken,run-behind,too-large"`
	Problems []webimports.TaskProblem `json:"problems,omitempty"`
	Changes  []schedule.SectionChange `json:"changes" doc:"Of the sections, that it tries"`
	Helps    *schedule.Helping        `json:"helps,omitempty" doc:"What would help it most"`
	Helping  string                   `json:"helping,omitempty" enum:"waiting,running,done,refused,stopped,failed" doc:"How far looking for that is"`
}

// ReadinessView says whose requests are placed, or shown to their families, and whose are not.
type ReadinessView struct {
	Take       string           `json:"take" enum:"approved,signed,submitted" doc:"Whose requests the school places, by how far they have come"`
	Students   int              `json:"students" doc:"That are placed, or shown"`
	Complete   int              `json:"complete" doc:"Of a run: of those, who get every request or an alternate for it"`
	Unapproved []ReadyPupilView `json:"unapproved" doc:"Of those, whose requests no counselor has approved"`
	Left       []ReadyPupilView `json:"left" doc:"Who have submitted, and are not among them"`
}

// ReadyPupilView is a student who has submitted.
type ReadyPupilView struct {
	Student string `json:"student"`
	Given   string `json:"given"`
	Family  string `json:"family"`
	Grade   int    `json:"grade"`
	Version int64  `json:"version"`
	Stood   string `json:"stood" enum:"submitted,signed,cleared" doc:"How far the requests have come, placed or not"`
}

func newReadiness(r *schedule.Readiness) *ReadinessView {
	views := func(list []schedule.ReadyPupil) []ReadyPupilView {
		out := []ReadyPupilView{}
		for _, p := range list {
			out = append(out, ReadyPupilView{Student: p.Student, Given: p.GivenName, Family: p.FamilyName, Grade: p.Grade,
				Version: p.Version, Stood: p.Stood})
		}
		return out
	}
	return &ReadinessView{Take: r.Take.String(), Students: r.Students, Complete: r.Complete,
		Unapproved: views(r.Unapproved), Left: views(r.Left)}
}

// PlacedView is what a run gives one student.
type PlacedView struct {
	Student string                  `json:"student"`
	Name    string                  `json:"name"`
	Grade   int                     `json:"grade"`
	Lot     int                     `json:"lot" doc:"The place in the lottery, from 1"`
	Open    int                     `json:"open" doc:"Requests that nothing came in for"`
	Given   []schedule.GivenSection `json:"given"`
	Lacking []schedule.Lacking      `json:"lacking"`
}

// PublicationView is what families were shown.
type PublicationView struct {
	ID     int64      `json:"id"`
	Run    int        `json:"run"`
	Grade  int        `json:"grade" doc:"-1: all"`
	Sheets int        `json:"sheets"`
	By     string     `json:"by"`
	At     time.Time  `json:"at"`
	BackAt *time.Time `json:"backAt,omitempty" doc:"It was taken back"`
	BackBy string     `json:"backBy,omitempty"`
	Reason string     `json:"reason,omitempty"`
}

func newRun(r *schedule.Run) RunView {
	v := RunView{ID: r.ID, State: string(r.State), Stop: r.Stop, Seed: r.Seed, Limit: r.Seconds, By: r.By, At: r.At,
		Step: r.Step, Settled: r.Done, Of: r.Total, Curve: []schedule.CurvePoint{}, Found: r.Summary, Why: r.Why,
		Problems: webimports.TaskProblems(r.Problems)}
	v.Changes, v.Helps = append([]schedule.SectionChange{}, r.Changes...), r.Helps
	if r.Helping != nil {
		v.Helping = string(*r.Helping)
	}
	_ = json.Unmarshal(r.Curve, &v.Curve) // it is the application's own
	return v
}

func newPlaced(p *schedule.PlacedPupil) PlacedView {
	return PlacedView{Student: p.Student, Name: p.Name, Grade: p.Grade, Lot: p.Lot, Open: p.Open, Given: p.Given, Lacking: p.Lacking}
}

type runIn struct {
	server.InYear
	Run int `path:"run" minimum:"1" maximum:"1000"`
}

// placementRoutes are those of placing requests and publishing what was placed.
func (s *Routes) placementRoutes(api huma.API) {
	type runsOut struct{ Body []RunView }
	type runOut struct{ Body RunView }
	one := func(r *schedule.Run, err error) (*runOut, error) {
		if err != nil {
			return nil, err
		}
		return &runOut{newRun(r)}, nil
	}
	server.SignedIn(s, api, server.Operation("list-runs", http.MethodGet, server.YearPath+"/placements",
		"The runs of the placement, the newest first"), func(ctx context.Context, by int64, in *server.InYear) (*runsOut, error) {
		list, err := s.cases.Schedule.Runs(ctx, by, in.School, in.Year)
		out := &runsOut{Body: []RunView{}}
		for _, r := range list {
			out.Body = append(out.Body, newRun(r))
		}
		return out, err
	})
	type readinessOut struct{ Body *ReadinessView }
	server.SignedIn(s, api, server.Operation("get-placing-readiness", http.MethodGet,
		server.YearPath+"/placements/readiness", "Whose requests a run of the placement would take now, and whose not"),
		func(ctx context.Context, by int64, in *server.InYear) (*readinessOut, error) {
			r, err := s.cases.Schedule.PlacingReadiness(ctx, by, in.School, in.Year)
			if err != nil {
				return nil, err
			}
			return &readinessOut{newReadiness(r)}, nil
		})
	type publishingIn struct {
		server.InYear
		Run   int `path:"run" minimum:"1" maximum:"1000"`
		Grade int `query:"grade" minimum:"-1" maximum:"20" default:"-1" doc:"-1: all"`
	}
	server.SignedIn(s, api, server.Operation("get-publishing-readiness", http.MethodGet,
		server.YearPath+"/placements/{run}/readiness", "Whom publishing a run to a grade would show something, and whom not"),
		func(ctx context.Context, by int64, in *publishingIn) (*readinessOut, error) {
			r, err := s.cases.Schedule.PublishingReadiness(ctx, by, in.School, in.Year, in.Run, in.Grade)
			if err != nil {
				return nil, err
			}
			return &readinessOut{newReadiness(r)}, nil
		})
	type startRunIn struct {
		server.InYear
		Body struct {
			Seed    int64                    `json:"seed" minimum:"0" maximum:"9007199254740991" doc:"Of the lottery and of the search"`
			Seconds int                      `json:"seconds" minimum:"1" maximum:"600" doc:"The longest to search"`
			Changes []schedule.SectionChange `json:"changes,omitempty" maxItems:"60" doc:"Of the sections, to try; the master schedule stays as it is"`
		}
	}
	server.SignedIn(s, api, server.Operation("start-run", http.MethodPost, server.YearPath+"/placements",
		"Place what is handed in"), func(ctx context.Context, by int64, in *startRunIn) (*runOut, error) {
		return one(s.cases.Schedule.StartRun(ctx, by, in.School, in.Year, in.Body.Seed, in.Body.Seconds, in.Body.Changes...))
	})
	server.SignedIn(s, api, server.Operation("stop-run", http.MethodPost, server.YearPath+"/placements/{run}/stop",
		"End a run; the best that it has found is kept"), func(ctx context.Context, by int64, in *runIn) (*runOut, error) {
		return one(s.cases.Schedule.StopRun(ctx, by, in.School, in.Year, in.Run))
	})
}

// resultRoutes registers what a run gives to students.
func (s *Routes) resultRoutes(api huma.API) {
	type lackingOut struct{ Body []PlacedView }
	server.SignedIn(s, api, server.Operation("list-lacking", http.MethodGet, server.YearPath+"/placements/{run}/lacking",
		"The students of a run who lack something, first those with nothing in its place; at most 500"),
		func(ctx context.Context, by int64, in *runIn) (*lackingOut, error) {
			list, err := s.cases.Schedule.Lacking(ctx, by, in.School, in.Year, in.Run)
			out := &lackingOut{Body: []PlacedView{}}
			for i := range list {
				out.Body = append(out.Body, newPlaced(&list[i]))
			}
			return out, err
		})
	type placedIn struct {
		server.InYear
		Run     int    `path:"run" minimum:"1" maximum:"1000"`
		Student string `path:"student" maxLength:"100"`
	}
	type placedOut struct{ Body PlacedView }
	server.SignedIn(s, api, server.Operation("get-placed", http.MethodGet,
		server.YearPath+"/placements/{run}/students/{student}", "What a run gives one student"),
		func(ctx context.Context, by int64, in *placedIn) (*placedOut, error) {
			p, err := s.cases.Schedule.PlacedIn(ctx, by, in.School, in.Year, in.Run, in.Student)
			if err != nil {
				return nil, err
			}
			return &placedOut{newPlaced(p)}, nil
		})
	type enrollmentsOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("take-enrollments", http.MethodGet,
		server.YearPath+"/placements/{run}/enrollments.csv", "What a run gives as enrollments.csv (OneRoster 1.1)"), "text/csv"),
		func(ctx context.Context, by int64, in *runIn) (*enrollmentsOut, error) {
			f, err := s.cases.Schedule.Enrollments(ctx, by, in.School, in.Year, in.Run)
			if err != nil {
				return nil, err
			}
			content, err := f.Bytes()
			return &enrollmentsOut{"text/csv; charset=utf-8",
				mime.FormatMediaType("attachment", map[string]string{"filename": f.Name}), content}, err
		})
}

// publicationRoutes registers publishing a run, and taking that back.
func (s *Routes) publicationRoutes(api huma.API) {
	type publicationsOut struct{ Body []PublicationView }
	server.SignedIn(s, api, server.Operation("list-publications", http.MethodGet, server.YearPath+"/publications",
		"What families were shown, the latest first"), func(ctx context.Context, by int64, in *server.InYear) (*publicationsOut, error) {
		list, err := s.cases.Schedule.Publications(ctx, by, in.School, in.Year)
		out := &publicationsOut{Body: []PublicationView{}}
		for _, p := range list {
			out.Body = append(out.Body, newPublication(p))
		}
		return out, err
	})
	type sheetsOut struct {
		Body struct {
			Sheets int `json:"sheets" doc:"How many families were told"`
		}
	}
	type publishIn struct {
		server.InYear
		Body struct {
			Run   int `json:"run" minimum:"1" maximum:"1000"`
			Grade int `json:"grade" minimum:"-1" maximum:"20" doc:"-1: all"`
		}
	}
	server.SignedIn(s, api, server.TakesLong(server.Operation("publish", http.MethodPost, server.YearPath+"/publications",
		"Show families what a run gives them, by grade or all")), func(ctx context.Context, by int64, in *publishIn) (*sheetsOut, error) {
		out := &sheetsOut{}
		var err error
		out.Body.Sheets, err = s.cases.Schedule.Publish(ctx, by, in.School, in.Year, in.Body.Run, in.Body.Grade)
		return out, err
	})
	type unpublishIn struct {
		server.InYear
		Publication int64 `path:"publication" minimum:"1"`
		Body        struct {
			Reason string `json:"reason" maxLength:"1000" doc:"The families read it"`
		}
	}
	server.SignedIn(s, api, server.TakesLong(server.Operation("take-back-publication", http.MethodPost,
		server.YearPath+"/publications/{publication}/return", "Take a publication back, with a reason")),
		func(ctx context.Context, by int64, in *unpublishIn) (*sheetsOut, error) {
			out := &sheetsOut{}
			var err error
			out.Body.Sheets, err = s.cases.Schedule.Unpublish(ctx, by, in.School, in.Year, in.Publication, in.Body.Reason)
			return out, err
		})
}

func newPublication(p schedule.Publication) PublicationView {
	return PublicationView{ID: p.ID, Run: p.Run, Grade: p.Grade, Sheets: p.Sheets, By: p.By, At: p.At, BackAt: p.BackAt,
		BackBy: p.BackBy, Reason: p.Reason}
}
