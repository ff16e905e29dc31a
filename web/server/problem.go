package server

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"rubricon/app/problem"
	"rubricon/core/acts"
	"rubricon/locales"
)

// Problem is an error as RFC 9457 has it, with a stable code and what helps to mend it.
type Problem struct {
	Type   string         `json:"type" doc:"Always about:blank"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail,omitempty"`
	Code   string         `json:"code" doc:"Stable; what programs should look at"`
	Param  string         `json:"param,omitempty" doc:"What the code is about, such as a course's code"`
	Next   string         `json:"next,omitempty" doc:"seat-gone: a section to take instead"`
	Wait   int            `json:"wait,omitempty" doc:"Seconds to wait before trying again"`
	Errors []FieldProblem `json:"errors,omitempty" doc:"What is wrong in the request, by place"`
	Todo   any            `json:"todo,omitempty" doc:"not-ready: what to mend"`
	Sheet  any            `json:"sheet,omitempty" doc:"stale-version: the sheet as it is now"`
}

// FieldProblem is one thing wrong in a request.
type FieldProblem struct {
	Location string `json:"location"`
	Message  string `json:"message"`
}

func (p *Problem) Error() string                { return p.Code + ": " + p.Detail }
func (p *Problem) GetStatus() int               { return p.Status }
func (p *Problem) ContentType(ct string) string { return "application/problem+json" }

// GetHeaders reports when to try again.
func (p *Problem) GetHeaders() http.Header {
	if p.Wait == 0 {
		return nil
	}
	return http.Header{"Retry-After": {strconv.Itoa(p.Wait)}}
}

// Say returns a sentence of the errors in the language of the request.
func Say(ctx context.Context, code string) string {
	return locales.Match(RequestOf(ctx).Reads).Text("error."+code, map[string]any{"id": requestID(ctx)})
}

// statusCodes name errors that come from the protocol rather than from a use case.
var statusCodes = map[int]string{
	http.StatusBadRequest: "bad-request", http.StatusUnauthorized: "not-signed-in", http.StatusNotFound: string(problem.NotFound),
	http.StatusMethodNotAllowed: "method-not-allowed", http.StatusRequestEntityTooLarge: "too-large",
	http.StatusUnsupportedMediaType: "unsupported-media-type",
	http.StatusUnprocessableEntity:  "bad-input", http.StatusForbidden: string(acts.NotYours), http.StatusNotAcceptable: "not-acceptable",
	http.StatusServiceUnavailable: "unavailable",
}

// NewProblem returns a problem with a status, and the code that belongs to it.
func NewProblem(status int, detail string) *Problem {
	code := statusCodes[status]
	if code == "" {
		code = "bad-request"
		if status >= 500 {
			code = "internal"
		}
	}
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail, Code: code}
}

// waitWhenDown is after how many seconds to try again when the database is gone.
const waitWhenDown = 2

// Unavailable returns the problem of a database that is gone or too slow, with when to try again.
func Unavailable(ctx context.Context) *Problem {
	p := NewProblem(http.StatusServiceUnavailable, Say(ctx, "unavailable"))
	p.Wait = waitWhenDown
	return p
}

// internal is what is said of a bug or a failure; what it was is logged, and only said to be one.
func internal(ctx context.Context, message string, errs ...error) *Problem {
	if note := RequestOf(ctx); note.left() {
		note.log.InfoContext(ctx, "whoever asked has left", "errors", errs)
		return NewProblem(http.StatusInternalServerError, Say(ctx, "internal")) // no one reads it, and nothing is wrong
	}
	for _, err := range errs {
		if problem.Unavailable(err) {
			RequestOf(ctx).log.WarnContext(ctx, "the database cannot be reached, or is too slow", "error", err)
			return Unavailable(ctx)
		}
	}
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		RequestOf(ctx).log.ErrorContext(ctx, "a request took too long", "message", message, "errors", errs)
		return Unavailable(ctx)
	}
	RequestOf(ctx).log.ErrorContext(ctx, "a request failed", "message", message, "errors", errs)
	return NewProblem(http.StatusInternalServerError, Say(ctx, "internal"))
}

func init() {
	// huma would show the text of any error to the client.
	huma.NewErrorWithContext = func(hctx huma.Context, status int, message string, errs ...error) huma.StatusError {
		if status >= 500 {
			ctx := context.Background()
			if hctx != nil {
				ctx = hctx.Context()
			}
			return internal(ctx, message, errs...)
		}
		p := NewProblem(status, message)
		for _, err := range errs {
			var detail *huma.ErrorDetail
			if errors.As(err, &detail) {
				p.Errors = append(p.Errors, FieldProblem{detail.Location, detail.Message})
			} else if err != nil {
				p.Errors = append(p.Errors, FieldProblem{"", err.Error()})
			}
		}
		return p
	}
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		return huma.NewErrorWithContext(nil, status, message, errs...)
	}
	huma.DefaultArrayNullable = false
}

// Answer turns an error of a use case into what the client gets, said in the language of the request.
func Answer(ctx context.Context, err error) error {
	var known *problem.Error
	if !errors.As(err, &known) {
		if said := huma.StatusError(nil); errors.As(err, &said) {
			return err
		}
		return internal(ctx, "an act failed", err) // itself, so that when to try again is in its header too
	}
	p := NewProblem(problem.StatusOf(known.Code), Say(ctx, string(known.Code)))
	p.Code, p.Param, p.Next = string(known.Code), known.Param, known.Next
	if known.Wait > 0 {
		p.Wait = int(math.Ceil(known.Wait.Seconds()))
	} else if known.Code == problem.Busy {
		p.Wait = waitWhenDown
	}
	if detail := RequestOf(ctx).detail; detail != nil && known.Now != nil {
		detail(p, known)
	}
	return p
}

// sendProblem writes a problem as an answer.
func sendProblem(w http.ResponseWriter, p *Problem) {
	for name, values := range p.GetHeaders() {
		w.Header()[name] = values
	}
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}

func writeProblem(c *gin.Context, p *Problem) {
	sendProblem(c.Writer, p)
	c.Abort()
}
