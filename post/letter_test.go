package post

import (
	"fmt"
	"net/mail"
	"strings"
	"testing"
	"time"

	"rubricon/locales"
)

var kinds = []string{"opens", "reminder", "submitted", "sign", "asked", "sentBack", "decided", "cleared", "placed", "unplaced", "notRunning", "running", "offered", "password", "code"}

func letter(kind, language string, own bool) *Letter {
	closes := time.Date(2027, 3, 20, 16, 0, 0, 0, time.UTC)
	l := &Letter{ID: "1@x", Kind: kind, Language: language, To: mail.Address{Name: "Ilse Quill", Address: "ilse@pellworth.example"}, Given: "Ilse", Own: own, School: "Pellworth Sound", Year: "2027-28",
		Student: "Mara Quill", StudentGiven: "Mara", Who: "Ms Arden", What: "Physics", Receipt: "PE-1", Username: "ilse.quill", Closes: &closes, Until: &closes, Link: "https://courses.example/"}
	switch kind {
	case "code":
		l.Code = "abcd-efgh-jkmn"
	case "asked", "sentBack":
		l.Message = "Less <b>Latin</b>,\nplease."
	case "decided":
		l.Answer = "waive"
	case "opens", "reminder":
		l.Stop = "https://courses.example/api/mail/stop/token"
	}
	return l
}

// Every kind of letter has its words in every language, to the student and to others, with nothing left open in them; what people have written
// cannot do anything in the HTML, and only reminders can be declined.
func TestLetters(t *testing.T) {
	for _, say := range locales.All() {
		for _, kind := range kinds {
			for _, own := range []bool{true, false} {
				if own && (kind == "sign" || kind == "asked") || !own && (kind == "password" || kind == "code") { // not to them
					continue
				}
				m := Write(letter(kind, say.Tag.String(), own))
				name := fmt.Sprint(say.Tag, " ", kind, " ", own)
				for _, text := range []string{m.Subject, m.Text, m.HTML} {
					if strings.Contains(text, "{{") || strings.Contains(text, "mail."+kind) || strings.Contains(text, "mail.open") || strings.TrimSpace(text) == "" {
						t.Errorf("%s: %q", name, text)
					}
				}
				if strings.ContainsAny(m.Subject, "\r\n") || strings.Contains(m.HTML, "<b>") || !strings.Contains(m.Text, "https://courses.example/") || !strings.Contains(m.HTML, `lang="`+say.Tag.String()+`"`) {
					t.Errorf("%s: %+v", name, m)
				}
				if stops := strings.Contains(m.Text, "/stop/"); stops != (kind == "opens" || kind == "reminder") || stops != strings.Contains(m.HTML, "/stop/") || stops != (m.Stop != "") {
					t.Errorf("%s: declined %v", name, stops)
				}
				if kind == "code" != strings.Contains(m.Text, "abcd-efgh-jkmn") {
					t.Errorf("%s: the code", name)
				}
			}
		}
	}
	for _, language := range []string{"es", "ar"} {
		if a, b := Write(letter("sign", language, false)), Write(letter("sign", "en", false)); a.Subject == b.Subject {
			t.Errorf("%s is English", language)
		}
	}
	if m := Write(letter("sign", "ar", false)); !strings.Contains(m.HTML, `<html lang="ar" dir="rtl">`) {
		t.Error("Arabic is not read from the right")
	}
}

func ExampleWrite() {
	m := Write(letter("sentBack", "en", false))
	fmt.Println(m.Subject)
	fmt.Println(strings.Split(m.Text, "\n\n")[1])
	// Output:
	// The courses of Mara were sent back
	// Ms Arden has sent the courses of Mara for 2027-28 back. Mara can change them and hand them in again.
}
