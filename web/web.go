package web

import (
	"bytes"
	"encoding/json"
	"rubricon/app"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
)

// Contract describes all routes; it needs no database.
func Contract() *huma.OpenAPI {
	s := &Server{Sessions: scs.New(), cases: &app.App{}}
	api := newAPI(gin.New())
	s.routes(api)
	describe(api.OpenAPI())
	return api.OpenAPI()
}

// OpenAPI is the contract, as indented JSON.
func OpenAPI() ([]byte, error) {
	text, err := Contract().MarshalJSON()
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := json.Indent(&out, text, "", " "); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

func (s *Server) routes(api huma.API) {
	s.accountRoutes(api)
	s.catalogRoutes(api)
	s.peopleRoutes(api)
	s.letInRoutes(api)
	s.officeRoutes(api)
	s.caseloadRoutes(api)
	s.sheetRoutes(api)
	s.actRoutes(api)
	s.pathRoutes(api)
	s.fileRoutes(api)
	s.whatIfRoutes(api)
	s.draftRoutes(api)
	s.calendarRoutes(api)
	s.paperRoutes(api)
	s.remarkRoutes(api)
	s.agreementRoutes(api)
	s.signOnRoutes(api)
	s.passkeyRoutes(api)
	s.demandRoutes(api)
	s.placementRoutes(api)
	s.scheduleRoutes(api)
	s.handRoutes(api)
	s.weekRoutes(api)
	s.seatRoutes(api)
	s.tokenRoutes(api)
	s.hookRoutes(api)
	s.changeRoutes(api)
	s.liveRoutes(api)
	s.taskRoutes(api)
	s.rulesRoutes(api)
	s.teacherRoutes(api)
	s.tryoutRoutes(api)
	s.pageRoutes(api)
	s.codeRoutes(api)
	s.mailRoutes(api)
	s.recordRoutes(api)
	s.conditionRoutes(api)
}
