package web_test

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"rubricon/internal/testdb"
)

// The link of a mail asks before it takes anybody off the reminders, and needs no sign-in; a mail program does it in one step (RFC 8058), in the
// reader's own account it is put back.
func TestNoMoreReminders(t *testing.T) {
	s := newSite(t)
	mara := s.person("mara.quill")
	if _, body := s.call(mara, "GET", "/api/mail", ""); string(body) != `{"reminders":true}`+"\n" {
		t.Errorf("at first: %s", body)
	}
	token := testdb.Value[string](t, s.db, `SELECT token FROM account_post`)
	wants := func() bool { return testdb.Value[bool](t, s.db, `SELECT reminders FROM account_post`) }
	stranger := s.fresh()
	request := func(method, address string, form url.Values) (*http.Response, string) {
		t.Helper()
		r, err := http.NewRequestWithContext(t.Context(), method, s.URL+address, strings.NewReader(form.Encode()))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Accept-Language", "es")
		if form != nil {
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		}
		answer, err := stranger.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		var b strings.Builder
		buf := make([]byte, 8<<10)
		n, _ := answer.Body.Read(buf)
		b.Write(buf[:n])
		return answer, b.String()
	}
	if answer, text := request("GET", "/api/mail/stop/"+token, nil); answer.StatusCode != http.StatusOK || !strings.Contains(text, "¿No quieres más recordatorios por correo?") || !strings.Contains(answer.Header.Get("Content-Type"), "text/html") || !wants() {
		t.Errorf("looked at: %d %s", answer.StatusCode, text)
	}
	if answer, _ := request("POST", "/api/mail/stop/nobody-has-this", url.Values{"List-Unsubscribe": {"One-Click"}}); answer.StatusCode != http.StatusNotFound || !wants() {
		t.Errorf("a token of nobody: %d", answer.StatusCode)
	}
	if answer, text := request("POST", "/api/mail/stop/"+token, url.Values{"List-Unsubscribe": {"One-Click"}}); answer.StatusCode != http.StatusOK || !strings.Contains(text, "Ya no recibes recordatorios") || wants() {
		t.Errorf("in one step: %d %s", answer.StatusCode, text)
	}
	if status, _ := s.call(mara, "PUT", "/api/mail", `{"reminders":true}`); status != http.StatusNoContent || !wants() {
		t.Errorf("put back: %d", status)
	}
}
