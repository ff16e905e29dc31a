package signon_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"rubricon/signon"
	"rubricon/signon/standin"
)

const back = "https://courses.example/api/sign-on/back"

// provider starts a stand-in, and a client of it for two schools.
func provider(t *testing.T, claim string) (*standin.Server, *signon.Client) {
	t.Helper()
	var s *standin.Server
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { s.ServeHTTP(w, r) }))
	t.Cleanup(server.Close)
	s, err := standin.New(server.URL, "rubricon", "a secret", back, nil)
	if err != nil {
		t.Fatal(err)
	}
	p := signon.Provider{School: "pellworth", Name: "Pellworth account", Issuer: server.URL, ClientID: "rubricon", Secret: "a secret", Claim: claim}
	other := p
	other.School = "tarnridge"
	return s, signon.New([]signon.Provider{p, other}, back)
}

// choose does what a browser and someone at it do: goes where it is sent, chooses a person, and gives what it is sent back with.
func choose(t *testing.T, address, person string) url.Values {
	t.Helper()
	at, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	form := at.Query()
	form.Set("person", person)
	at.RawQuery = ""
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.PostForm(at.String(), form)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	to, err := res.Location()
	if err != nil {
		text, _ := io.ReadAll(res.Body)
		t.Fatalf("%d: %s", res.StatusCode, text)
	}
	if !strings.HasPrefix(to.String(), back+"?") {
		t.Fatalf("the browser is sent to %s", to)
	}
	return to.Query()
}

// slow is a provider that answers nothing until the test lets it.
func slow(t *testing.T) (address string, asked *atomic.Int64, answer func()) {
	t.Helper()
	held := make(chan struct{})
	asked = &atomic.Int64{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		select {
		case <-held:
		case <-r.Context().Done():
		}
		http.Error(w, "slow", http.StatusServiceUnavailable)
	}))
	t.Cleanup(server.Close)
	answer = sync.OnceFunc(func() { close(held) })
	t.Cleanup(answer)
	return server.URL, asked, answer
}

// TestASlowProviderHoldsUpNobodyElse lets a hundred people wait for a provider that does not answer: it is asked once, those beyond the
// bound are told at once, and the people of another school sign in in the meantime, whether their provider is known already or not.
func TestASlowProviderHoldsUpNobodyElse(t *testing.T) {
	address, asked, answer := slow(t)
	s, _ := provider(t, "")
	list := []signon.Provider{{School: "slow", Issuer: address, ClientID: "rubricon"}, {School: "quick", Issuer: s.Issuer, ClientID: "rubricon", Secret: "a secret"}}
	client := signon.New(list, back)
	errs := make(chan error, 100)
	for range cap(errs) {
		go func() {
			_, err := client.Address(context.Background(), signon.NewTry("slow"))
			errs <- err
		}()
	}
	for range cap(errs) / 2 { // those for whom there is no place
		if err := <-errs; !errors.Is(err, signon.ErrDown) {
			t.Fatalf("beyond the bound: %v", err)
		}
	}
	for range 2 { // discovered now, then known
		try := signon.NewTry("quick")
		to, err := client.Address(t.Context(), try)
		if err != nil {
			t.Fatal(err)
		}
		if id, err := client.Identify(t.Context(), try, choose(t, to, "g0001").Get("code")); err != nil || id != "g0001" {
			t.Fatalf("%q, %v", id, err)
		}
	}
	select {
	case err := <-errs:
		t.Fatalf("the slow provider has answered before it was let: %v", err)
	default:
	}
	answer()
	for range cap(errs) / 2 {
		if err := <-errs; !errors.Is(err, signon.ErrDown) {
			t.Errorf("of the slow one: %v", err)
		}
	}
	if n := asked.Load(); n != 1 {
		t.Errorf("it was asked %d times, want once for all", n)
	}
}

// TestWaitingForAProviderEndsWithItsRequest: who leaves does not wait on, and does not end the question for the others.
func TestWaitingForAProviderEndsWithItsRequest(t *testing.T) {
	address, _, _ := slow(t)
	client := signon.New([]signon.Provider{{School: "slow", Issuer: address, ClientID: "rubricon"}}, back)
	ctx, leave := context.WithCancel(t.Context())
	leave()
	if _, err := client.Address(ctx, signon.NewTry("slow")); !errors.Is(err, signon.ErrDown) {
		t.Errorf("after leaving: %v", err)
	}
}

func TestSomebodyIsVouchedFor(t *testing.T) {
	for _, claim := range []string{"", "sub", "school_id"} {
		_, client := provider(t, claim)
		try := signon.NewTry("pellworth")
		address, err := client.Address(t.Context(), try)
		if err != nil {
			t.Fatal(err)
		}
		if strings.Contains(address, try.Verifier) || !strings.Contains(address, "code_challenge_method=S256") || !strings.Contains(address, try.Nonce) {
			t.Errorf("the question is %s", address)
		}
		got := choose(t, address, "g0001")
		if got.Get("state") != try.State {
			t.Errorf("the state that comes back is %q, want %q", got.Get("state"), try.State)
		}
		if id, err := client.Identify(t.Context(), try, got.Get("code")); err != nil || id != "g0001" {
			t.Errorf("claim %q: %q, %v", claim, id, err)
		}
		if _, err := client.Identify(t.Context(), try, got.Get("code")); !errors.Is(err, signon.ErrRefused) {
			t.Errorf("a code that was used: %v", err)
		}
	}
	_, client := provider(t, "")
	if got := client.Trusting("pellworth"); fmt.Sprint(got) != "[pellworth tarnridge]" {
		t.Errorf("the provider vouches for %v", got)
	}
}

