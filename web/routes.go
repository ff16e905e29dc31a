package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/school"
)

const usernameKey = "username"

// OnSheet is the path of a sheet; it is exported because huma reads embedded fields only then.
type OnSheet struct {
	School  string `path:"school" maxLength:"100"`
	Student string `path:"student" maxLength:"100"`
}

type sheetOut struct{ Body *school.SheetView }

type versionBody struct {
	Version int64 `json:"version" minimum:"1" doc:"The version of the sheet that was looked at"`
}

type signatureBody struct {
	Version int64    `json:"version" minimum:"1"`
	Agreed  []string `json:"agreed" maxItems:"60" doc:"The requested courses whose fee is agreed to, one by one"`
}

type messageBody struct {
	Version int64  `json:"version" minimum:"1"`
	Message string `json:"message" maxLength:"1000"`
}

// HistoryItem is one thing that happened to a sheet.
type HistoryItem struct {
	Version int64  `json:"version"`
	At      string `json:"at" format:"date-time"`
	Actor   string `json:"actor"`
	Kind    string `json:"kind"`
	Act     string `json:"act,omitempty"`
	Course  string `json:"course,omitempty"`
	Message string `json:"message,omitempty"`
	Answer  string `json:"answer,omitempty"`
}

// Welcome is what the sign-in page shows.
type Welcome struct {
	Demo []DemoSignIn `json:"demo" doc:"The demo's sign-ins; empty elsewhere"`
}

// username gives who is signed in.
func (s *Server) username(ctx context.Context) (string, error) {
	if name := s.sessions.GetString(ctx, usernameKey); name != "" {
		return name, nil
	}
	return "", newProblem(http.StatusUnauthorized, "sign in first")
}

func operation(id, method, path, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, MaxBodyBytes: 64 << 10, DefaultStatus: http.StatusOK}
}

const sheetPath = "/api/schools/{school}/students/{student}/sheet"

// onSheetWith registers a route that acts on a sheet with a body.
func onSheetWith[B any](s *Server, api huma.API, op huma.Operation, do func(ctx context.Context, username string, at OnSheet, body B) (*school.SheetView, error)) {
	type in struct {
		OnSheet
		Body B
	}
	huma.Register(api, op, func(ctx context.Context, in *in) (*sheetOut, error) {
		username, err := s.username(ctx)
		if err != nil {
			return nil, err
		}
		view, err := do(ctx, username, in.OnSheet, in.Body)
		if err != nil {
			return nil, answer(err)
		}
		return &sheetOut{view}, nil
	})
}

func (s *Server) routes(api huma.API) {
	s.signInRoutes(api)
	s.readRoutes(api)
	onSheetWith(s, api, operation("change-sheet", http.MethodPost, sheetPath+"/changes", "Change a sheet; kept at once"),
		func(ctx context.Context, username string, at OnSheet, body school.Edit) (*school.SheetView, error) {
			return s.cases.Change(ctx, username, at.School, at.Student, body)
		})
	onSheetWith(s, api, operation("submit-sheet", http.MethodPost, sheetPath+"/submission", "Submit a sheet; twice gives the same receipt"),
		func(ctx context.Context, username string, at OnSheet, body versionBody) (*school.SheetView, error) {
			return s.cases.Submit(ctx, username, at.School, at.Student, body.Version)
		})
	onSheetWith(s, api, operation("sign-sheet", http.MethodPost, sheetPath+"/signature", "Sign a submitted sheet as a guardian"),
		func(ctx context.Context, username string, at OnSheet, body signatureBody) (*school.SheetView, error) {
			return s.cases.Sign(ctx, username, at.School, at.Student, body.Version, body.Agreed)
		})
	onSheetWith(s, api, operation("ask-for-change", http.MethodPost, sheetPath+"/wish", "Ask for a change as a guardian"),
		func(ctx context.Context, username string, at OnSheet, body messageBody) (*school.SheetView, error) {
			return s.cases.AskForChange(ctx, username, at.School, at.Student, body.Version, body.Message)
		})
	onSheetWith(s, api, operation("clear-sheet", http.MethodPost, sheetPath+"/clearance", "Clear a sheet as a counselor"),
		func(ctx context.Context, username string, at OnSheet, body versionBody) (*school.SheetView, error) {
			return s.cases.Clear(ctx, username, at.School, at.Student, body.Version)
		})
	onSheetWith(s, api, operation("send-back-sheet", http.MethodPost, sheetPath+"/return", "Send a sheet back with a message"),
		func(ctx context.Context, username string, at OnSheet, body messageBody) (*school.SheetView, error) {
			return s.cases.SendBack(ctx, username, at.School, at.Student, body.Version, body.Message)
		})
	onSheetWith(s, api, operation("decide", http.MethodPost, sheetPath+"/decision", "Confirm, waive or decline as a counselor, with a reason"),
		func(ctx context.Context, username string, at OnSheet, body school.Decision) (*school.SheetView, error) {
			return s.cases.Decide(ctx, username, at.School, at.Student, body)
		})
}

