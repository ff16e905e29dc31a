// Package hook tells other systems of what has happened: it posts a message to an address, signed as RFC 9421
// (HTTP Message Signatures) has it, by HMAC with SHA-256 over the method, the address and a digest of the
// content (RFC 9530).
package hook

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// How long a message may take, and how much of an answer is read (to keep the connection; nothing of it is kept).
const (
	within   = 10 * time.Second
	maxReply = 64 << 10
)

// Why a message did not arrive, where no status says so.
const (
	NoAnswer = "no-answer"    // in time, or at all
	Inside   = "inside"       // the address leads into a network that messages may not reach
	NoHost   = "no-host"      // no one has that name
	Insecure = "bad-identity" // its certificate is not to be trusted
)

// Fault says why a message did not arrive.
type Fault struct {
	Status int    // of the answer; 0: there was none
	Why    string // where there was none
}

func (f *Fault) Error() string { return "the message did not arrive: " + f.Short() }

// Short is the status, or why there is none.
func (f *Fault) Short() string {
	if f.Status != 0 {
		return strconv.Itoa(f.Status)
	}
	return f.Why
}

// Message is what someone is told.
type Message struct {
	To     string // the address
	Key    string // names the secret to who has several
	Secret string // its bytes are the key of the HMAC
	Body   []byte // JSON
}

// Sender sends messages. It follows no redirects, and reaches no network that is not the world's but those it may.
type Sender struct {
	client *http.Client
	may    []netip.Prefix
	now    func() time.Time
}

// New makes a sender that may also reach some networks that are not the world's.
func New(may []netip.Prefix) *Sender {
	s := &Sender{may: may, now: time.Now}
	dialer := &net.Dialer{Timeout: within, ControlContext: s.reach}
	s.client = &http.Client{Timeout: within, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport: &http.Transport{DialContext: dialer.DialContext, TLSHandshakeTimeout: within, MaxConnsPerHost: 4,
			IdleConnTimeout: time.Minute, MaxResponseHeaderBytes: 64 << 10}}
	return s
}

var errInside = errors.New("the address is inside")

// reach refuses a connection into a network that messages may not reach; it sees the address that a name was
// resolved to.
func (s *Sender) reach(_ context.Context, _, address string, _ syscall.RawConn) error {
	at, err := netip.ParseAddrPort(address)
	if err != nil || !s.mayReach(at.Addr()) {
		return errInside
	}
	return nil
}

func (s *Sender) mayReach(at netip.Addr) bool {
	at = at.Unmap()
	for _, network := range s.may {
		if network.Contains(at) {
			return true
		}
	}
	return at.IsGlobalUnicast() && !at.IsPrivate() && !slices.ContainsFunc(reserved, func(p netip.Prefix) bool { return p.Contains(at) })
}

// reserved are networks that look like the world's and are not: shared by providers' customers (RFC 6598),
// for protocols (RFC 6890), for tests (RFC 2544, RFC 5737), and IPv4 addresses inside of IPv6 ones (RFC 6052,
// RFC 3056, RFC 4380).
var reserved = []netip.Prefix{netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("192.0.2.0/24"), netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("198.51.100.0/24"),
	netip.MustParsePrefix("203.0.113.0/24"), netip.MustParsePrefix("240.0.0.0/4"), netip.MustParsePrefix("64:ff9b::/96"),
	netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("2002::/16"), netip.MustParsePrefix("2001::/32")}

// Takes reports whether messages may be sent to an address: over TLS; without it only to a number in one of the
// networks that may be reached.
func (s *Sender) Takes(address string) bool {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.User != nil || u.Fragment != "" || len(address) > 500 {
		return false
	}
	at, numeric := netip.ParseAddr(u.Hostname())
	switch u.Scheme {
	case "https":
		return numeric != nil || s.mayReach(at)
	case "http":
		return numeric == nil && slices.ContainsFunc(s.may, func(p netip.Prefix) bool { return p.Contains(at.Unmap()) })
	}
	return false
}

// Send sends a message once. The error is a *Fault where it did not arrive: it has arrived where the answer is 2xx.
func (s *Sender) Send(ctx context.Context, m *Message) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, m.To, bytes.NewReader(m.Body))
	if err != nil {
		return &Fault{Why: NoHost}
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("User-Agent", "Rubricon")
	Sign(r, m.Body, m.Key, m.Secret, s.now())
	answer, err := s.client.Do(r)
	if err != nil {
		return &Fault{Why: why(err)}
	}
	defer answer.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(answer.Body, maxReply))
	if answer.StatusCode/100 != 2 {
		return &Fault{Status: answer.StatusCode}
	}
	return nil
}

