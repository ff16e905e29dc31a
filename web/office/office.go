package office

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	webaccount "rubricon/web/account"
	"rubricon/web/server"
)

// officeRoutes are those of what the office has done.
func (s *Routes) officeRoutes(api huma.API) {
	type officeActsIn struct {
		server.InYear
		server.Paged
	}
	type actsOut struct{ Body []webaccount.OfficeAct }
	server.SignedIn(s, api, server.Operation("list-office-acts", http.MethodGet, server.YearPath+"/office-acts",
		"What the office has done, the latest first, at most 200 at once"),
		func(ctx context.Context, by int64, in *officeActsIn) (*actsOut, error) {
			list, err := s.cases.Office.OfficeActs(ctx, by, in.School, in.Year, in.Skip)
			out := &actsOut{Body: []webaccount.OfficeAct{}}
			for _, a := range list {
				out.Body = append(out.Body, webaccount.OfficeAct(a))
			}
			return out, err
		})
}
