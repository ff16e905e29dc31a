// Package schedule serves demand, sections and placements over HTTP: contract types, routes and how one
// becomes the other.
package schedule

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/web/server"
)

// Routes serves demand, sections and placements.
type Routes struct {
	*server.Server
	cases *app.App
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App) *Routes { return &Routes{s, cases} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.demandRoutes(api)
	s.handRoutes(api)
	s.placementRoutes(api)
	s.scheduleRoutes(api)
	s.compareRoutes(api)
	s.holdRoutes(api)
	s.helpRoutes(api)
	s.resultRoutes(api)
	s.publicationRoutes(api)
	s.planRoutes(api)
}
