package e2e

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/proto"

	"rubricon/app"
	"rubricon/app/account"
	"rubricon/app/problem"
	"rubricon/demo"
	"rubricon/internal/testdb"
	"rubricon/signon"
	"rubricon/signon/standin"
	webaccount "rubricon/web/account"
)

// withAccounts adds to the school accounts of its own.
func (s *site) withAccounts() *standin.Server {
	s.t.Helper()
	var provider *standin.Server
	id := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { provider.ServeHTTP(w, r) }))
	s.t.Cleanup(id.Close)
	back := s.url + webaccount.SignOnBack
	provider, err := standin.New(id.URL, "rubricon", "secret", back, []standin.Person{{ID: "g0001", Name: "Ilse Quill"}, {ID: "nobody", Name: "A stranger"}})
	if err != nil {
		s.t.Fatal(err)
	}
	s.accounts = signon.New([]signon.Provider{{School: "pellworth", Name: "Pellworth Sound account", Issuer: id.URL, ClientID: "rubricon", Secret: "secret", Claim: "school_id"}}, back)
	s.away()
	s.back()
	return provider
}

// TestALanguageChosenBeforeSigningIn: it becomes the person's own.
func TestALanguageChosenBeforeSigningIn(t *testing.T) {
	s := newSite(t)
	p := s.open(desk)
	p.language("es")
	p.enter("mara.quill")
	p.says("[data-testid=todo]", "Ciencias|Science")
	p.MustWait(`() => sessionStorage.length === 0`)
	if lang := p.MustEval(`() => document.documentElement.lang`).Str(); lang != "es" {
		t.Errorf("the page is in %q", lang)
	}
	other := s.as("mara.quill", desk)
	other.MustWait(`() => document.documentElement.lang === 'es'`)
}

// TestSigningInByTheSchoolsAccount goes to the school's own accounts and comes back signed in; a stranger comes back with what to do.
func TestSigningInByTheSchoolsAccount(t *testing.T) {
	s := newSite(t)
	provider := s.withAccounts()
	ilse := s.open(phone)
	ilse.says("main a", "Sign in with: Pellworth Sound account")
	ilse.accessible("the sign-in page with the school's accounts")
	ilse.press("main a", "Sign in with: Pellworth Sound account")
	ilse.says("h1", "Who are you?")
	ilse.press("button", "A stranger")
	ilse.says("h1", "You could not be signed in")
	ilse.says("p", "Your account is not on file at this school. Ask the school office.")
	ilse.accessible("somebody whom the school does not know")
	ilse.press("a", "Back to signing in")
	ilse.press("main a", "Sign in with: Pellworth Sound account")
	ilse.press("button", "Ilse Quill")
	ilse.says("h1", "Mara")
	ilse.says("header", "Sign out")

	provider.Do(standin.Down)
	s.accounts = signon.New(s.accounts.Providers(), s.url+webaccount.SignOnBack) // which has not seen it yet
	s.away()
	s.back()
	other := s.open(phone)
	other.press("main a", "Sign in with: Pellworth Sound account")
	other.says("p", "cannot be reached. Try again in a moment, or sign in with a username and password")
}

// keyRing adds to the browser a device that keeps passkeys.
func (p *screen) keyRing() {
	p.t.Helper()
	if err := (proto.WebAuthnEnable{}).Call(p.Page); err != nil {
		p.t.Fatal(err)
	}
	_, err := proto.WebAuthnAddVirtualAuthenticator{Options: &proto.WebAuthnVirtualAuthenticatorOptions{Protocol: proto.WebAuthnAuthenticatorProtocolCtap2, Transport: proto.WebAuthnAuthenticatorTransportInternal,
		HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true}}.Call(p.Page)
	if err != nil {
		p.t.Fatal(err)
	}
}

