package web

import (
	"context"
	"encoding/json"
	"mime"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	schoolyear "rubricon/app/year"
)

// InYear is the path of a school year; exported because huma reads embedded fields only then.
type InYear struct {
	School string `path:"school" maxLength:"100"`
	Year   int    `path:"year" minimum:"1900" maximum:"9999" doc:"The calendar year in which the school year begins"`
}

// OnSheet is the path of a sheet.
type OnSheet struct {
	InYear
	Student string `path:"student" maxLength:"100"`
	Draft   int64  `query:"draft" minimum:"0" doc:"One of the drafts beside the sheet, in its place; what can be done with a sheet alone is refused of it"`
}

func (o *OnSheet) place() schoolyear.Place {
	return schoolyear.Place{School: o.School, Year: o.Year, Student: o.Student, Draft: o.Draft}
}

const (
	yearPath    = schoolsPath + "{school}/years/{year}"
	studentPath = yearPath + "/students/{student}"
	sheetPath   = studentPath + "/sheet"
)

// Paged is how much of a list, the latest first, is left out; exported because huma reads embedded fields only then.
type Paged struct {
	Skip int `query:"skip" minimum:"0" maximum:"1000000" doc:"How many of the latest to leave out"`
}

// firstYear and lastYear bound a school year, as InYear says.
const firstYear, lastYear = 1900, 9999

// operation returns an operation with the usual limits. Bodies are read before it begins (readBody), so it sets no deadline for reading:
// huma's own, of five seconds, would go on while the operation works, and end its context and the connection.
func operation(id, method, path, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, MaxBodyBytes: maxBody, BodyReadTimeout: -1, DefaultStatus: http.StatusOK}
}

// gives says of an operation that it answers with a file, of one of some media types.
func gives(op huma.Operation, kinds ...string) huma.Operation {
	content := map[string]*huma.MediaType{}
	for _, kind := range kinds {
		switch schema := (&huma.Schema{Type: huma.TypeString}); {
		case kind == "application/json":
			schema.Type, schema.AdditionalProperties = huma.TypeObject, true
			fallthrough
		case strings.HasPrefix(kind, "text/"):
			content[kind] = &huma.MediaType{Schema: schema}
		default:
			schema.Format = "binary"
			content[kind] = &huma.MediaType{Schema: schema}
		}
	}
	op.Responses = map[string]*huma.Response{"200": {Description: "A file, or a page to be shown", Content: content}}
	return op
}

// problems is how errors are answered.
func problems(api huma.API) *huma.Response {
	schema := api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[Problem](), true, "")
	return &huma.Response{Description: "Error", Content: map[string]*huma.MediaType{"application/problem+json": {Schema: schema}}}
}

func (s *Server) routes(api huma.API) {
	s.accountRoutes(api)
	s.schoolRoutes(api)
	s.caseloadRoutes(api)
	s.sheetRoutes(api)
	s.actRoutes(api)
	s.pathRoutes(api)
	s.fileRoutes(api)
	s.whatIfRoutes(api)
	s.draftRoutes(api)
	s.calendarRoutes(api)
	s.paperRoutes(api)
	s.remarkRoutes(api)
	s.agreementRoutes(api)
	s.signOnRoutes(api)
	s.passkeyRoutes(api)
	s.demandRoutes(api)
	s.placementRoutes(api)
	s.scheduleRoutes(api)
	s.handRoutes(api)
	s.weekRoutes(api)
	s.seatRoutes(api)
	s.tokenRoutes(api)
	s.hookRoutes(api)
	s.changeRoutes(api)
	s.liveRoutes(api)
	s.taskRoutes(api)
	s.rulesRoutes(api)
	s.teacherRoutes(api)
	s.tryoutRoutes(api)
	s.pageRoutes(api)
	s.codeRoutes(api)
	s.mailRoutes(api)
	s.recordRoutes(api)
	s.conditionRoutes(api)
}

// signedIn registers a route for whoever is signed in.
func signedIn[I, O any](s *Server, api huma.API, op huma.Operation, do func(ctx context.Context, by int64, in *I) (*O, error)) {
	huma.Register(api, op, func(ctx context.Context, in *I) (*O, error) {
		by, err := s.ready(ctx)
		if err != nil {
			return nil, err
		}
		out, err := do(ctx, by, in)
		if err != nil {
			return nil, answer(ctx, err)
		}
		return out, nil
	})
}

