package server

import (
	"context"
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

// Place names the sheet of the path.
func (o *OnSheet) Place() schoolyear.Place {
	return schoolyear.Place{School: o.School, Year: o.Year, Student: o.Student, Draft: o.Draft}
}

// The paths that routes begin with.
const (
	YearPath    = schoolsPath + "{school}/years/{year}"
	StudentPath = YearPath + "/students/{student}"
	SheetPath   = StudentPath + "/sheet"
)

// Paged is how much of a list, the latest first, is left out; exported because huma reads embedded fields only then.
type Paged struct {
	Skip int `query:"skip" minimum:"0" maximum:"1000000" doc:"How many of the latest to leave out"`
}

// firstYear and lastYear bound a school year, as InYear says.
const firstYear, lastYear = 1900, 9999

// Operation returns an operation with the usual limits. Bodies are read before it begins (readBody), so it
// sets no deadline for reading: huma's own, of five seconds, would go on while the operation works, and end
// its context and the connection.
func Operation(id, method, path, summary string) huma.Operation {
	return huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, MaxBodyBytes: maxBody,
		BodyReadTimeout: -1, DefaultStatus: http.StatusOK}
}

// Gives declares of an operation that it answers with a file, of one of some media types.
func Gives(op huma.Operation, kinds ...string) huma.Operation {
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

// Problems is how errors are answered.
func Problems(api huma.API) *huma.Response {
	schema := api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[Problem](), true, "")
	return &huma.Response{Description: "Error", Content: map[string]*huma.MediaType{"application/problem+json": {Schema: schema}}}
}

// Guard says who is signed in, and may go on.
type Guard interface {
	Ready(ctx context.Context) (int64, error)
}

// SignedIn registers a route for anyone who is signed in.
func SignedIn[I, O any](s Guard, api huma.API, op huma.Operation, do func(ctx context.Context, by int64, in *I) (*O, error)) {
	huma.Register(api, op, func(ctx context.Context, in *I) (*O, error) {
		by, err := s.Ready(ctx)
		if err != nil {
			return nil, err
		}
		out, err := do(ctx, by, in)
		if err != nil {
			return nil, Answer(ctx, err)
		}
		return out, nil
	})
}
