package stage

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// ErrRefused says that an act was refused by the rules.
var ErrRefused = errors.New("refused")

// Visits are what browsers do with a server process, and what that took.
type Visits struct {
	Base      string // http://host:port
	transport *http.Transport

	mu     sync.Mutex
	took   map[string][]time.Duration // by what was asked
	later  map[int]int                // how often someone was told to come back, by status
	failed []string
}

// NewVisits begins to count.
func NewVisits(base string) *Visits {
	return &Visits{Base: base, transport: &http.Transport{MaxIdleConnsPerHost: 2000}, took: map[string][]time.Duration{}, later: map[int]int{}}
}

// Browser is someone's, with its own cookies and network address.
type Browser struct {
	*Visits
	client  *http.Client
	address string
}

// Browser opens the n-th.
func (v *Visits) Browser(n int) *Browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		panic(err) // it has no options that could be wrong
	}
	return &Browser{v, &http.Client{Jar: jar, Transport: v.transport, Timeout: time.Minute}, fmt.Sprintf("10.%d.%d.1", n/250, n%250)}
}

// Ask asks once, and again when told to come back; how long it took is that of the answer that was one, and
// how often one had to come back is counted.
func (b *Browser) Ask(what, method, path, body string, into any) error {
	for range 60 {
		req, err := http.NewRequest(method, b.Base+path, strings.NewReader(body))
		if err != nil {
			return err
		}
		req.Header.Set("X-Forwarded-For", b.address)
		req.Header.Set("Accept-Encoding", "gzip")
		if into != nil {
			req.Header.Set("Accept-Encoding", "identity")
		}
		if body != "" {
			req.Header.Set("Content-Type", "application/json")
		}
		began := time.Now()
		res, err := b.client.Do(req)
		if err != nil {
			return fmt.Errorf("%s: %w", what, err)
		}
		text, err := io.ReadAll(res.Body)
		_ = res.Body.Close()
		took := time.Since(began)
		switch {
		case err != nil:
			return fmt.Errorf("%s: %w", what, err)
		case res.StatusCode == http.StatusOK:
			b.mu.Lock()
			b.took[what] = append(b.took[what], took)
			b.mu.Unlock()
			if into != nil {
				return json.Unmarshal(text, into)
			}
			return nil
		case res.StatusCode == http.StatusServiceUnavailable || res.StatusCode == http.StatusTooManyRequests:
			b.mu.Lock()
			b.later[res.StatusCode]++
			b.mu.Unlock()
			wait, err := strconv.Atoi(res.Header.Get("Retry-After"))
			if err != nil {
				return fmt.Errorf("%s: %d without when to come back", what, res.StatusCode)
			}
			time.Sleep(time.Duration(wait) * time.Second)
		case res.StatusCode == http.StatusConflict:
			return fmt.Errorf("%s: %w: %s", what, ErrRefused, text)
		default:
			return fmt.Errorf("%s: %d %s", what, res.StatusCode, text)
		}
	}
	return errors.New(what + ": told to come back sixty times")
}

// Fail notes that something failed.
func (v *Visits) Fail(err error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.failed = append(v.failed, err.Error())
}

// Failed is the first that failed, as an error that counts them; nil: none has.
func (v *Visits) Failed() error {
	v.mu.Lock()
	defer v.mu.Unlock()
	if len(v.failed) == 0 {
		return nil
	}
	return fmt.Errorf("%d failed, the first: %s", len(v.failed), v.failed[0])
}

// Median is how long it took in the middle, 0 where it was not asked.
func (v *Visits) Median(what string) time.Duration {
	v.mu.Lock()
	defer v.mu.Unlock()
	list := slices.Clone(v.took[what])
	slices.Sort(list)
	if len(list) == 0 {
		return 0
	}
	return list[len(list)/2]
}

// Report prints how long each of some questions took, and how often someone was told to come back.
func (v *Visits) Report(took time.Duration, whats ...string) {
	v.mu.Lock()
	defer v.mu.Unlock()
	all := 0
	for _, what := range whats {
		list := v.took[what]
		if len(list) == 0 {
			continue
		}
		all += len(list)
		slices.Sort(list)
		of := func(part float64) time.Duration { return list[int(part*float64(len(list)-1))].Round(time.Millisecond) }
		fmt.Printf("%-26s %6d: median %v, 95 %% %v, 99 %% %v, slowest %v\n", what, len(list), of(.5), of(.95), of(.99), of(1))
	}
	fmt.Printf("%d answers in %v, %.0f a second; told to come back: %d times 503, %d times 429; %d failed\n", all,
		took.Round(time.Second), float64(all)/took.Seconds(), v.later[503], v.later[429], len(v.failed))
}