// schoolRoutes are those of a school year.
func (s *Server) schoolRoutes(api huma.API) {
	type catalogOut struct{ Body *Catalog }
	type catalogIn struct {
		InYear
		Language string `query:"language" maxLength:"35" doc:"BCP 47: in which texts are wanted, where the school has them in it"`
	}
	signedIn(s, api, operation("get-catalog", http.MethodGet, yearPath+"/catalog", "The catalog, rules and requirements of a school year"),
		func(ctx context.Context, by int64, in *catalogIn) (*catalogOut, error) {
			y, err := s.cases.Catalog.Catalog(ctx, by, in.School, in.Year)
			if err != nil {
				return nil, err
			}
			c := newCatalog(y.SchoolYear, in.Language, y.Teachers)
			for _, p := range y.Stopped {
				c.NotRunning = append(c.NotRunning, StoppedCourse{p.Course, p.Reason})
			}
			return &catalogOut{c}, nil
		})
	type peopleIn struct {
		InYear
		Name string `query:"name" maxLength:"100" doc:"Words of the name or username"`
	}
	type peopleOut struct{ Body []FoundView }
	signedIn(s, api, operation("find-people", http.MethodGet, yearPath+"/people", "People of a school by name, at most 50"),
		func(ctx context.Context, by int64, in *peopleIn) (*peopleOut, error) {
			list, err := s.cases.People.FindPeople(ctx, by, in.School, in.Year, in.Name)
			if err != nil {
				return nil, err
			}
			out := &peopleOut{Body: []FoundView{}}
			for _, p := range list {
				out.Body = append(out.Body, FoundView{p.ID, p.GivenName, p.FamilyName, p.Role, p.Username, p.Password, p.Once, p.Right, p.SeenAt, p.Leads.V})
			}
			return out, nil
		})
	type personIn struct {
		InYear
		Person string `path:"person" maxLength:"100"`
	}
	type rightIn struct {
		InYear
		Person string `path:"person" maxLength:"100"`
		Body   struct {
			Give   bool   `json:"give"`
			Reason string `json:"reason" maxLength:"1000"`
		}
	}
	signedIn(s, api, operation("set-right", http.MethodPost, yearPath+"/people/{person}/right", "Let a person of the staff administer the school, or take that back, with a reason"),
		func(ctx context.Context, by int64, in *rightIn) (*struct{}, error) {
			return &struct{}{}, s.cases.People.SetRight(ctx, by, in.School, in.Year, in.Person, in.Body.Give, in.Body.Reason)
		})
	type signInsIn struct {
		InYear
		Paged
		Person string `path:"person" maxLength:"100"`
	}
	type signInsOut struct{ Body []SignInView }
	signedIn(s, api, operation("list-sign-ins", http.MethodGet, yearPath+"/people/{person}/sign-ins", "The tries to sign in as a person, the latest first, at most 50 at once"),
		func(ctx context.Context, by int64, in *signInsIn) (*signInsOut, error) {
			list, err := s.cases.Account.SignIns(ctx, by, in.School, in.Year, in.Person, in.Skip)
			out := &signInsOut{Body: []SignInView{}}
			for _, x := range list {
				out.Body = append(out.Body, SignInView(x))
			}
			return out, err
		})
	type everythingOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	signedIn(s, api, gives(operation("get-everything", http.MethodGet, yearPath+"/people/{person}/everything", "All that is kept about a person, table by table, as a JSON file to be handed to them; nothing secret is in it"), "application/json"),
		func(ctx context.Context, by int64, in *personIn) (*everythingOut, error) {
			all, err := s.cases.People.Everything(ctx, by, in.School, in.Year, in.Person)
			if err != nil {
				return nil, err
			}
			text, err := json.MarshalIndent(all, "", "  ")
			if err != nil {
				return nil, err
			}
			return &everythingOut{"application/json", mime.FormatMediaType("attachment", map[string]string{"filename": "everything.json"}), text}, nil
		})
	type officeActsIn struct {
		InYear
		Paged
	}
	type actsOut struct{ Body []OfficeAct }
	signedIn(s, api, operation("list-office-acts", http.MethodGet, yearPath+"/office-acts", "What the office has done, the latest first, at most 200 at once"),
		func(ctx context.Context, by int64, in *officeActsIn) (*actsOut, error) {
			list, err := s.cases.Office.OfficeActs(ctx, by, in.School, in.Year, in.Skip)
			out := &actsOut{Body: []OfficeAct{}}
			for _, a := range list {
				out.Body = append(out.Body, OfficeAct(a))
			}
			return out, err
		})
	type passwordIn struct {
		InYear
		Person string `path:"person" maxLength:"100"`
		Mail   bool   `query:"mail" doc:"Send it to the mail address on file"`
	}
	type passwordOut struct {
		Body struct {
			Password string `json:"password,omitempty" doc:"To be handed over; it is shown this once, and not where it goes by mail"`
		}
	}
	signedIn(s, api, operation("give-password", http.MethodPost, yearPath+"/people/{person}/password", "Give a person a new password; it ends their sessions"),
		func(ctx context.Context, by int64, in *passwordIn) (out *passwordOut, err error) {
			out = &passwordOut{}
			out.Body.Password, err = s.cases.Account.GivePassword(ctx, by, in.School, in.Year, in.Person, in.Mail)
			return out, err
		})
}
