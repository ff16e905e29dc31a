package seats

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/seats"
	appsheet "rubricon/app/sheet"
	"rubricon/locales"
	"rubricon/paper"
	"rubricon/web/server"
)

// FeedView is a person's secret address of a student's calendar.
type FeedView struct {
	MadeAt *time.Time `json:"madeAt,omitempty" doc:"Absent: there is none"`
	Path   string     `json:"path,omitempty" doc:"Said once, when it is made; it is secret"`
}

// calendarRoutes are those of the errands as a calendar.
func (s *Routes) calendarRoutes(api huma.API) {
	type fileOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	file := func(ctx context.Context, d *appsheet.Desk, l *locales.Locale) (*fileOut, error) {
		content, err := s.calendar(ctx, d, l)
		return &fileOut{"text/calendar; charset=utf-8",
			mime.FormatMediaType("attachment", map[string]string{"filename": "errands.ics"}), content}, err
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-calendar", http.MethodGet,
		server.StudentPath+"/errands.ics", "A student's errands as an iCalendar file"), "text/calendar"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*fileOut, error) {
			d, err := s.cases.Sheet.Sheet(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			return file(ctx, d, locales.Match(server.RequestOf(ctx).Reads))
		})
	type feedOut struct{ Body *FeedView }
	server.SignedIn(s, api, server.Operation("get-feed", http.MethodGet, server.StudentPath+"/feed",
		"Whether one has a secret address of a student's calendar"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*feedOut, error) {
			made, err := s.cases.Messages.FeedMade(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			return &feedOut{&FeedView{MadeAt: made}}, nil
		})
	server.SignedIn(s, api, server.Operation("make-feed", http.MethodPost, server.StudentPath+"/feed",
		"Make a secret address of a student's calendar; an earlier one ends"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*feedOut, error) {
			token, err := s.cases.Messages.MakeFeed(ctx, by, in.Place(), locales.Match(server.RequestOf(ctx).Reads).Tag.String())
			if err != nil {
				return nil, err
			}
			now := s.Now()
			return &feedOut{&FeedView{MadeAt: &now, Path: "/api/calendar/" + token + "/errands.ics"}}, nil
		})
	server.SignedIn(s, api, server.Operation("drop-feed", http.MethodDelete, server.StudentPath+"/feed",
		"Take one's secret address of a student's calendar away"),
		func(ctx context.Context, by int64, in *server.OnSheet) (*feedOut, error) {
			return &feedOut{&FeedView{}}, s.cases.Messages.DropFeed(ctx, by, in.Place())
		})
	type tokenIn struct {
		Token string `path:"token" maxLength:"100"`
	}
	huma.Register(api, server.Gives(server.Operation("read-feed", http.MethodGet, "/api/calendar/{token}/errands.ics",
		"The calendar of a secret address"), "text/calendar"), func(ctx context.Context, in *tokenIn) (*fileOut, error) {
		d, language, err := s.cases.Messages.Fed(ctx, in.Token)
		if err != nil {
			return nil, server.Answer(ctx, err)
		}
		out, err := file(ctx, d, locales.Match(language))
		if err != nil {
			return nil, server.Answer(ctx, err)
		}
		return out, nil
	})
}

// calendar writes a sheet's errands, and when its window closes.
func (s *Routes) calendar(ctx context.Context, d *appsheet.Desk, l *locales.Locale) ([]byte, error) {
	y := d.Year
	dates, err := s.cases.Seats.ErrandDates(ctx, d)
	if err != nil {
		return nil, err
	}
	tag := l.Tag.String()
	events := []paper.Event{}
	for i := range dates {
		x := &dates[i]
		event := paper.Event{ID: x.ID, Rev: x.Sequence, Modified: x.Modified, Cancelled: x.Gone, Title: x.Title, At: x.At, Whole: x.Whole}
		switch {
		case strings.HasSuffix(x.ID, seats.Closes):
			event.Title = l.Text("calendar.closes", map[string]any{"school": y.Name})
		case x.Errand >= 0:
			e := &y.Errands[x.Errand]
			event.Place, event.Note = e.Place, strings.TrimSpace(y.Courses[e.Course].TextIn(tag).Title+". "+e.Note)
			if x.Settled {
				event.Title = l.Text("calendar.settled", map[string]any{"what": e.Title})
			}
		}
		events = append(events, event)
	}
	name := l.Text("calendar.name", map[string]any{"name": d.Pupil.GivenName + " " + d.Pupil.FamilyName})
	return paper.Calendar(name, fmt.Sprintf("%s.%d.rubricon", d.Row.School, d.Row.Year), s.Now(), events), nil
}
