package sheet

import (
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/web/server"
)

// CourseView is a course next to a sheet.
type CourseView struct {
	Version int64          `json:"version" doc:"The version of the sheet"`
	Course  string         `json:"course"`
	Effect  *Effect        `json:"effect,omitempty" doc:"What requesting it would do; absent where it is requested"`
	Feeds   []Feed         `json:"feeds" doc:"The requirements that requesting it would bring credits to"`
	Asks    *ConditionPart `json:"asks,omitempty" doc:"Its entry condition; absent where it has none"`
	Claims  []Claim        `json:"claims,omitempty" doc:"Open ones about it"`
	Waived  string         `json:"waived,omitempty" doc:"Who has let the student in whatever it asks for"`
	Stops   []Stop         `json:"stops" doc:"The course, and what comes two steps before and after it"`
	Legs    []Leg          `json:"legs"`
	More    int            `json:"more,omitempty" doc:"How many courses before and after it were left out"`
}

// Feed is a requirement that gets credits.
type Feed struct {
	List  string        `json:"list"`
	Entry string        `json:"entry"`
	More  credit.Amount `json:"more"`
	Need  credit.Amount `json:"need"`
	From  credit.Amount `json:"from" doc:"What it has without"`
	Full  bool          `json:"full,omitempty" doc:"It is complete then"`
}

// ConditionPart is a part of an entry condition: one thing it asks for, or some of several parts.
type ConditionPart struct {
	Verdict string          `json:"verdict" enum:"unmet,unverified,expected,met"`
	Proof   *Proof          `json:"proof,omitempty" doc:"One thing"`
	Of      int             `json:"of,omitempty" doc:"How many of the parts are asked for"`
	Parts   []ConditionPart `json:"parts,omitempty"`
}

// Stop is a course on the way to another, or beyond it.
type Stop struct {
	Course   string         `json:"course"`
	Step     int            `json:"step" doc:"0: the course itself; below: what its condition names; above: what names it"`
	Standing string         `json:"standing" enum:"earned,requested,taken,alternate,planned,failed,open"`
	Mark     *credit.Amount `json:"mark,omitempty"`
	Year     string         `json:"year,omitempty"`
	Grade    int            `json:"grade,omitempty" doc:"planned: for which grade"`
	NoWay    bool           `json:"noWay,omitempty" doc:"Not offered to the student any more"`
}

// Leg leads from one stop to another; both are places in the list.
type Leg struct {
	From int `json:"from"`
	To   int `json:"to"`
}

// PathView is a student's whole way.
type PathView struct {
	Sheet   int64        `json:"sheet" doc:"The version of the sheet"`
	Version int64        `json:"version" doc:"The version of the plan"`
	Act     Act          `json:"act" doc:"Whether the reader may plan"`
	First   int          `json:"first" doc:"The first grade of the school"`
	Last    int          `json:"last"`
	Grade   int          `json:"grade" doc:"The one entered"`
	Stops   []PathStop   `json:"stops" doc:"Every course on record, requested or planned, by grade"`
	Lists   []PathList   `json:"lists"`
	Options []PathOption `json:"options" doc:"What could be planned, and the grades in which"`
	Before  []string     `json:"before" doc:"What was planned for this year a year ago and is not on the sheet"`
}

// PathStop is a course on the way.
type PathStop struct {
	Course  string         `json:"course"`
	Title   string         `json:"title,omitempty" doc:"Where the catalog has no such course"`
	Grade   int            `json:"grade" doc:"In which it was, is or will be taken; below the first: before the school"`
	State   string         `json:"state" enum:"earned,taken,failed,requested,planned"`
	Credits credit.Amount  `json:"credits"`
	Mark    *credit.Amount `json:"mark,omitempty"`
	Stopped bool           `json:"stopped,omitempty" doc:"requested: it waits for a person, or must be changed"`
	Backup  bool           `json:"backup,omitempty" doc:"planned: only in case another cannot be"`
	Summer  bool           `json:"summer,omitempty"`
	Entry   string         `json:"entry,omitempty" enum:"none,unmet,unverified,expected,met" doc:"planned"`
	Missing []Need         `json:"missing,omitempty"`
	Repeat  bool           `json:"repeat,omitempty"`
	Barred  bool           `json:"barred,omitempty" doc:"planned: not offered in that grade"`
}

// PathList is a list of requirements along the way.
type PathList struct {
	ID      string      `json:"id"`
	Entries []PathEntry `json:"entries"`
	Rest    []int       `json:"rest" doc:"The stops that no requirement selects"`
}

// PathEntry is one requirement along the way.
type PathEntry struct {
	ID         string        `json:"id"`
	Need       credit.Amount `json:"need"`
	Earned     credit.Amount `json:"earned"`
	InProgress credit.Amount `json:"inProgress"`
	Requested  credit.Amount `json:"requested"`
	Planned    credit.Amount `json:"planned"`
	Open       credit.Amount `json:"open"`
	BeginBy    int           `json:"beginBy,omitempty" doc:"Where something is open: the last grade in which the shortest way to it can begin"`
	NoWay      bool          `json:"noWay,omitempty" doc:"Something is open and nothing leads to it"`
	Stops      []int         `json:"stops" doc:"The stops of which it is the first requirement that selects them"`
	Options    []int         `json:"options" doc:"Places among the options: what it selects"`
}

