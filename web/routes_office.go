package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// officeRoutes are those of what the office has done.
func (s *Server) officeRoutes(api huma.API) {
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
}
