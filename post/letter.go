package post

import (
	"bytes"
	"html/template"
	"net/mail"
	"strings"
	"time"

	"rubricon/locales"
)

// Letter is what the school has to tell someone.
type Letter struct {
	ID string
	// opens, reminder, submitted, sign, asked, sentBack, decided, cleared, placed, unplaced, notRunning,
	// running, offered, password or code
	Kind     string
	Language string // BCP 47: the reader's
	To       mail.Address
	Given    string // of the reader
	Own      bool   // the reader is the student
	School   string
	Year     string // 2027-28

	Student, StudentGiven      string
	Who, Message, What, Answer string // who did it, their words, what it is about, and confirm, waive or decline
	Receipt, Code, Username    string
	Closes, Until              *time.Time // for families; of an offer: in the school's time zone

	Link string // where it is seen after signing in; it carries no secret
	Stop string // where the reader says that no more such letters are wanted; empty: they cannot be declined
}

// Write writes a letter in its reader's language.
func Write(l *Letter) *Message {
	say := locales.Match(l.Language)
	args := map[string]any{"name": l.Given, "student": l.Student, "given": l.StudentGiven, "school": l.School,
		"year": l.Year, "who": l.Who, "message": l.Message, "what": l.What,
		"receipt": l.Receipt, "code": l.Code, "username": l.Username, "closes": "", "until": "", "stop": l.Stop, "link": l.Link}
	for name, at := range map[string]*time.Time{"closes": l.Closes, "until": l.Until} {
		if at != nil {
			args[name] = say.Day(*at) + at.Format(", 15:04 MST")
		}
	}
	text := func(key string) string {
		for _, form := range []string{"." + map[bool]string{true: "self", false: "other"}[l.Own], ""} {
			if full := "mail." + l.Kind + "." + key + form; say.Has(full) || locales.All()[0].Has(full) {
				return strings.TrimSpace(say.Text(full, args))
			}
		}
		return ""
	}
	page := struct {
		Language, Direction, Subject, Hello, Open, Link, Foot, StopWords, Stop string
		Lines                                                                  []string
		Quote                                                                  string
	}{Language: say.Tag.String(), Direction: say.Direction(), Subject: text("subject"),
		Hello: say.Text("mail.hello", args), Open: text("open"), Link: l.Link, Foot: say.Text("mail.foot", args), Quote: l.Message, Stop: l.Stop}
	page.Lines = strings.Split(text("text"), "\n\n")
	if l.Answer != "" {
		page.Lines = append(page.Lines, say.Text("mail.decided.answer."+l.Answer, args))
	}
	if page.Open == "" {
		page.Open = say.Text("mail.open", args)
	}
	if l.Stop != "" {
		page.StopWords = say.Text("mail.stop", args)
	}
	var plain strings.Builder
	for _, line := range append([]string{page.Hello}, page.Lines...) {
		plain.WriteString(line + "\n\n")
	}
	if page.Quote != "" {
		plain.WriteString("> " + strings.ReplaceAll(page.Quote, "\n", "\n> ") + "\n\n")
	}
	plain.WriteString(page.Open + ":\n" + page.Link + "\n\n-- \n" + page.Foot + "\n")
	if page.Stop != "" {
		plain.WriteString(page.StopWords + ": " + page.Stop + "\n")
	}
	var html bytes.Buffer
	if err := letterPage.Execute(&html, &page); err != nil {
		panic(err) // it is part of the program, and so is what it is filled with
	}
	return &Message{ID: l.ID, To: l.To, Subject: page.Subject, Text: plain.String(), HTML: html.String(), Stop: l.Stop}
}

var letterPage = template.Must(template.New("letter").Parse(`<!doctype html>
<html lang="{{.Language}}" dir="{{.Direction}}"><head><meta charset="utf-8"><title>{{.Subject}}</title></head>
<body style="margin:0;padding:24px;background:#FAF8F3;color:#1F2430;font:16px/1.5 Georgia,serif">
<div style="max-width:36em;margin:0 auto">
<p>{{.Hello}}</p>
{{range .Lines}}<p>{{.}}</p>
{{end}}{{if .Quote}}<blockquote style="margin:0 0 1em;padding:0 1em;border-inline-start:3px solid #1F2430;white-space:pre-line">{{.Quote}}</blockquote>
{{end}}<p><a href="{{.Link}}" style="color:#1F2430">{{.Open}}</a></p>
<hr style="border:0;border-top:1px solid #DDD6C8">
<p style="font-size:13px;color:#5A606E">{{.Foot}}{{if .Stop}}<br><a href="{{.Stop}}" style="color:#5A606E">{{.StopWords}}</a>{{end}}</p>
</div></body></html>
`))