// PathOption is a course that could be planned.
type PathOption struct {
	Course string `json:"course"`
	Grades []int  `json:"grades"`
}

// Planning is one change to a plan.
type Planning struct {
	Version int64  `json:"version" minimum:"0" doc:"The version of the plan it was made on"`
	Act     string `json:"act" enum:"add,remove,move"`
	Course  string `json:"course" maxLength:"100"`
	Grade   int    `json:"grade,omitempty" doc:"add, move: for which grade"`
	From    int    `json:"from,omitempty" doc:"remove, move: for which grade it was"`
	Backup  bool   `json:"backup,omitempty" doc:"add: only in case another cannot be"`
}

// pathRoutes are those beyond the sheet of the year: a course, and the whole way.
func (s *Routes) pathRoutes(api huma.API) {
	type courseIn struct {
		server.OnSheet
		Course string `path:"course" maxLength:"100"`
	}
	type courseOut struct{ Body *CourseView }
	server.SignedIn(s, api, server.Operation("get-course", http.MethodGet, server.StudentPath+"/courses/{course}",
		"A course beside a student's sheet: what it asks for, where it leads, what adding it would do"),
		func(ctx context.Context, by int64, in *courseIn) (*courseOut, error) {
			c, err := s.cases.Sheet.Course(ctx, by, in.Place(), in.Course)
			if err != nil {
				return nil, err
			}
			return &courseOut{newCourseView(c)}, nil
		})
	type pathOut struct{ Body *PathView }
	server.SignedIn(s, api, server.Operation("get-path", http.MethodGet, server.StudentPath+"/path",
		"A student's whole way: earned, requested, planned, and what is open"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*pathOut, error) {
			p, err := s.cases.Sheet.Path(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			return &pathOut{newPath(p)}, nil
		})
	type planIn struct {
		server.OnSheet
		Body Planning
	}
	server.SignedIn(s, api, server.Operation("change-plan", http.MethodPost, server.StudentPath+"/plan",
		"Change the plan for later years; kept at once"),
		func(ctx context.Context, by int64, in *planIn) (*pathOut, error) {
			b := &in.Body
			p, err := s.cases.Sheet.ChangePlan(ctx, by, in.Place(),
				appsheet.PlanEdit{Version: b.Version, Act: b.Act, Course: b.Course, Grade: b.Grade, From: b.From, Alternate: b.Backup})
			if err != nil {
				return nil, err
			}
			return &pathOut{newPath(p)}, nil
		})
}

func newCourseView(c *appsheet.CourseDesk) *CourseView {
	y, k := c.Year.Year, c.Known
	v := &CourseView{Version: c.Row.Version, Course: y.Codes[c.Course], Feeds: []Feed{}, Stops: []Stop{}, Legs: []Leg{}, More: c.Route.More}
	if c.Effect != nil {
		effect := newEffect(c.Desk, c.Effect)
		v.Effect = &effect
		for _, x := range c.Effect.Fed {
			before := k.Audit(x.Audit, &c.Sheet)[x.Entry]
			v.Feeds = append(v.Feeds, Feed{List: y.Audits[x.Audit].ID, Entry: y.Audits[x.Audit].Entries[x.Entry].ID,
				More: x.Credits, Need: before.Need, From: before.Need - before.Short, Full: x.Credits >= before.Short})
		}
	}
	if c.Outline != nil {
		part := newPart(k, c.Outline, c.Evidence)
		v.Asks = &part
		for _, proof := range c.Evidence {
			for i := range k.Claims {
				if claim := &k.Claims[i]; claim.About(proof.Leaf, v.Course) {
					v.Claims = append(v.Claims, newClaim(claim))
				}
			}
		}
		if c.Outline.Verdict < condition.Met {
			for _, kind := range []sheet.SignalKind{sheet.Waiver, sheet.Assignment} {
				if by := said(k, kind, v.Course); by != "" && v.Waived == "" {
					v.Waived = by
				}
			}
		}
	}
	for i := range c.Route.Stops {
		x := &c.Route.Stops[i]
		stop := Stop{Course: y.Codes[x.Course], Step: x.Step, Standing: string(x.Standing), Grade: x.Grade, NoWay: x.NoWay}
		if x.HasMark {
			stop.Mark = &x.Mark
		}
		if x.Year > 0 {
			stop.Year = policy.YearLabel(x.Year)
		}
		v.Stops = append(v.Stops, stop)
	}
	for _, leg := range c.Route.Legs {
		v.Legs = append(v.Legs, Leg(leg))
	}
	return v
}

func newPart(k *schoolyear.Known, o *sheet.Outline, evidence []sheet.Evidence) ConditionPart {
	part := ConditionPart{Verdict: o.Verdict.String(), Of: o.N}
	if o.Leaf >= 0 {
		proof := NewProof(k, &evidence[o.Leaf])
		part.Proof = &proof
	}
	for i := range o.Parts {
		part.Parts = append(part.Parts, newPart(k, &o.Parts[i], evidence))
	}
	return part
}

func newPath(p *appsheet.Path) *PathView {
	y := p.Desk.Year.Year
	v := &PathView{Sheet: p.Row.Version, Version: p.Version, Act: NewAct(p.Acts[acts.Plan]), First: y.Policy.FirstGrade,
		Last: y.Policy.LastGrade, Grade: p.Row.Grade,
		Stops: []PathStop{}, Lists: []PathList{}, Options: []PathOption{}, Before: append([]string{}, Codes(y, p.Before)...)}
	stops := pathStops(p)
	for i := range stops {
		v.Stops = append(v.Stops, stops[i].PathStop)
	}
	for _, x := range p.Prospects {
		v.Options = append(v.Options, PathOption{y.Codes[x.Course], x.Grades})
	}
	for i := range p.Lists {
		audit := &y.Audits[i]
		list := PathList{ID: audit.ID, Entries: []PathEntry{}, Rest: []int{}}
		for e := range audit.Entries {
			is, plan := &p.Lists[i].Entries[e], &p.Lists[i].Planned[e]
			entry := PathEntry{ID: audit.Entries[e].ID, Need: is.Need, Earned: is.Earned, InProgress: is.InProgress,
				Requested: is.Requested, Planned: plan.Planned, Open: plan.Open,
				Stops: []int{}, Options: []int{}}
			if plan.Open > 0 {
				if entry.NoWay = !plan.CanFeed; plan.CanFeed {
					entry.BeginBy = plan.BeginBy
				}
				for at, x := range p.Prospects {
					if audit.Of[e].Has(x.Course) && y.Courses[x.Course].Credits > 0 {
						entry.Options = append(entry.Options, at)
					}
				}
			}
			list.Entries = append(list.Entries, entry)
		}
		for at := range stops {
			first := slices.IndexFunc(audit.Of, func(of *catalog.Selection) bool { return stops[at].selected(of) })
			if first < 0 {
				list.Rest = append(list.Rest, at)
			} else {
				list.Entries[first].Stops = append(list.Entries[first].Stops, at)
			}
		}
		v.Lists = append(v.Lists, list)
	}
	return v
}

// pathStop is a stop with how requirements select it.
type pathStop struct {
	PathStop
	selected func(of *catalog.Selection) bool
}

// pathStops gathers what is on record, requested and planned, by grade.
func pathStops(p *appsheet.Path) (list []pathStop) {
	y, k := p.Desk.Year.Year, p.Known
	for i := range k.Records {
		r := &k.Records[i]
		state, ok := map[sheet.Outcome]string{sheet.Earned: "earned", sheet.Transfer: "earned", sheet.InProgress: "taken",
			sheet.Failed: "failed"}[r.Outcome]
		if !ok {
			continue
		}
		stop := PathStop{Course: r.Code, Grade: p.Row.Grade - (y.Start - r.Year), State: state, Credits: r.Credits}
		course, known := y.Index(r.Code)
		if !known {
			stop.Title = r.Title
		}
		if r.HasMark {
			stop.Mark = &r.Mark
		}
		list = append(list, pathStop{stop, func(of *catalog.Selection) bool {
			if known {
				return of.Has(course)
			}
			return of.Matches(r.Code, r.Subjects)
		}})
	}
	has := func(course int32) func(of *catalog.Selection) bool {
		return func(of *catalog.Selection) bool { return of.Has(course) }
	}
	request := func(course int32, found *sheet.RequestResult, summer bool) {
		stop := PathStop{Course: y.Codes[course], Grade: p.Row.Grade, State: "requested", Credits: y.Courses[course].Credits, Summer: summer}
		stop.Stopped = found != nil && found.Mark() == sheet.Stopped
		list = append(list, pathStop{stop, has(course)})
	}
	for i, e := range p.Sheet.Requests {
		var found *sheet.RequestResult
		if p.Judgement != nil {
			found = &p.Judgement.Requests[i]
		}
		request(e.Course, found, false)
	}
	for i, e := range p.Sheet.Summer {
		var found *sheet.RequestResult
		if p.Judgement != nil {
			found = &p.Judgement.Summer[i]
		}
		request(e.Course, found, true)
	}
	for i := range p.Results {
		r := &p.Results[i]
		stop := PathStop{Course: y.Codes[r.Planned.Course], Grade: r.Grade, State: "planned",
			Credits: y.Courses[r.Planned.Course].Credits, Backup: r.Alternate,
			Entry: Verdict(r.HasEntry, r.Entry), Repeat: r.Repeat, Barred: r.Barred}
		for _, leaf := range r.Missing {
			stop.Missing = append(stop.Missing, NewNeed(y, leaf))
		}
		list = append(list, pathStop{stop, has(r.Planned.Course)})
	}
	slices.SortStableFunc(list, func(a, b pathStop) int { return a.Grade - b.Grade })
	return list
}
