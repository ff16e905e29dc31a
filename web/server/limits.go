package server

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
)

// RequestTimeout bounds the work for one request, from when its body is there.
const RequestTimeout = 15 * time.Second

// LongTimeout bounds the work for a request that concerns everybody of a school at once. The contract says
// which those are.
const LongTimeout = time.Minute

// bodyTimeout bounds the time that the body of a request may take to arrive.
const bodyTimeout = 10 * time.Second

// uploadTimeout bounds the time that a file may take to arrive.
const uploadTimeout = 3 * time.Minute

// maxBody bounds the body of a request, in bytes, where its operation says nothing else.
const maxBody = 64 << 10

// maxBodies bounds the bodies that are in memory at the same time, in bytes; files are not among them.
const maxBodies = 256 << 20

// Limit is how long a request may take and how much it may bring.
type Limit struct {
	takes  time.Duration
	body   int64 // bytes
	upload bool  // it brings a file, which is no text and has its own time to arrive
	Live   bool  // it is a live stream, which has no deadline and is not compressed
}

var usual = &Limit{takes: RequestTimeout, body: maxBody}

// LimitKey is where an operation's metadata has its limit.
const LimitKey = "limit"

// TakesLong returns an operation LongTimeout, and says so in the contract.
func TakesLong(op huma.Operation) huma.Operation {
	op.Description = "May take up to a minute."
	op.Metadata = map[string]any{LimitKey: &Limit{takes: LongTimeout}}
	return op
}

// limits are those of the operations of a contract, by method and path.
type limits struct {
	mux *http.ServeMux // matches as the router does; its handlers are never called
	of  map[string]*Limit
}

func newLimits(contract *huma.OpenAPI) *limits {
	l := &limits{http.NewServeMux(), map[string]*Limit{}}
	for path, item := range contract.Paths {
		for _, op := range []*huma.Operation{item.Get, item.Put, item.Post, item.Delete, item.Patch} {
			if op == nil {
				continue
			}
			at := *usual
			if own, ok := op.Metadata[LimitKey].(*Limit); ok {
				at = *own
			}
			at.body = op.MaxBodyBytes
			pattern := op.Method + " " + path
			l.mux.Handle(pattern, http.NotFoundHandler())
			l.of[pattern] = &at
		}
	}
	return l
}

// find returns the limit of a request; what is in no contract has the usual one.
func (l *limits) find(r *http.Request) *Limit {
	_, pattern := l.mux.Handler(r)
	if at := l.of[pattern]; at != nil {
		return at
	}
	return usual
}

// readBody reads the whole body of a request before anything is done for it, so that no work waits for bytes.
// An answer that says why it could not is returned as a problem; it is nil where the body is there.
func (s *Server) readBody(w http.ResponseWriter, r *http.Request, most int64) ([]byte, *Problem) {
	control := http.NewResponseController(w)
	_ = control.SetReadDeadline(time.Now().Add(bodyTimeout))
	body, err := io.ReadAll(io.LimitReader(r.Body, most+1))
	// A deadline that passes later would end the request's context, and the connection with it.
	_ = control.SetReadDeadline(time.Time{})
	switch {
	case err == nil:
		return body, nil
	case errors.Is(err, os.ErrDeadlineExceeded):
		w.Header().Set("Connection", "close")
		p := NewProblem(http.StatusRequestTimeout, Say(r.Context(), "slow-body"))
		p.Code = "slow-body"
		return nil, p
	}
	p := NewProblem(http.StatusBadRequest, Say(r.Context(), "no-body"))
	p.Code = "no-body"
	return nil, p
}

// within sets the deadline of a request.
func within(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		at := RequestOf(r.Context()).limit
		if at.Live {
			next.ServeHTTP(w, r)
			return
		}
		if at.takes > RequestTimeout { // beyond what the server allows for writing an answer
			_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(at.takes + RequestTimeout))
		}
		ctx, stop := context.WithTimeout(r.Context(), at.takes)
		defer stop()
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

// gate counts what goes on at the same time: of one account, and in all.
type gate struct {
	ofOne, most int

	mu  sync.Mutex
	of  map[int64]int // by account
	all int
}

func newGate(ofOne, most int) *gate { return &gate{ofOne: ofOne, most: most, of: map[int64]int{}} }

// The errors of Enter.
var (
	ErrOwn = errors.New("the account has as many as it may")
	errAll = errors.New("there are as many as there may be")
)

// Enter lets one more of an account in; leave takes it out again. The errors are ErrOwn and errAll.
func (g *gate) Enter(account int64) (leave func(), err error) {
	g.mu.Lock()
	defer g.mu.Unlock()
	switch {
	case g.of[account] >= g.ofOne:
		return nil, ErrOwn
	case g.all >= g.most:
		return nil, errAll
	}
	g.of[account]++
	g.all++
	return func() {
		g.mu.Lock()
		defer g.mu.Unlock()
		if g.of[account]--; g.of[account] == 0 {
			delete(g.of, account)
		}
		g.all--
	}, nil
}

// TooManyOfOne is what an account is told that has as many of something under way as it may, and when to try
// again, in seconds.
func TooManyOfOne(ctx context.Context, code string, wait int) *Problem {
	p := NewProblem(http.StatusTooManyRequests, Say(ctx, code))
	p.Code, p.Wait = code, wait
	return p
}

// Bounds of live streams: each holds a connection and a buffer. A browser holds one for each page that is open.
const (
	streamsOfOne = 20
	maxStreams   = 10_000 // of a process
)
