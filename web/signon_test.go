package web_test

import (
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"rubricon/demo"
	"rubricon/internal/testdb"
	"rubricon/signon"
	"rubricon/signon/standin"
	"rubricon/web"
	webaccount "rubricon/web/account"
)

// vouched is a site whose school has accounts of its own.
type vouched struct {
	*site
	provider *standin.Server
}

func newVouched(t *testing.T) *vouched {
	t.Helper()
	v := &vouched{}
	id := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { v.provider.ServeHTTP(w, r) }))
	t.Cleanup(id.Close)
	front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { v.site.Config.Handler.ServeHTTP(w, r) })) // the address is known before the site is
	t.Cleanup(front.Close)
	back := front.URL + webaccount.SignOnBack
	var err error
	if v.provider, err = standin.New(id.URL, "rubricon", "a very secret word", back, nil); err != nil {
		t.Fatal(err)
	}
	accounts := signon.New([]signon.Provider{{School: "pellworth", Name: "Pellworth account", Issuer: id.URL, ClientID: "rubricon", Secret: "a very secret word", Claim: "school_id"}}, back)
	v.site = newSite(t, func(o *web.Options) { o.SignOn = accounts })
	v.URL = front.URL
	return v
}

// get fetches a page without following where it sends, and gives where that is.
func (v *vouched) get(client *http.Client, address string) (status int, location, body string) {
	v.t.Helper()
	still := *client
	still.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	res, err := still.Get(address)
	if err != nil {
		v.t.Fatal(err)
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	if err != nil {
		v.t.Fatal(err)
	}
	if policy := res.Header.Get("Content-Security-Policy"); res.StatusCode >= 400 && !strings.Contains(policy, "default-src 'none'") {
		v.t.Errorf("%s: the policy is %q", address, policy)
	}
	return res.StatusCode, res.Header.Get("Location"), string(text)
}

// begins has a browser begin, and gives where it comes back to after a person was chosen.
func (v *vouched) begins(client *http.Client, person string) string {
	v.t.Helper()
	status, to, body := v.get(client, v.URL+"/api/sign-on/pellworth")
	if status != http.StatusSeeOther {
		v.t.Fatalf("beginning: %d %s", status, body)
	}
	at, err := url.Parse(to)
	if err != nil {
		v.t.Fatal(err)
	}
	form := at.Query()
	form.Set("person", person)
	at.RawQuery = ""
	res, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).PostForm(at.String(), form)
	if err != nil {
		v.t.Fatal(err)
	}
	res.Body.Close()
	return res.Header.Get("Location")
}

func (v *vouched) who(client *http.Client) string {
	v.t.Helper()
	_, body := v.call(client, "GET", "/api/me", "")
	_, rest, _ := strings.Cut(string(body), `"username":"`)
	name, _, _ := strings.Cut(rest, `"`)
	return name
}

// Someone for whom the school's own accounts vouch is signed in, as anyone who the school's data say they are.
func TestSigningInByTheSchoolsAccount(t *testing.T) {
	v := newVouched(t)
	browser := v.fresh()
	status, _, body := v.get(browser, v.begins(browser, "g0001"))
	if status != http.StatusOK || !strings.Contains(body, `content="0;url=/"`) || v.who(browser) != "ilse.quill" {
		t.Fatalf("%d %s, signed in as %q", status, body, v.who(browser))
	}
	if got := said(v.call(browser, "GET", maraSheet, "")); got != "200" {
		t.Errorf("her child's sheet: %s", got)
	}
	if n := testdb.Value[int](t, v.db, `SELECT count(*) FROM sign_on_try`); n != 0 {
		t.Errorf("%d tries are left", n)
	}
	if n := testdb.Value[int](t, v.db, `SELECT count(*) FROM sign_in i JOIN account a ON a.id = i.account_id WHERE a.username = 'ilse.quill' AND i.done`); n != 1 {
		t.Errorf("%d sign-ins are on record", n)
	}
	if status, _, body := v.get(v.fresh(), v.URL+"/api/sign-on/nowhere"); status != http.StatusNotFound || !strings.Contains(body, "no accounts of its own") {
		t.Errorf("a school without accounts: %d %s", status, body)
	}
}

