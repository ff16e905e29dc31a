package people

import (
	"context"
	"encoding/json"
	"mime"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	webaccount "rubricon/web/account"
	"rubricon/web/server"
)

// peopleRoutes are those of the people of a school.
func (s *Routes) peopleRoutes(api huma.API) {
	type peopleIn struct {
		server.InYear
		Name string `query:"name" maxLength:"100" doc:"Words of the name or username"`
	}
	type peopleOut struct{ Body []webaccount.FoundView }
	server.SignedIn(s, api, server.Operation("find-people", http.MethodGet, server.YearPath+"/people",
		"People of a school by name, at most 50"),
		func(ctx context.Context, by int64, in *peopleIn) (*peopleOut, error) {
			list, err := s.cases.People.FindPeople(ctx, by, in.School, in.Year, in.Name)
			if err != nil {
				return nil, err
			}
			out := &peopleOut{Body: []webaccount.FoundView{}}
			for _, p := range list {
				out.Body = append(out.Body, webaccount.FoundView{ID: p.ID, Given: p.GivenName, Family: p.FamilyName, Role: p.Role,
					Username: p.Username, Password: p.Password, Once: p.Once, Right: p.Right, SeenAt: p.SeenAt, Leads: p.Leads.V})
			}
			return out, nil
		})
	type personIn struct {
		server.InYear
		Person string `path:"person" maxLength:"100"`
	}
	type rightIn struct {
		server.InYear
		Person string `path:"person" maxLength:"100"`
		Body   struct {
			Give   bool   `json:"give"`
			Reason string `json:"reason" maxLength:"1000"`
		}
	}
	server.SignedIn(s, api, server.Operation("set-right", http.MethodPost, server.YearPath+"/people/{person}/right",
		"Let a person of the staff administer the school, or take that back, with a reason"),
		func(ctx context.Context, by int64, in *rightIn) (*struct{}, error) {
			return &struct{}{}, s.cases.People.SetRight(ctx, by, in.School, in.Year, in.Person, in.Body.Give, in.Body.Reason)
		})
	type everythingOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-everything", http.MethodGet,
		server.YearPath+"/people/{person}/everything",
		"All that is kept about a person, table by table, as a JSON file to be handed to them; nothing secret is in it"), "application/json"),
		func(ctx context.Context, by int64, in *personIn) (*everythingOut, error) {
			all, err := s.cases.People.Everything(ctx, by, in.School, in.Year, in.Person)
			if err != nil {
				return nil, err
			}
			text, err := json.MarshalIndent(all, "", "  ")
			if err != nil {
				return nil, err
			}
			return &everythingOut{"application/json",
				mime.FormatMediaType("attachment", map[string]string{"filename": "everything.json"}), text}, nil
		})
}
