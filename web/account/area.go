// Package account serves how people and programs sign in over HTTP: contract types, routes and how one
// becomes the other.
package account

import (
	"github.com/danielgtaylor/huma/v2"

	"rubricon/app"
	"rubricon/signon"
	"rubricon/web/server"
)

// Routes signs people and programs in.
type Routes struct {
	*server.Server
	cases *app.App
	Options
}

// Options say what the sign-in page shows and where the application is.
type Options struct {
	Demo     []DemoSignIn   // listed on the sign-in page; empty outside the demo
	DemoMail string         // where the demo shows the mails it has sent; empty outside the demo
	Base     string         // the address of the application, as letters name it; may be empty
	SignOn   *signon.Client // the schools' own accounts; nil in a contract alone
}

// New returns the routes on a server.
func New(s *server.Server, cases *app.App, o Options) *Routes { return &Routes{s, cases, o} }

// Register registers the routes with an API.
func (s *Routes) Register(api huma.API) {
	s.accountRoutes(api)
	s.codeRoutes(api)
	s.letInRoutes(api)
	s.passkeyRoutes(api)
	s.passkeyMakingRoutes(api)
	s.passkeyAnswerRoutes(api)
	s.secondStepRoutes(api)
	s.signOnRoutes(api)
	s.tokenRoutes(api)
	s.sessionRoutes(api)
	s.passwordRoutes(api)
}