func (s *Server) readRoutes(api huma.API) {
	type catalogOut struct{ Body *school.Catalog }
	type catalogIn struct {
		School string `path:"school" maxLength:"100"`
	}
	huma.Register(api, operation("get-catalog", http.MethodGet, "/api/schools/{school}/catalog", "The catalog, rules and requirements of a school"),
		func(ctx context.Context, in *catalogIn) (*catalogOut, error) {
			username, err := s.username(ctx)
			if err != nil {
				return nil, err
			}
			catalog, err := s.cases.Catalog(ctx, username, in.School)
			return &catalogOut{catalog}, answer(err)
		})
	huma.Register(api, operation("get-sheet", http.MethodGet, sheetPath, "A student's sheet, judged"),
		func(ctx context.Context, in *OnSheet) (*sheetOut, error) {
			username, err := s.username(ctx)
			if err != nil {
				return nil, err
			}
			view, err := s.cases.Sheet(ctx, username, in.School, in.Student)
			return &sheetOut{view}, answer(err)
		})
	type effectsOut struct{ Body *school.EffectsView }
	huma.Register(api, operation("get-effects", http.MethodGet, sheetPath+"/effects", "What adding each course would do to a sheet"),
		func(ctx context.Context, in *OnSheet) (*effectsOut, error) {
			username, err := s.username(ctx)
			if err != nil {
				return nil, err
			}
			view, err := s.cases.Effects(ctx, username, in.School, in.Student)
			return &effectsOut{view}, answer(err)
		})
	type historyOut struct{ Body []HistoryItem }
	huma.Register(api, operation("get-history", http.MethodGet, sheetPath+"/history", "What happened to a sheet, the latest first, at most 100"),
		func(ctx context.Context, in *OnSheet) (*historyOut, error) {
			username, err := s.username(ctx)
			if err != nil {
				return nil, err
			}
			events, err := s.cases.History(ctx, username, in.School, in.Student)
			out := &historyOut{Body: []HistoryItem{}}
			for _, e := range events {
				d := e.Detail.V
				out.Body = append(out.Body, HistoryItem{e.Version, e.At.Format("2006-01-02T15:04:05Z07:00"), e.Actor, e.Kind, d.Act, d.Course, d.Message, d.Answer})
			}
			return out, answer(err)
		})
	type caseloadOut struct{ Body *school.Caseload }
	type caseloadIn struct {
		School string `path:"school" maxLength:"100"`
		All    bool   `query:"all" doc:"The whole school rather than the reader's own students"`
	}
	huma.Register(api, operation("get-caseload", http.MethodGet, "/api/schools/{school}/caseload", "A counselor's students and what they wait for"),
		func(ctx context.Context, in *caseloadIn) (*caseloadOut, error) {
			username, err := s.username(ctx)
			if err != nil {
				return nil, err
			}
			caseload, err := s.cases.Caseload(ctx, username, in.School, in.All)
			return &caseloadOut{caseload}, answer(err)
		})
}

func (s *Server) signInRoutes(api huma.API) {
	type credentials struct {
		Username string `json:"username" minLength:"1" maxLength:"200"`
		Password string `json:"password" minLength:"1" maxLength:"500"`
	}
	type meOut struct{ Body *school.Me }
	type signIn struct {
		Body credentials
	}
	me := func(ctx context.Context, username string) (*meOut, error) {
		who, err := s.cases.Me(ctx, username)
		return &meOut{who}, answer(err)
	}
	op := operation("sign-in", http.MethodPost, "/api/session", "Sign in")
	op.Middlewares = huma.Middlewares{func(ctx huma.Context, next func(huma.Context)) {
		next(huma.WithValue(ctx, addressKey{}, address(ctx.RemoteAddr())))
	}}
	huma.Register(api, op, func(ctx context.Context, in *signIn) (*meOut, error) {
		from, _ := ctx.Value(addressKey{}).(string)
		if err := s.cases.SignIn(ctx, in.Body.Username, in.Body.Password, from); err != nil {
			return nil, answer(err)
		}
		if err := s.sessions.RenewToken(ctx); err != nil {
			return nil, err
		}
		s.sessions.Put(ctx, usernameKey, in.Body.Username)
		return me(ctx, in.Body.Username)
	})
	op = operation("sign-out", http.MethodDelete, "/api/session", "Sign out")
	op.DefaultStatus = http.StatusNoContent
	huma.Register(api, op, func(ctx context.Context, _ *struct{}) (*struct{}, error) {
		return nil, s.sessions.Destroy(ctx)
	})
	huma.Register(api, operation("get-me", http.MethodGet, "/api/me", "Who is signed in"), func(ctx context.Context, _ *struct{}) (*meOut, error) {
		username, err := s.username(ctx)
		if err != nil {
			return nil, err
		}
		return me(ctx, username)
	})
	type welcomeOut struct{ Body Welcome }
	huma.Register(api, operation("get-welcome", http.MethodGet, "/api/welcome", "What the sign-in page shows"), func(context.Context, *struct{}) (*welcomeOut, error) {
		out := &welcomeOut{Welcome{Demo: s.demo}}
		if out.Body.Demo == nil {
			out.Body.Demo = []DemoSignIn{}
		}
		return out, nil
	})
}

type addressKey struct{}
