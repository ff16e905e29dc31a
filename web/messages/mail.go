package messages

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/locales"
	"rubricon/web/server"
)

// LetterView is a mail about a student.
type LetterView struct {
	Kind    string     `json:"kind" enum:"opens,reminder,submitted,sign,asked,sentBack,decided,cleared,placed,unplaced,notRunning,running,offered,password,code"`
	To      string     `json:"to" doc:"To whom"`
	Role    string     `json:"role"`
	State   string     `json:"state" enum:"waiting,sending,sent,failed,unsure,noAddress,declined" doc:"unsure: whether it went out nobody knows, and it is not tried again"`
	Address string     `json:"address,omitempty"`
	Fault   string     `json:"fault,omitempty" doc:"What the mail server said last"`
	MadeAt  time.Time  `json:"madeAt"`
	DoneAt  *time.Time `json:"doneAt,omitempty"`
}

// LookView is someone of the school who looked at a student's sheet on a day.
type LookView struct {
	By  string    `json:"by"`
	Day string    `json:"day" doc:"YYYY-MM-DD, in the school's time zone"`
	At  time.Time `json:"at" doc:"The first time on that day"`
}

// MailChoice is whether an account gets reminders by mail.
type MailChoice struct {
	Reminders bool `json:"reminders"`
}

// mailRoutes are those of what is sent by mail.
func (s *Routes) mailRoutes(api huma.API) {
	type pagedIn struct {
		server.OnSheet
		server.Paged
	}
	type lettersOut struct{ Body []LetterView }
	server.SignedIn(s, api, server.Operation("list-letters", http.MethodGet, server.StudentPath+"/letters",
		"The mails about a student, the latest first, at most 200 at once"),
		func(ctx context.Context, by int64, in *pagedIn) (*lettersOut, error) {
			list, err := s.cases.Messages.Letters(ctx, by, in.Place(), in.Skip)
			out := &lettersOut{Body: []LetterView{}}
			for _, l := range list {
				out.Body = append(out.Body, LetterView(l))
			}
			return out, err
		})
	type looksOut struct{ Body []LookView }
	server.SignedIn(s, api, server.Operation("list-looks", http.MethodGet, server.StudentPath+"/looks",
		"Who of the school looked at a student's sheet on which day, the latest first, at most 200 at once"),
		func(ctx context.Context, by int64, in *pagedIn) (*looksOut, error) {
			list, err := s.cases.People.Looks(ctx, by, in.Place(), in.Skip)
			out := &looksOut{Body: []LookView{}}
			for _, l := range list {
				out.Body = append(out.Body, LookView(l))
			}
			return out, err
		})
	type choiceOut struct{ Body MailChoice }
	server.SignedIn(s, api, server.Operation("get-mail-choice", http.MethodGet, "/api/mail", "Whether one gets reminders by mail"),
		func(ctx context.Context, by int64, _ *struct{}) (*choiceOut, error) {
			wants, err := s.cases.Messages.WantsReminders(ctx, by)
			return &choiceOut{MailChoice{wants}}, err
		})
	type choiceIn struct{ Body MailChoice }
	set := server.Operation("set-mail-choice", http.MethodPut, "/api/mail",
		"Get reminders by mail, or no more; receipts and the like are always sent")
	set.DefaultStatus = http.StatusNoContent
	server.SignedIn(s, api, set,
		func(ctx context.Context, by int64, in *choiceIn) (*struct{}, error) {
			return &struct{}{}, s.cases.Messages.SetReminders(ctx, by, in.Body.Reminders)
		})
	// The link of a mail: no one need sign in to be left in peace. A program that only looks at links must not
	// do it, so a page asks first.
	type stopIn struct {
		Token string `path:"token" minLength:"10" maxLength:"100"`
	}
	type pageOut struct {
		ContentType string `header:"Content-Type"`
		Policy      string `header:"Content-Security-Policy"`
		Body        []byte
	}
	page := func(ctx context.Context, done bool) *pageOut {
		return &pageOut{"text/html; charset=utf-8", "default-src 'none'; form-action 'self'; frame-ancestors 'none'",
			server.StopPage(locales.Match(server.RequestOf(ctx).Reads), done)}
	}
	huma.Register(api, server.Gives(server.Operation("ask-mail-stop", http.MethodGet, "/api/mail/stop/{token}",
		"Ask whether no more reminders are wanted, from the link of a mail"), "text/html"),
		func(ctx context.Context, _ *stopIn) (*pageOut, error) { return page(ctx, false), nil })
	type stopPost struct {
		Token   string `path:"token" minLength:"10" maxLength:"100"`
		RawBody []byte
	}
	stop := server.Gives(server.Operation("mail-stop", http.MethodPost, "/api/mail/stop/{token}",
		"No more reminders, from the link of a mail (RFC 8058)"), "text/html")
	stop.MaxBodyBytes = 1 << 10
	huma.Register(api, stop, func(ctx context.Context, in *stopPost) (*pageOut, error) {
		if err := s.cases.Messages.NoReminders(ctx, in.Token); err != nil {
			return nil, server.Answer(ctx, err)
		}
		return page(ctx, true), nil
	})
}
