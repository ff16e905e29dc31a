// Package sheet serves the requests of single students over HTTP: contract types, routes and how one becomes the other.
package sheet

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/web/server"
)

// Routes serves the requests of single students.
type Routes struct {
	*server.Server
	cases *app.App
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App) *Routes { return &Routes{s, cases} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.agreementRoutes(api)
	s.draftRoutes(api)
	s.pageRoutes(api)
	s.paperRoutes(api)
	s.pathRoutes(api)
	s.sheetRoutes(api)
	s.actRoutes(api)
	s.fileRoutes(api)
	s.whatIfRoutes(api)
}