// What does not hold is refused, and nothing secret is in what is said of it.
func TestWhatDoesNotHoldIsRefused(t *testing.T) {
	for _, fault := range []standin.Fault{standin.WrongNonce, standin.Expired, standin.WrongKey, standin.WrongAud, standin.NoToken} {
		s, client := provider(t, "")
		try := signon.NewTry("pellworth")
		address, err := client.Address(t.Context(), try)
		if err != nil {
			t.Fatal(err)
		}
		code := choose(t, address, "g0001").Get("code")
		s.Do(fault)
		id, err := client.Identify(t.Context(), try, code)
		if !errors.Is(err, signon.ErrRefused) || id != "" {
			t.Errorf("%s: %q, %v", fault, id, err)
		}
		for _, secret := range []string{code, try.Nonce, try.State, try.Verifier, "a secret", "g0001"} {
			if err != nil && strings.Contains(err.Error(), secret) {
				t.Errorf("%s: the error has %q in it: %v", fault, secret, err)
			}
		}
	}
	_, client := provider(t, "district_id") // which it does not give
	try := signon.NewTry("pellworth")
	address, err := client.Address(t.Context(), try)
	if err != nil {
		t.Fatal(err)
	}
	code := choose(t, address, "g0001").Get("code")
	other := try
	other.Verifier = signon.NewTry("pellworth").Verifier
	if _, err := client.Identify(t.Context(), other, code); !errors.Is(err, signon.ErrRefused) {
		t.Errorf("a code with the verifier of another try: %v", err)
	}
	code = choose(t, address, "g0001").Get("code")
	if _, err := client.Identify(t.Context(), try, code); !errors.Is(err, signon.ErrRefused) {
		t.Errorf("without the claim: %v", err)
	}
	if _, err := client.Address(t.Context(), signon.NewTry("nowhere")); !errors.Is(err, signon.ErrUnknown) {
		t.Errorf("a school without one: %v", err)
	}
	if _, err := client.Identify(t.Context(), signon.NewTry("nowhere"), "x"); !errors.Is(err, signon.ErrUnknown) {
		t.Errorf("a school without one: %v", err)
	}
}

// A provider that is down is said to be; when it is back, it serves.
func TestAProviderIsDown(t *testing.T) {
	s, client := provider(t, "")
	s.Do(standin.Down)
	try := signon.NewTry("pellworth")
	if _, err := client.Address(t.Context(), try); !errors.Is(err, signon.ErrDown) {
		t.Errorf("down from the beginning: %v", err)
	}
	s.Do(standin.None)
	address, err := client.Address(t.Context(), try)
	if err != nil {
		t.Fatal(err)
	}
	code := choose(t, address, "g0001").Get("code")
	s.Do(standin.Down)
	if _, err := client.Identify(t.Context(), try, code); !errors.Is(err, signon.ErrDown) {
		t.Errorf("down on the way: %v", err)
	}
	gone := signon.New([]signon.Provider{{School: "pellworth", Issuer: "http://127.0.0.1:1", ClientID: "x"}}, back)
	if _, err := gone.Address(t.Context(), try); !errors.Is(err, signon.ErrDown) {
		t.Errorf("not there at all: %v", err)
	}
}

func TestReadingWhoVouches(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		t.Helper()
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	secret := write("secret", " very secret\n")
	list, err := signon.Read(write("good.json", `[{"school": "pellworth", "name": "Pellworth account", "issuer": "https://id.example", "clientId": "rubricon", "secretFile": "`+secret+`", "claim": "school_id"}]`))
	if err != nil || len(list) != 1 || list[0].Secret != "very secret" || list[0].Claim != "school_id" {
		t.Errorf("%+v, %v", list, err)
	}
	for name, text := range map[string]string{"not JSON": "[", "no issuer": `[{"school": "a", "name": "A", "issuer": "id", "clientId": "x", "secretFile": "` + secret + `"}]`,
		"no secret": `[{"school": "a", "name": "A", "issuer": "https://id.example", "clientId": "x", "secretFile": "` + secret + `.not"}]`, "no name": `[{"school": "a", "issuer": "https://id.example", "clientId": "x", "secretFile": "` + secret + `"}]`} {
		if list, err := signon.Read(write("bad.json", text)); err == nil {
			t.Errorf("%s: %+v", name, list)
		} else if strings.Contains(err.Error(), "very secret") {
			t.Errorf("%s: the error has the secret in it", name)
		}
	}
	if _, err := signon.Read(filepath.Join(dir, "none.json")); err == nil {
		t.Error("a file that there is not is read")
	}
}
