package sheet

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/web/server"
)

// DraftsView are the drafts next to a sheet.
type DraftsView struct {
	Act    Act         `json:"act" doc:"Whether the reader may make and change them"`
	Most   int         `json:"most" doc:"How many there may be"`
	Drafts []DraftHead `json:"drafts" doc:"The oldest first"`
}

// draftRoutes are those of the drafts next to a sheet. A draft is read and changed by the routes of the sheet,
// with its id.
func (s *Routes) draftRoutes(api huma.API) {
	type draftsOut struct{ Body *DraftsView }
	list := func(ctx context.Context, by int64, in *server.OnSheet) (*draftsOut, error) {
		at := in.Place()
		d, rows, err := s.cases.Sheet.Drafts().List(ctx, by, at)
		if err != nil {
			return nil, err
		}
		v := &DraftsView{Act: Act{Allowed: d.MayDraft(), Why: string(acts.NotYours)}, Most: appsheet.MaxDrafts, Drafts: []DraftHead{}}
		if v.Act.Allowed {
			v.Act.Why = ""
		}
		for _, r := range rows {
			v.Drafts = append(v.Drafts, newDraftHead(&r))
		}
		return &draftsOut{v}, nil
	}
	server.SignedIn(s, api, server.Operation("get-drafts", http.MethodGet, server.StudentPath+"/drafts", "The drafts beside a sheet"), list)
	type naming struct {
		Name string `json:"name" minLength:"1" maxLength:"60"`
	}
	type makeIn struct {
		server.OnSheet
		Body naming
	}
	server.SignedIn(s, api, server.Operation("make-draft", http.MethodPost, server.StudentPath+"/drafts",
		"Copy the sheet, or one of its drafts, to a new draft; there are at most four"),
		func(ctx context.Context, by int64, in *makeIn) (*draftsOut, error) {
			if _, err := s.cases.Sheet.Drafts().Make(ctx, by, in.Place(), in.Body.Name); err != nil {
				return nil, err
			}
			return list(ctx, by, &in.OnSheet)
		})
	type draftIn struct {
		server.OnSheet
		ID int64 `path:"id" minimum:"1"`
	}
	type nameIn struct {
		server.OnSheet
		ID   int64 `path:"id" minimum:"1"`
		Body naming
	}
	server.SignedIn(s, api, server.Operation("name-draft", http.MethodPut, server.StudentPath+"/drafts/{id}", "Give a draft another name"),
		func(ctx context.Context, by int64, in *nameIn) (*draftsOut, error) {
			in.Draft = in.ID
			if err := s.cases.Sheet.Drafts().Name(ctx, by, in.Place(), in.Body.Name); err != nil {
				return nil, err
			}
			return list(ctx, by, &in.OnSheet)
		})
	type showIn struct {
		server.OnSheet
		ID   int64 `path:"id" minimum:"1"`
		Body struct {
			Shown bool `json:"shown"`
		}
	}
	server.SignedIn(s, api, server.Operation("show-draft", http.MethodPut, server.StudentPath+"/drafts/{id}/shown",
		"Show a draft to the family, or no longer"),
		func(ctx context.Context, by int64, in *showIn) (*draftsOut, error) {
			at := in.Place()
			at.Draft = in.ID
			if _, err := s.cases.Sheet.Drafts().Show(ctx, by, at, in.Body.Shown); err != nil {
				return nil, err
			}
			return list(ctx, by, &in.OnSheet)
		})
	server.SignedIn(s, api, server.Operation("drop-draft", http.MethodDelete, server.StudentPath+"/drafts/{id}", "Throw a draft away"),
		func(ctx context.Context, by int64, in *draftIn) (*draftsOut, error) {
			in.Draft = in.ID
			if err := s.cases.Sheet.Drafts().Drop(ctx, by, in.Place()); err != nil {
				return nil, err
			}
			return list(ctx, by, &in.OnSheet)
		})
}

func newDraftHead(r *appsheet.DraftRow) DraftHead {
	return DraftHead{ID: r.ID, Name: r.Name, At: r.ChangedAt, Shown: r.ShownAt, Said: r.Said}
}
