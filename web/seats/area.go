// Package seats serves the choice of sections and enrollments over HTTP: contract types, routes and how one
// becomes the other.
package seats

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/web/server"
)

// Routes serves the choice of sections.
type Routes struct {
	*server.Server
	cases *app.App
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App) *Routes { return &Routes{s, cases} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.calendarRoutes(api)
	s.changeRoutes(api)
	s.seatRoutes(api)
	s.weekRoutes(api)
	s.seatWaysRoutes(api)
}
