package web_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"rubricon/demo"
	"rubricon/internal/testdb"
)

// key is an authenticator as Web Authentication, Level 2, has it (sections 6.1 and 6.5), with one credential of the algorithm ES256.
type key struct {
	id      []byte
	private *ecdsa.PrivateKey
	count   uint32
	looks   bool // it verifies who holds it
}

func newKey(t *testing.T) *key {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	id := make([]byte, 16)
	_, _ = rand.Read(id)
	return &key{id: id, private: private, looks: true}
}

func b64(raw []byte) string { return base64.RawURLEncoding.EncodeToString(raw) }

// data is the authenticator data for a site (section 6.1).
func (k *key) data(host string, with []byte) []byte {
	const present, verified, attested = 0x01, 0x04, 0x40
	flags := byte(present)
	if k.looks {
		flags |= verified
	}
	if with != nil {
		flags |= attested
	}
	k.count++
	sum := sha256.Sum256([]byte(host))
	out := append(sum[:], flags)
	return append(binary.BigEndian.AppendUint32(out, k.count), with...)
}

// client is what the browser says of a ceremony (section 5.8.1).
func client(kind, challenge, origin string) []byte {
	text, _ := json.Marshal(map[string]any{"type": kind, "challenge": challenge, "origin": origin, "crossOrigin": false})
	return text
}

// make answers options for a new credential.
func (k *key) make(t *testing.T, options []byte, origin string) string {
	t.Helper()
	var o struct {
		Challenge string
		RP        struct{ ID string }
	}
	if err := json.Unmarshal(options, &o); err != nil {
		t.Fatal(err)
	}
	x, y := make([]byte, 32), make([]byte, 32)
	public, err := cbor.Marshal(map[int]any{1: 2, 3: -7, -1: 1, -2: k.private.X.FillBytes(x), -3: k.private.Y.FillBytes(y)})
	if err != nil {
		t.Fatal(err)
	}
	with := append(make([]byte, 16), byte(len(k.id)>>8), byte(len(k.id)))
	with = append(append(with, k.id...), public...)
	object, err := cbor.Marshal(map[string]any{"fmt": "none", "attStmt": map[string]any{}, "authData": k.data(o.RP.ID, with)})
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf(`{"name":"a key","credential":{"id":%q,"rawId":%[1]q,"type":"public-key","response":{"clientDataJSON":%q,"attestationObject":%q}}}`,
		b64(k.id), b64(client("webauthn.create", o.Challenge, origin)), b64(object))
}

// answer answers options for a credential that there is.
func (k *key) answer(t *testing.T, options []byte, origin string) string {
	t.Helper()
	var o struct {
		Challenge string
		RPID      string `json:"rpId"`
	}
	if err := json.Unmarshal(options, &o); err != nil {
		t.Fatal(err)
	}
	data, said := k.data(o.RPID, nil), client("webauthn.get", o.Challenge, origin)
	sum := sha256.Sum256(said)
	signed := sha256.Sum256(append(append([]byte{}, data...), sum[:]...))
	signature, err := ecdsa.SignASN1(rand.Reader, k.private, signed[:])
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf(`{"credential":{"id":%q,"rawId":%[1]q,"type":"public-key","response":{"clientDataJSON":%q,"authenticatorData":%q,"signature":%q}}}`,
		b64(k.id), b64(said), b64(data), b64(signature))
}

// keyed is a site whose counselor has a passkey.
type keyed struct {
	*site
	key    *key
	origin string
}

func newKeyed(t *testing.T) *keyed {
	t.Helper()
	k := &keyed{site: newSite(t), key: newKey(t)}
	k.URL = strings.Replace(k.URL, "127.0.0.1", "localhost", 1) // keys know names alone
	k.origin = k.URL
	arden := k.person("ms.arden")
	_, options := k.call(arden, "POST", "/api/passkeys/creation", "")
	if got := said(k.call(arden, "POST", "/api/passkeys", k.key.make(t, options, k.origin))); got != "200" {
		t.Fatalf("making a passkey: %s", got)
	}
	return k
}

// half is a browser in which the counselor has given the password, and what it is asked.
func (k *keyed) half() (*http.Client, []byte) {
	k.t.Helper()
	client := k.fresh()
	if got := said(k.signIn(client, "ms.arden", demo.Password)); got != "200" {
		k.t.Fatal(got)
	}
	_, options := k.call(client, "POST", "/api/passkeys/question", "")
	return client, options
}

// whole reports whether a browser is wholly signed in.
func (k *keyed) whole(client *http.Client) bool {
	return said(k.call(client, "GET", "/api/sessions", "")) == "200"
}

func (k *keyed) answers(client *http.Client, answer string) string {
	return said(k.call(client, "POST", "/api/passkeys/answer", answer))
}

