package sheet

import (
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/web/server"
)

// WithSheet adds to an error of a sheet what is to be mended, or the sheet as it is now.
func WithSheet(p *server.Problem, known *problem.Error) {
	now, ok := known.Now.(*appsheet.Desk)
	if !ok {
		return
	}
	switch acts.Why(known.Code) {
	case acts.NotReady:
		p.Todo = todos(now)
	case acts.Stale:
		p.Sheet = newSheet(now)
	}
}

// DescribeProblem adds to the contract what WithSheet adds to problems.
func DescribeProblem(contract *huma.OpenAPI) {
	schemas := contract.Components.Schemas
	fields := schemas.Map()["Problem"].Properties
	put := func(name string, schema *huma.Schema) {
		schema.Description = fields[name].Description
		fields[name] = schema
	}
	put("todo", schemas.Schema(reflect.TypeFor[[]Todo](), true, ""))
	put("sheet", schemas.Schema(reflect.TypeFor[*SheetView](), true, ""))
}