// What does not hold signs no one in, says so in the reader's words, and leaves nothing secret in the log.
func TestWhatDoesNotHoldSignsNobodyIn(t *testing.T) {
	v := newVouched(t)
	refused := func(what string, browser *http.Client, address string, status int, words string) {
		t.Helper()
		got, _, body := v.get(browser, address)
		if got != status || !strings.Contains(body, words) || v.who(browser) != "" {
			t.Errorf("%s: %d %s; signed in as %q", what, got, body, v.who(browser))
		}
	}
	const holds = "does not hold"
	browser := v.fresh()
	back := v.begins(browser, "g0001")
	at, _ := url.Parse(back)
	query := at.Query()
	secrets := []string{query.Get("code"), query.Get("state"), "a very secret word", "g0001"}

	refused("in another browser", v.fresh(), back, http.StatusForbidden, holds)
	stranger := v.fresh()
	v.begins(stranger, "g0001")
	refused("in another browser that has begun too", stranger, back, http.StatusForbidden, holds)
	query.Set("state", "made up")
	at.RawQuery = query.Encode()
	refused("with a state that was made up", browser, at.String(), http.StatusForbidden, holds)
	query.Del("state")
	at.RawQuery = query.Encode()
	refused("without a state", browser, at.String(), http.StatusForbidden, holds)

	browser = v.fresh()
	back = v.begins(browser, "g0001")
	if status, _, _ := v.get(browser, back); status != http.StatusOK {
		t.Fatalf("the right one: %d", status)
	}
	other := *browser
	if status, _ := v.call(&other, "DELETE", "/api/session", ""); status != http.StatusNoContent {
		t.Fatal("signing out")
	}
	refused("once more", browser, back, http.StatusForbidden, holds)

	for _, fault := range []standin.Fault{standin.WrongNonce, standin.Expired, standin.WrongKey, standin.WrongAud, standin.NoToken} {
		browser = v.fresh()
		back := v.begins(browser, "g0001")
		v.provider.Do(fault)
		refused(string(fault), browser, back, http.StatusForbidden, holds)
		v.provider.Do(standin.None)
	}
	browser = v.fresh()
	refused("somebody unknown", browser, v.begins(browser, "nobody"), http.StatusForbidden, "not on file at this school")
	browser = v.fresh()
	back = v.begins(browser, "g0001")
	v.provider.Do(standin.Down)
	refused("the provider is down on the way", browser, back, http.StatusServiceUnavailable, "cannot be reached")
	v.provider.Do(standin.None)
	browser = v.fresh()
	back = v.begins(browser, "g0001")
	v.at(testdb.Now.Add(11 * time.Minute))
	refused("after eleven minutes", browser, back, http.StatusForbidden, holds)
	v.at(testdb.Now)

	v.strangers() // among them another school, in which she is someone too
	v.db.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells) SELECT 'elsewhere', 'g9', 9, 'guardian', true, 'x', id, 'Ilse', 'Quill', '{}' FROM account WHERE username = 'ilse.quill'`)
	browser = v.fresh()
	refused("whose account leads to a school for which it does not vouch", browser, v.begins(browser, "g0001"), http.StatusForbidden, "also leads to another school")
	v.db.Exec(t, `UPDATE person SET enabled = false WHERE id = 's0001'`)
	browser = v.fresh()
	refused("who is no longer enabled", browser, v.begins(browser, "s0001"), http.StatusForbidden, "not on file at this school")

	log := v.log.String()
	for _, secret := range secrets {
		if strings.Contains(log, secret) {
			t.Errorf("the log has %q", secret)
		}
	}
	if !strings.Contains(log, "a sign-on was refused") {
		t.Error("the log does not say that one was refused")
	}
}

// A provider that is down from the beginning is said to be, and who tries too often waits.
func TestBeginningToSignOn(t *testing.T) {
	v := newVouched(t)
	v.provider.Do(standin.Down)
	if status, _, body := v.get(v.fresh(), v.URL+"/api/sign-on/pellworth"); status != http.StatusServiceUnavailable || !strings.Contains(body, "username and password") {
		t.Errorf("down: %d %s", status, body)
	}
	v.provider.Do(standin.None)
	last := 0
	for range 70 {
		last, _, _ = v.get(v.fresh(), v.URL+"/api/sign-on/pellworth")
	}
	if last != http.StatusForbidden {
		t.Errorf("after seventy tries: %d", last)
	}
}

// Where the school wants a second step, nothing can be done or seen before it, with neither way of signing in.
func TestBeforeTheSecondStep(t *testing.T) {
	v := newVouched(t)
	office := v.person("office")
	year := "/api/schools/pellworth/years/2027"
	if got := said(v.call(office, "PUT", year+"/second-step", `{"wanted":true,"reason":" "}`)); got != "422 needs-reason" {
		t.Errorf("without a reason: %s", got)
	}
	if got := said(v.call(office, "PUT", year+"/second-step", `{"wanted":true,"reason":"The board wants it."}`)); got != "204" {
		t.Fatal(got)
	}
	if got := said(v.call(office, "PUT", year+"/second-step", `{"wanted":true,"reason":"Again."}`)); got != "409 already-done" {
		t.Errorf("twice: %s", got)
	}
	if got := said(v.call(office, "GET", year+"/people?name=quill", "")); got != "200" {
		t.Errorf("who is signed in already: %s", got)
	}
	for name, in := range map[string]func(*http.Client){
		"by password":             func(c *http.Client) { v.signIn(c, "ms.arden", demo.Password) },
		"by the school's account": func(c *http.Client) { v.get(c, v.begins(c, "k1")) },
	} {
		arden := v.fresh()
		in(arden)
		_, body := v.call(arden, "GET", "/api/me", "")
		if text := string(body); !strings.Contains(text, `"second":"make"`) || strings.Contains(text, "Arden") || !strings.Contains(text, `"persons":[]`) {
			t.Errorf("%s: %s", name, text)
		}
		for _, r := range [][3]string{{"GET", maraSheet, ""}, {"GET", year + "/caseload", ""}, {"GET", "/api/sessions", ""}, {"POST", "/api/password", `{"old":"x","new":"y"}`}, {"GET", "/api/passkeys", ""},
			{"PUT", "/api/me/language", `{"language":"es"}`}, {"DELETE", "/api/passkeys/x", ""}} {
			if got := said(v.call(arden, r[0], r[1], r[2])); got != "403 second-step" {
				t.Errorf("%s, %s %s: %s", name, r[0], r[1], got)
			}
		}
		v.URL = strings.Replace(v.URL, "127.0.0.1", "localhost", 1) // keys know an application by its name
		arden = &http.Client{Jar: named(t, arden.Jar, v.URL)}
		if got := said(v.call(arden, "POST", "/api/passkeys/question", "")); got != "403 bad-passkey" {
			t.Errorf("%s, answering without a passkey: %s", name, got)
		}
		if got := said(v.call(arden, "POST", "/api/passkeys/answer", `{"credential":{}}`)); got != "403 bad-passkey" {
			t.Errorf("%s, answering with nothing: %s", name, got)
		}
		if got := said(v.call(arden, "POST", "/api/passkeys", `{"name":"mine","credential":{"id":"x"}}`)); got != "403 bad-passkey" {
			t.Errorf("%s, making one without a question: %s", name, got)
		}
		if got := said(v.call(arden, "POST", "/api/passkeys/creation", "")); got != "200" {
			t.Errorf("%s, beginning to make one: %s", name, got)
		}
		v.URL = strings.Replace(v.URL, "localhost", "127.0.0.1", 1)
	}
	// Families are asked for none.
	if got := said(v.call(v.person("ilse.quill"), "GET", maraSheet, "")); got != "200" {
		t.Errorf("a guardian: %s", got)
	}
	if got := said(v.call(v.person("ilse.quill"), "POST", "/api/passkeys/creation", "")); got != "403 forbidden" {
		t.Errorf("a guardian makes a passkey: %s", got)
	}
}

// named copies the cookies of a browser to the same site under its name.
func named(t *testing.T, jar http.CookieJar, to string) http.CookieJar {
	t.Helper()
	out, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	at, err := url.Parse(to)
	if err != nil {
		t.Fatal(err)
	}
	from := *at
	from.Host = "127.0.0.1:" + at.Port()
	out.SetCookies(at, jar.Cookies(&from))
	return out
}