func why(err error) string {
	var name *net.DNSError
	switch {
	case errors.Is(err, errInside):
		return Inside
	case errors.As(err, &name) && name.IsNotFound:
		return NoHost
	case strings.Contains(err.Error(), "tls: "), strings.Contains(err.Error(), "x509: "):
		return Insecure
	}
	return NoAnswer
}

// covered is what a signature is over, in this order.
var covered = []string{"@method", "@target-uri", "content-digest", "content-type"}

// label names the signature among others.
const label = "rubricon"

// Sign signs a request with a content: it sets Content-Digest, Signature-Input and Signature.
func Sign(r *http.Request, content []byte, key, secret string, at time.Time) {
	r.Header.Set("Content-Digest", digest(content))
	params := fmt.Sprintf(`("%s");created=%d;keyid="%s";alg="hmac-sha256"`, strings.Join(covered, `" "`), at.Unix(), key)
	r.Header.Set("Signature-Input", label+"="+params)
	r.Header.Set("Signature", label+"=:"+base64.StdEncoding.EncodeToString(mac(secret, base(covered, r, params)))+":")
}

// The errors of Verify.
var (
	ErrUnsigned = errors.New("there is no such signature")
	ErrWrong    = errors.New("the signature is not of this message and secret")
	ErrOld      = errors.New("the signature is too old, or of a time to come")
)

// Verify checks a request that has come, with its content, as a receiver does; a signature may be so old.
func Verify(r *http.Request, content []byte, secret string, now time.Time, age time.Duration) error {
	params, ok := strings.CutPrefix(r.Header.Get("Signature-Input"), label+"=")
	sent, ok2 := strings.CutPrefix(r.Header.Get("Signature"), label+"=:")
	if !ok || !ok2 {
		return ErrUnsigned
	}
	list, rest, ok := strings.Cut(params, ")")
	if !ok || list != `("`+strings.Join(covered, `" "`)+`"` || !strings.Contains(rest, `;alg="hmac-sha256"`) {
		return ErrUnsigned
	}
	got, err := base64.StdEncoding.DecodeString(strings.TrimSuffix(sent, ":"))
	if err != nil || !hmac.Equal(got, mac(secret, base(covered, r, params))) || r.Header.Get("Content-Digest") != digest(content) {
		return ErrWrong
	}
	_, created, _ := strings.Cut(rest, ";created=")
	created, _, _ = strings.Cut(created, ";")
	seconds, err := strconv.ParseInt(created, 10, 64)
	if err != nil {
		return ErrUnsigned
	}
	if d := now.Sub(time.Unix(seconds, 0)); d > age || d < -age {
		return ErrOld
	}
	return nil
}

func mac(secret, text string) []byte {
	h := hmac.New(sha256.New, []byte(secret))
	h.Write([]byte(text))
	return h.Sum(nil)
}

// digest is the Content-Digest of a content (RFC 9530).
func digest(content []byte) string {
	sum := sha256.Sum256(content)
	return "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
}

// base is the text that is signed (RFC 9421, section 2.5).
func base(parts []string, r *http.Request, params string) string {
	var out strings.Builder
	for _, part := range parts {
		fmt.Fprintf(&out, "%q: %s\n", part, component(part, r))
	}
	return out.String() + `"@signature-params": ` + params
}

// component is the value of a part of a request (RFC 9421, section 2.1 and 2.2).
func component(part string, r *http.Request) string {
	switch part {
	case "@method":
		return r.Method
	case "@authority":
		return strings.ToLower(host(r))
	case "@target-uri":
		scheme := r.URL.Scheme
		if scheme == "" { // of a request that has come
			if scheme = "http"; r.TLS != nil {
				scheme = "https"
			}
		}
		return scheme + "://" + host(r) + r.URL.RequestURI()
	}
	values := slices.Clone(r.Header.Values(part))
	for i := range values {
		values[i] = strings.TrimSpace(values[i])
	}
	return strings.Join(values, ", ")
}

func host(r *http.Request) string {
	if r.Host != "" {
		return r.Host
	}
	return r.URL.Host
}
