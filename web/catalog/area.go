// Package catalog serves catalogs, rules and request periods over HTTP: contract types, routes and how one
// becomes the other.
package catalog

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/web/server"
)

// Routes serves catalogs, rules and request periods.
type Routes struct {
	*server.Server
	cases *app.App
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App) *Routes { return &Routes{s, cases} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.catalogRoutes(api)
	s.rulesRoutes(api)
	s.windowRoutes(api)
	s.versionRoutes(api)
}