const badKey = "403 bad-passkey"

func TestPasskeys(t *testing.T) {
	k := newKeyed(t)
	browser, options := k.half()
	if k.whole(browser) {
		t.Error("a password alone is enough")
	}
	if !strings.Contains(string(options), `"userVerification":"required"`) {
		t.Errorf("the question: %s", options)
	}
	answer := k.key.answer(t, options, k.origin)
	if got := k.answers(browser, answer); got != "200" || !k.whole(browser) {
		t.Errorf("with the passkey: %s", got)
	}
	// A challenge is good once: in the same browser, in another one, and where it was never asked.
	if got := k.answers(browser, answer); got != badKey {
		t.Errorf("the same answer again: %s", got)
	}
	other, _ := k.half()
	if got := k.answers(other, answer); got != badKey || k.whole(other) {
		t.Errorf("the answer of another browser: %s", got)
	}
	if got := k.answers(other, k.key.answer(t, options, k.origin)); got != badKey || k.whole(other) {
		t.Errorf("an answer to the question of another browser, after one of its own: %s", got)
	}
	// Nor of another site.
	other, options = k.half()
	if got := k.answers(other, k.key.answer(t, options, "https://rubricon.example.org")); got != badKey || k.whole(other) {
		t.Errorf("an answer given to another site: %s", got)
	}
}

// A key that does not verify who holds it is what anybody can have who finds it: it is neither made nor answered with.
func TestPasskeysVerifyTheirHolder(t *testing.T) {
	k := newKeyed(t)
	k.key.looks = false
	browser, options := k.half()
	if got := k.answers(browser, k.key.answer(t, options, k.origin)); got != badKey || k.whole(browser) {
		t.Errorf("answering: %s", got)
	}
	office, blind := k.person("office"), newKey(t)
	blind.looks = false
	_, options = k.call(office, "POST", "/api/passkeys/creation", "")
	if got := said(k.call(office, "POST", "/api/passkeys", blind.make(t, options, k.origin))); got != badKey {
		t.Errorf("making one: %s", got)
	}
}

// A key whose counter goes back may have been copied.
func TestACopiedPasskey(t *testing.T) {
	k := newKeyed(t)
	k.key.count = 10
	browser, options := k.half()
	if got := k.answers(browser, k.key.answer(t, options, k.origin)); got != "200" {
		t.Fatal(got)
	}
	k.key.count = 5
	browser, options = k.half()
	if got := k.answers(browser, k.key.answer(t, options, k.origin)); got != badKey || k.whole(browser) {
		t.Errorf("with a counter that has gone back: %s", got)
	}
	if !strings.Contains(k.log.String(), "a passkey was refused") {
		t.Error("it is not in the log")
	}
}

// One answer sent many times at once makes one session.
func TestAnAnswerSentManyTimesAtOnce(t *testing.T) {
	k := newKeyed(t)
	browser, options := k.half()
	answer, cookies := k.key.answer(t, options, k.origin), k.cookies(browser)
	before := testdb.Value[int](t, k.db, `SELECT count(*) FROM session`)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			k.send(&http.Client{}, "POST", "/api/passkeys/answer", answer, map[string]string{"Cookie": cookies})
		})
	}
	all.Wait()
	if got := testdb.Value[int](t, k.db, `SELECT count(*) FROM session`); got != before {
		t.Errorf("%d sessions, %d before: the one that was half is whole, and there are no more", got, before)
	}
}

// Anyone who chooses a password of their own keeps their session, also through the second step.
func TestAFirstPasswordAndAFirstPasskey(t *testing.T) {
	k := newKeyed(t)
	const people = "/api/schools/pellworth/years/2027/people/"
	k.strangers()
	status, body := k.call(k.person("office"), "POST", people+"t05/password", "")
	var given struct{ Password string }
	if err := json.Unmarshal(body, &given); err != nil || status != 200 {
		t.Fatal(status, string(body))
	}
	k.db.Exec(t, `UPDATE school SET second_step = true WHERE id = 'pellworth'`)
	teacher := k.fresh()
	if got := said(k.signIn(teacher, "a.teacher", given.Password)); got != "200" {
		t.Fatal(got)
	}
	if got := said(k.call(teacher, "POST", "/api/password", fmt.Sprintf(`{"old":%q,"new":"heron over the sound"}`, given.Password))); got != "204" {
		t.Fatal(got)
	}
	_, options := k.call(teacher, "POST", "/api/passkeys/creation", "")
	if got := said(k.call(teacher, "POST", "/api/passkeys", newKey(t).make(t, options, k.origin))); got != "200" || !k.whole(teacher) {
		t.Errorf("a first passkey after a first password: %s, wholly signed in: %v", got, k.whole(teacher))
	}
}
