// Package imports serves imports and exports over HTTP: contract types, routes and how one becomes the other.
package imports

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/web/server"
)

// Routes serves imports and exports.
type Routes struct {
	*server.Server
	cases *app.App
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App) *Routes { return &Routes{s, cases} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.taskRoutes(api)
	s.taskFileRoutes(api)
}
