// Package messages serves live streams, mail and messages to other systems over HTTP: contract types, routes
// and how one becomes the other.
package messages

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/web/server"
)

// Routes serves live streams, mail and messages to other systems.
type Routes struct {
	*server.Server
	cases *app.App
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App) *Routes { return &Routes{s, cases} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.hookRoutes(api)
	s.liveRoutes(api)
	s.mailRoutes(api)
}
