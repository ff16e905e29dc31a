package catalog

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/web/server"
)

// catalogRoutes are those of the catalog in force.
func (s *Routes) catalogRoutes(api huma.API) {
	type catalogOut struct{ Body *Catalog }
	type catalogIn struct {
		server.InYear
		Language string `query:"language" maxLength:"35" doc:"BCP 47: in which texts are wanted, where the school has them in it"`
	}
	server.SignedIn(s, api, server.Operation("get-catalog", http.MethodGet, server.YearPath+"/catalog",
		"The catalog, rules and requirements of a school year"),
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
}