// TestASecondStep has the office ask the staff for passkeys: a counselor makes one on the way in, is asked for it the next time, keeps another on the account,
// loses them, and makes a new one after the office took the old ones away.
func TestASecondStep(t *testing.T) {
	s := newSite(t)
	s.url = strings.Replace(s.url, "127.0.0.1", "localhost", 1) // keys know an application by its name
	office := s.as("office", desk)
	office.press("nav a", "People")
	office.says("main section", "The staff sign in with a password alone")
	office.press("main button", "Ask the staff for a passkey")
	office.MustElement("[role=dialog] textarea").MustInput("The board wants it.")
	office.press("[role=dialog] button", "Ask the staff for a passkey")
	office.says("main section", "The staff of the school need a passkey beside the password")
	office.says("main li", "asks the staff for a passkey[\\s\\S]*The board wants it.")
	office.accessible("people with a second step")

	arden := s.open(desk)
	arden.keyRing()
	arden.enter("ms.arden")
	arden.says("h1", "Make a passkey first")
	arden.accessible("making a passkey on the way in")
	arden.MustElement("main input[name=name]").MustInput("office computer")
	arden.press("main button", "Make a passkey")
	arden.says("h1", "need a word from you|needs a word from you")

	arden.press("header button", "Sign out")
	arden.says("h1", "Next year’s courses")
	arden.enter("ms.arden")
	arden.says("h1", "One more step: your passkey")
	arden.accessible("the second step")
	arden.MustNavigate(s.url + "/prepare")
	arden.says("h1", "One more step: your passkey")
	arden.press("main button", "Use my passkey")
	arden.says("nav a", "Caseload")
	arden.MustNavigate(s.url + "/account")
	arden.says("main li", "office computer[\\s\\S]*last used")
	arden.accessible("an account with passkeys")

	// Another browser has no such key; the office helps.
	lost := s.open(desk)
	lost.keyRing()
	lost.enter("ms.arden")
	lost.press("main button", "Use my passkey")
	lost.says("[role=status]", "Your browser gave no passkey")
	office.MustElement("input[type=search]").MustInput("arden")
	office.press("main li button", "Passkeys lost")
	office.MustElement("[role=dialog] textarea").MustInput("A new computer.")
	office.press("[role=dialog] button", "Take them away")
	office.says("main li", "took away the passkeys of Ms Arden[\\s\\S]*A new computer.")
	arden.MustReload()
	arden.says("h1", "Next year’s courses") // anyone who has the old computer is signed out
	lost.MustReload()
	lost.says("h1", "Next year’s courses")
	lost.enter("ms.arden")
	lost.says("h1", "Make a passkey first")

	// Families are asked for none.
	s.as("ilse.quill", phone).says("h1", "Mara")
}

// While so many sign in that passwords wait their turn, anyone who comes keeps a place in the line, is told so, and is let in without doing anything.
func TestSigningInWhileManyDo(t *testing.T) {
	s := newSite(t)
	gate := make(chan struct{}) // at which those inside are held: a crowd that takes no work
	s.cases = app.New(s.db, app.Options{Now: func() time.Time { return testdb.Now }, Log: testdb.Quiet, Hashes: testdb.Hashes, AtHash: func() { <-gate }})
	s.away()
	s.back()
	p := s.open(phone)
	var nobody atomic.Int64
	var told sync.WaitGroup
	ctx, stop := context.WithTimeout(t.Context(), time.Minute)
	t.Cleanup(stop)
	comes := func() bool { // reports whether there is room
		name := fmt.Sprint("nobody", nobody.Add(1))
		_, err := s.cases.Account.SignIn(ctx, name, "x", account.Client{Address: name})
		return problem.CodeOf(err) != problem.Crowded
	}
	crowded := make(chan struct{})
	var once sync.Once
	for range 16 * runtime.NumCPU() {
		told.Go(func() {
			for ctx.Err() == nil {
				if !comes() {
					once.Do(func() { close(crowded) })
					return
				}
			}
		})
	}
	select {
	case <-crowded:
	case <-ctx.Done():
		t.Fatal("there is never a line")
	}
	p.MustElement("input[name=username]").MustInput("mara.quill")
	p.MustElement("input[name=password]").MustInput(demo.Password)
	p.MustElement("button[type=submit]").MustClick()
	p.says("[role=alert]", "You keep your place in the line.*It is your turn at about")
	p.accessible("signing in while many do")
	stop()
	close(gate)
	p.MustElement("header")
	told.Wait()
}
