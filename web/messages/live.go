package messages

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/messages"
	"rubricon/app/problem"
	webseats "rubricon/web/seats"
	"rubricon/web/server"
)

// How a live stream is kept: it ends after a while, and before that when its session or the right to hear it has ended.
const (
	liveLongest = 600 // seconds
	liveBeat    = 20 * time.Second
)

// ChangeHeard is what a live stream says.
type ChangeHeard struct {
	Student string         `json:"student,omitempty" doc:"Absent: something may have been missed; look at everything again"`
	Version int64          `json:"version,omitempty" doc:"Of the sheet since"`
	Left    map[string]int `json:"left,omitempty" doc:"Seats that are left in sections now"`
}

// LiveFor is how long a stream may last.
type LiveFor struct {
	Seconds int `query:"seconds" minimum:"0" maximum:"600" default:"600" doc:"How long to stay; 0 ends at once"`
}

// liveRoutes are streams of server-sent events (HTML Living Standard, section 9.2): what others change is
// heard while one looks at it.
func (s *Routes) liveRoutes(api huma.API) {
	said := api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[ChangeHeard](), true, "")
	stream := func(id, path, summary string) huma.Operation {
		op := server.Operation(id, http.MethodGet, path, summary)
		op.Metadata = map[string]any{server.LimitKey: &server.Limit{Live: true}}
		op.Responses = map[string]*huma.Response{"200": {Description: "Server-sent events; the data of each is a ChangeHeard",
			Content: map[string]*huma.MediaType{"text/event-stream": {Schema: said}}}}
		return op
	}
	type sheetIn struct {
		server.OnSheet
		LiveFor
	}
	server.SignedIn(s, api, stream("hear-sheet", server.SheetPath+"/live", "Hear of changes to a sheet"),
		func(ctx context.Context, by int64, in *sheetIn) (*huma.StreamResponse, error) {
			return s.stream(ctx, by, in.Seconds, func() (*messages.Watch, error) { return s.cases.Messages.WatchSheet(ctx, by, in.Place()) })
		})
	type seatsIn struct {
		webseats.SeatsIn
		LiveFor
	}
	server.SignedIn(s, api, stream("hear-seats", webseats.SeatsPath+"/live",
		"Hear of changes to a choice of seats, and of the seats that are left"),
		func(ctx context.Context, by int64, in *seatsIn) (*huma.StreamResponse, error) {
			return s.stream(ctx, by, in.Seconds, func() (*messages.Watch, error) { return s.cases.Messages.WatchSeats(ctx, by, in.Place()) })
		})
	type yearIn struct {
		server.InYear
		LiveFor
	}
	server.SignedIn(s, api, stream("hear-caseload", server.YearPath+"/caseload/live", "Hear of changes to the sheets of a school year"),
		func(ctx context.Context, by int64, in *yearIn) (*huma.StreamResponse, error) {
			return s.stream(ctx, by, in.Seconds, func() (*messages.Watch, error) { return s.cases.Messages.WatchYear(ctx, by, in.School, in.Year) })
		})
	server.SignedIn(s, api, stream("hear-choosing", server.YearPath+"/seats/live",
		"Hear of changes to everybody's choice of seats in a school year"),
		func(ctx context.Context, by int64, in *yearIn) (*huma.StreamResponse, error) {
			return s.stream(ctx, by, in.Seconds, func() (*messages.Watch, error) {
				return s.cases.Messages.WatchChoosing(ctx, by,
					in.School, in.Year)
			})
		})
}

// waitForStream is after how many seconds to try again when one's own streams are too many.
const waitForStream = 60

// stream begins a live stream of an account. The error is that of watching, or says that there are too many.
func (s *Routes) stream(ctx context.Context, by int64, seconds int, watch func() (*messages.Watch, error)) (*huma.StreamResponse, error) {
	leave, err := s.Streaming.Enter(by)
	switch {
	case errors.Is(err, server.ErrOwn):
		return nil, server.TooManyOfOne(ctx, "own-streams", waitForStream)
	case err != nil:
		return nil, server.Unavailable(ctx)
	}
	w, err := watch()
	if err != nil {
		leave()
		return nil, err
	}
	may := func(ctx context.Context) bool {
		if _, there, err := s.cases.Account.FindSession(ctx, server.RequestOf(ctx).Session.Token); err == nil && !there {
			return false
		}
		err := w.May(ctx)
		return err == nil || problem.CodeOf(err) == "" // what fails otherwise takes nobody's right away
	}
	return s.live(w, seconds, may, leave), nil
}

// live writes what is heard until the time is over, the reader goes or may hear it no more, or the server goes.
func (s *Routes) live(w *messages.Watch, seconds int, may func(context.Context) bool, leave func()) *huma.StreamResponse {
	return &huma.StreamResponse{Body: func(hctx huma.Context) {
		defer leave()
		defer w.Close()
		s.Meter.Streams.Inc()
		defer s.Meter.Streams.Dec()
		hctx.SetHeader("Content-Type", "text/event-stream")
		hctx.SetHeader("X-Accel-Buffering", "no")
		out, ok := hctx.BodyWriter().(http.ResponseWriter)
		if !ok {
			return
		}
		control := http.NewResponseController(out)
		_ = control.SetReadDeadline(time.Time{}) // else the server would take the reader for gone
		write := func(text string) bool {
			_ = control.SetWriteDeadline(time.Now().Add(2 * liveBeat))
			_, err := fmt.Fprint(out, text)
			return err == nil && control.Flush() == nil
		}
		over := time.NewTimer(time.Duration(seconds) * time.Second)
		defer over.Stop()
		beat := time.NewTicker(liveBeat)
		defer beat.Stop()
		check := time.NewTicker(s.LiveCheck)
		defer check.Stop()
		for good := write(": here\n\n"); good && seconds > 0 && !server.RequestOf(hctx.Context()).Head; {
			select {
			case <-hctx.Context().Done():
				return
			case <-over.C:
				return
			case <-s.Streams.Done():
				return
			case <-check.C:
				good = may(hctx.Context())
			case <-beat.C:
				good = write(": still here\n\n")
			case heard := <-w.C:
				text, err := json.Marshal(ChangeHeard(heard))
				good = err == nil && write("data: "+string(text)+"\n\n")
			}
		}
	}}
}
