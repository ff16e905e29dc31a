package e2e

import (
	"net"
	"net/http/httptest"
	"strings"
	"testing"

	"rubricon/internal/testdb"
	"rubricon/jobs"
	mailserver "rubricon/post"
	"rubricon/post/sink"
)

// TestMailOfAReminder reminds Mara: the mail is with the stand-in, the counselor sees to whom it was sent, and its link takes its reader off the
// reminders, who sees that in the account.
func TestMailOfAReminder(t *testing.T) {
	s := newSite(t)
	box := sink.New()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = box.Serve(t.Context(), l) }()
	shows := httptest.NewServer(box)
	t.Cleanup(shows.Close)
	sender, err := mailserver.Server("smtp://"+l.Addr().String(), "The school <courses@pellworth.example>")
	if err != nil {
		t.Fatal(err)
	}
	mails := jobs.Post{Sender: sender, Base: s.url, Domain: "pellworth.example"}

	arden := s.as("ms.arden", desk)
	arden.MustNavigate(s.url + "/student/s0001")
	arden.says("section[aria-label=Mail]", "Nothing was sent about this student yet")
	more := "section[aria-label='Something more for this student'] "
	arden.MustElement(more + "select").MustSelect("Remind")
	arden.MustElement(more + "textarea").MustInput("The window closes soon.")
	arden.press(more+"button", "See what it would do")
	arden.press(more+"button", "Remind 1 student")
	arden.says(more+"[role=status]", "Done for 1 student")
	if err := mails.Deliver(t.Context(), s.cases, testdb.Quiet); err != nil {
		t.Fatal(err)
	}
	arden.MustReload()
	arden.says("section[aria-label=Mail] li", "Mara Quill a reminder\\s*· sent to mara.quill@pellworth.example")
	arden.says("section[aria-label=Mail] li", "Ilse Quill a reminder")
	arden.accessible("what was sent by mail")

	page := s.open(desk)
	page.MustNavigate(shows.URL + "/?to=mara.quill")
	page.says("h1", "2 mails were sent")
	page.press("summary", "A reminder")
	page.says("pre", "Dear Mara,[\\s\\S]*Ms Arden reminds you[\\s\\S]*> The window closes soon.")
	page.accessible("the mails of the demo")
	var stop string
	for _, m := range box.Mails() {
		if strings.HasPrefix(m.To, "mara") {
			stop = strings.Trim(m.Header.Get("List-Unsubscribe"), "<>")
		}
	}
	page.MustNavigate(stop)
	page.says("h1", "Do you want no more reminders by mail?")
	page.accessible("the link of a mail")
	page.press("button", "No more reminders")
	page.says("h1", "You get no more reminders by mail.")
	mara := s.as("mara.quill", desk)
	mara.MustNavigate(s.url + "/account")
	mara.says("label", "Send me reminders by mail")
	mara.MustWait(`() => { const box = document.querySelector("main input[type=checkbox]"); return box && !box.disabled && !box.checked }`)
	mara.accessible("the account")
}

// TestLettersForAGrade makes letters with codes for the guardians of a grade; the list of what the office did has them.
func TestLettersForAGrade(t *testing.T) {
	s := newSite(t)
	office := s.as("office", desk)
	office.MustNavigate(s.url + "/people")
	part := "section[aria-label='Letters for a first sign-in'] "
	office.MustElementR(part+"select option", "^10$")
	office.MustElement(part + "select").MustSelect("10")
	office.MustElementR(part+"label", "For").MustElement("select").MustSelect("their guardians")
	office.press(part+"button", "Make the letters")
	office.says(part+"[role=status]", "\\d+ letters are in the file.")
	office.says("section[aria-label='What the office has done'] li, section li", "Dagny Westerdale made letters for a first sign-in[\\s\\S]*· 10")
	office.accessible("letters for a first sign-in")
}
