// Package caseload serves lists of students, batches, classes and tryouts over HTTP: contract types, routes
// and how one becomes the other.
package caseload

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/web/server"
)

// Routes serves lists of students and what is done to many.
type Routes struct {
	*server.Server
	cases *app.App
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App) *Routes { return &Routes{s, cases} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.caseloadRoutes(api)
	s.recordRoutes(api)
	s.conditionRoutes(api)
	s.remarkRoutes(api)
	s.teacherRoutes(api)
	s.tryoutRoutes(api)
}
