package sheet

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/core/credit"
	"rubricon/web/server"
)

// WhatIfView is the year that results when some requests cannot be given.
type WhatIfView struct {
	Version  int64           `json:"version" doc:"The version of the sheet"`
	Lost     []Loss          `json:"lost"`
	Requests []WhatIfRequest `json:"requests" doc:"What would be left, with what has come in"`
	Loads    []credit.Amount `json:"loads" doc:"Periods a day, by term"`
	Rules    []RuleState     `json:"rules"`
}

// Loss is a request that cannot be given, and what comes of it.
type Loss struct {
	Course  string   `json:"course"`
	Covered bool     `json:"covered"`
	Mend    []string `json:"mend,omitempty" doc:"The alternates that come in for it"`
	Short   []string `json:"short,omitempty" doc:"The rules that do not hold without it"`
}

// WhatIfRequest is a course of the resulting year.
type WhatIfRequest struct {
	Course string `json:"course"`
	Terms  []int  `json:"terms"`
	Came   bool   `json:"came,omitempty" doc:"It was an alternate"`
}

// HintView is a course that would be useful as one more alternate.
type HintView struct {
	Course string   `json:"course"`
	Saves  []string `json:"saves" doc:"The requests that nothing covers and it would"`
}

// whatIfRoutes are those about what happens when a request cannot be given.
func (s *Routes) whatIfRoutes(api huma.API) {
	type whatIfIn struct {
		server.OnSheet
		Lost []string `query:"lost,explode" minItems:"1" maxItems:"60" doc:"The requests that cannot be given"`
	}
	type whatIfOut struct{ Body *WhatIfView }
	server.SignedIn(s, api, server.Operation("get-what-if", http.MethodGet, server.SheetPath+"/what-if",
		"The year that results when some requests cannot be given"),
		func(ctx context.Context, by int64, in *whatIfIn) (*whatIfOut, error) {
			d, w, err := s.cases.Sheet.WhatIf(ctx, by, in.Place(), in.Lost)
			if err != nil {
				return nil, err
			}
			y := d.Year.Year
			v := &WhatIfView{Version: d.Row.Version, Lost: []Loss{}, Requests: []WhatIfRequest{},
				Loads: w.Judgement.Packing.Loads, Rules: []RuleState{}}
			came := map[int32]bool{}
			for _, c := range w.Lost {
				loss := Loss{Course: y.Codes[c.Course], Covered: c.Covered, Mend: Codes(y, c.Mend)}
				for _, rule := range c.Short {
					loss.Short = append(loss.Short, y.Rules[rule].ID)
				}
				for _, course := range c.Mend {
					came[course] = true
				}
				v.Lost = append(v.Lost, loss)
			}
			for i, e := range w.Sheet.Requests {
				v.Requests = append(v.Requests, WhatIfRequest{y.Codes[e.Course], w.Judgement.Packing.Spans[i].Positions(), came[e.Course]})
			}
			for _, r := range w.Judgement.Rules {
				rule := &y.Rules[r.Rule]
				v.Rules = append(v.Rules, RuleState{ID: rule.ID, Measured: r.Measured, Min: rule.Min, Max: rule.Max, Holds: r.Holds})
			}
			return &whatIfOut{v}, nil
		})
	type hintsOut struct{ Body []HintView }
	server.SignedIn(s, api, server.Operation("get-hints", http.MethodGet, server.SheetPath+"/hints",
		"Courses that would be the most useful as one more alternate, the best first"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*hintsOut, error) {
			d, hints, err := s.cases.Sheet.Hints(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			out := &hintsOut{Body: []HintView{}}
			for _, h := range hints {
				out.Body = append(out.Body, HintView{d.Year.Codes[h.Course], Codes(d.Year.Year, h.Saves)})
			}
			return out, nil
		})
}
