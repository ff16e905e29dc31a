package server

import (
	"bytes"
	"html/template"

	"rubricon/locales"
)

var stopTemplate = template.Must(template.New("stop").Parse(`<!doctype html>
<html lang="{{.Language}}" dir="{{.Direction}}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>{{.Head}}</title></head>
<body><main><h1>{{.Head}}</h1><p>{{.Note}}</p>{{if .Button}}<form method="post"><input type="hidden" name="List-Unsubscribe" value="One-Click"><button>{{.Button}}</button></form>{{end}}</main></body></html>
`))

// StopPage asks whether no more reminders are wanted, or says that there will be none.
func StopPage(l *locales.Locale, done bool) []byte {
	page := struct{ Language, Direction, Head, Note, Button string }{Language: l.Tag.String(), Direction: l.Direction(),
		Head: l.Text("mail.stopHead", nil), Note: l.Text("mail.stopNote", nil), Button: l.Text("mail.stopButton", nil)}
	if done {
		page.Head, page.Button = l.Text("mail.stopped", nil), ""
	}
	var out bytes.Buffer
	if err := stopTemplate.Execute(&out, page); err != nil {
		panic(err) // it is part of the program
	}
	return out.Bytes()
}
