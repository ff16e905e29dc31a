package web

import (
	"context"
	"crypto/sha256"
	"fmt"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/locales"
	"rubricon/paper"
	"rubricon/school"
)

// FeedView is a person's secret address of a student's calendar.
type FeedView struct {
	MadeAt *time.Time `json:"madeAt,omitempty" doc:"Absent: there is none"`
	Path   string     `json:"path,omitempty" doc:"Said once, when it is made; it is secret"`
}

// calendarRoutes are those of the errands as a calendar.
func (s *Server) calendarRoutes(api huma.API) {
	type fileOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	file := func(d *school.Desk, l *locales.Locale) *fileOut {
		return &fileOut{"text/calendar; charset=utf-8", mime.FormatMediaType("attachment", map[string]string{"filename": "errands.ics"}), s.calendar(d, l)}
	}
	signedIn(s, api, gives(operation("get-calendar", http.MethodGet, studentPath+"/errands.ics", "A student's errands as an iCalendar file"), "text/calendar"),
		func(ctx context.Context, by int64, in *OnSheet) (*fileOut, error) {
			d, err := s.cases.Sheet(ctx, by, in.place())
			if err != nil {
				return nil, err
			}
			return file(d, locales.Match(requestOf(ctx).reads)), nil
		})
	type feedOut struct{ Body *FeedView }
	signedIn(s, api, operation("get-feed", http.MethodGet, studentPath+"/feed", "Whether one has a secret address of a student's calendar"),
		func(ctx context.Context, by int64, in *OnSheet) (*feedOut, error) {
			made, err := s.cases.FeedMade(ctx, by, in.place())
			if err != nil {
				return nil, err
			}
			return &feedOut{&FeedView{MadeAt: made}}, nil
		})
	signedIn(s, api, operation("make-feed", http.MethodPost, studentPath+"/feed", "Make a secret address of a student's calendar; an earlier one ends"),
		func(ctx context.Context, by int64, in *OnSheet) (*feedOut, error) {
			token, err := s.cases.MakeFeed(ctx, by, in.place(), locales.Match(requestOf(ctx).reads).Tag.String())
			if err != nil {
				return nil, err
			}
			now := s.now()
			return &feedOut{&FeedView{MadeAt: &now, Path: "/api/calendar/" + token + "/errands.ics"}}, nil
		})
	signedIn(s, api, operation("drop-feed", http.MethodDelete, studentPath+"/feed", "Take one's secret address of a student's calendar away"),
		func(ctx context.Context, by int64, in *OnSheet) (*feedOut, error) {
			return &feedOut{&FeedView{}}, s.cases.DropFeed(ctx, by, in.place())
		})
	type tokenIn struct {
		Token string `path:"token" maxLength:"100"`
	}
	huma.Register(api, gives(operation("read-feed", http.MethodGet, "/api/calendar/{token}/errands.ics", "The calendar of a secret address"), "text/calendar"), func(ctx context.Context, in *tokenIn) (*fileOut, error) {
		d, language, err := s.cases.Fed(ctx, in.Token)
		if err != nil {
			return nil, answer(ctx, err)
		}
		return file(d, locales.Match(language)), nil
	})
}

// calendar writes a sheet's errands, and when its window closes.
func (s *Server) calendar(d *school.Desk, l *locales.Locale) []byte {
	y := d.Year
	zone := y.Zone()
	tag := l.Tag.String()
	title := func(course int32) string { return y.Courses[course].TextIn(tag).Title }
	events := []paper.Event{}
	// An errand is known by its course, kind and title, whatever row of its file it is in; a second such by its number among them.
	seen := map[string]int{}
	for _, r := range d.Known.Errands(&d.Sheet) {
		e := &y.Errands[r.Errand]
		at, day, ok := e.Moment(zone)
		if !ok {
			continue
		}
		sum := sha256.Sum256([]byte(strings.Join([]string{y.Codes[e.Course], string(e.Kind), e.Title}, "\x1f")))
		id := fmt.Sprintf("%s-%s-%x", d.Row.Student, e.Kind, sum[:6])
		if seen[id]++; seen[id] > 1 {
			id = fmt.Sprintf("%s-%d", id, seen[id])
		}
		event := paper.Event{ID: id, Rev: int(d.Row.Catalog), Title: e.Title, Place: e.Place, Note: strings.TrimSpace(title(e.Course) + ". " + e.Note)}
		if r.Settled {
			event.Title = l.Text("calendar.settled", map[string]any{"what": e.Title})
		}
		if event.At, event.Whole = at, day; day { // the paper's days are those of no zone
			event.At = time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, time.UTC)
		}
		events = append(events, event)
	}
	if w := d.Window(); !w.Opens.IsZero() {
		events = append(events, paper.Event{ID: d.Row.Student + "-closes", Title: l.Text("calendar.closes", map[string]any{"school": y.Name}), At: w.Families})
	}
	name := l.Text("calendar.name", map[string]any{"name": d.Pupil.GivenName + " " + d.Pupil.FamilyName})
	return paper.Calendar(name, fmt.Sprintf("%s.%d.rubricon", d.Row.School, d.Row.Year), s.now(), events)
}
