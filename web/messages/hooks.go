package messages

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/web/server"
)

// HooksView is what a school tells other systems.
type HooksView struct {
	Able bool       `json:"able" doc:"This server can tell other systems: it has been given a key"`
	List []HookView `json:"list"`
}

// HookView is another system that is told of what happens, without its secret. Counts are of the messages of
// the last 30 days.
type HookView struct {
	ID      int64      `json:"id"`
	Name    string     `json:"name" doc:"Of the system"`
	Address string     `json:"address"`
	Kinds   []string   `json:"kinds" enum:"submitted,cleared,placed"`
	By      string     `json:"by" doc:"Who made it"`
	MadeAt  time.Time  `json:"madeAt"`
	EndedAt *time.Time `json:"endedAt,omitempty" doc:"Taken back"`
	EndedBy string     `json:"endedBy,omitempty"`
	Arrived int        `json:"arrived"`
	Waiting int        `json:"waiting"`
	Failed  int        `json:"failed" doc:"Given up"`
	LastAt  *time.Time `json:"lastAt,omitempty" doc:"When one arrived"`
	Fault   string     `json:"fault,omitempty" doc:"Why the latest that did not arrive did not: the status of the answer, or no-answer, no-host, inside, bad-identity"`
	NextAt  *time.Time `json:"nextAt,omitempty" doc:"When what waits is tried next"`
}

// HookMaking is what another system is told.
type HookMaking struct {
	Name    string   `json:"name" minLength:"1" maxLength:"100"`
	Address string   `json:"address" minLength:"1" maxLength:"500" doc:"Where messages are posted to, over TLS"`
	Kinds   []string `json:"kinds" minItems:"1" maxItems:"3" enum:"submitted,cleared,placed"`
}

// HookMade is the secret with which messages are signed; it is said once.
type HookMade struct {
	Secret string `json:"secret"`
}

// hookRoutes are those of what other systems are told.
func (s *Routes) hookRoutes(api huma.API) {
	type listOut struct{ Body HooksView }
	const path = server.YearPath + "/hooks"
	server.SignedIn(s, api, server.Operation("list-hooks", http.MethodGet, path,
		"The systems that are told of what happens, the latest first"),
		func(ctx context.Context, by int64, in *server.InYear) (*listOut, error) {
			list, err := s.cases.Messages.Hooks(ctx, by, in.School, in.Year)
			out := &listOut{HooksView{s.cases.Messages.TellsOthers(), []HookView{}}}
			for _, h := range list {
				out.Body.List = append(out.Body.List, HookView{ID: h.ID, Name: h.Name, Address: h.URL, Kinds: h.Kinds.V, By: h.By,
					MadeAt: h.MadeAt, EndedAt: h.EndedAt, EndedBy: h.EndedBy, Arrived: h.Arrived, Waiting: h.Waiting,
					Failed: h.Failed, LastAt: h.LastAt, Fault: h.Fault, NextAt: h.NextAt})
			}
			return out, err
		})
	type makeIn struct {
		server.InYear
		Body HookMaking
	}
	type makeOut struct{ Body HookMade }
	server.SignedIn(s, api, server.Operation("make-hook", http.MethodPost, path,
		"Tell another system of what happens; its secret is said once"),
		func(ctx context.Context, by int64, in *makeIn) (*makeOut, error) {
			secret, err := s.cases.Messages.MakeHook(ctx, by, in.School, in.Year, in.Body.Name, in.Body.Address, in.Body.Kinds)
			return &makeOut{HookMade{secret}}, err
		})
	type hookIn struct {
		server.InYear
		Hook int64 `path:"hook"`
	}
	on := func(id, method, path, summary string, do func(ctx context.Context, by int64, school string, year int, hook int64) error) {
		op := server.Operation(id, method, path, summary)
		op.DefaultStatus = http.StatusNoContent
		server.SignedIn(s, api, op, func(ctx context.Context, by int64, in *hookIn) (*struct{}, error) {
			return &struct{}{}, do(ctx, by, in.School, in.Year, in.Hook)
		})
	}
	on("end-hook", http.MethodDelete, path+"/{hook}", "Tell a system nothing any more", s.cases.Messages.EndHook)
	on("try-hook", http.MethodPost, path+"/{hook}/try", "Send a message that says nothing, at once", s.cases.Messages.TryHook)
	on("send-hook-again", http.MethodPost, path+"/{hook}/again",
		"Send again all that has not arrived, also what was given up", s.cases.Messages.SendAgain)
}
