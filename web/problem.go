package web

import (
	"errors"
	"log/slog"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/school"
)

// Problem is an error as RFC 9457 has it, with a stable code and what helps to mend it.
type Problem struct {
	Type   string            `json:"type" doc:"Always about:blank"`
	Title  string            `json:"title"`
	Status int               `json:"status"`
	Detail string            `json:"detail,omitempty"`
	Code   string            `json:"code" doc:"Stable; what programs should look at"`
	Errors []FieldProblem    `json:"errors,omitempty" doc:"What is wrong in the request, by place"`
	Todo   []school.Todo     `json:"todo,omitempty" doc:"not-ready: what to mend"`
	Sheet  *school.SheetView `json:"sheet,omitempty" doc:"stale-version: the sheet as it is now"`
}

// FieldProblem is one thing wrong in a request.
type FieldProblem struct {
	Location string `json:"location"`
	Message  string `json:"message"`
}

func (p *Problem) Error() string                { return p.Code + ": " + p.Detail }
func (p *Problem) GetStatus() int               { return p.Status }
func (p *Problem) ContentType(ct string) string { return "application/problem+json" }

var statuses = map[school.Code]int{
	school.NotFound: http.StatusNotFound, school.Forbidden: http.StatusForbidden, school.SignInFailed: http.StatusUnauthorized,
	school.TooMany: http.StatusTooManyRequests, school.BadInput: http.StatusUnprocessableEntity,
}

// statusCodes name errors that come from the protocol rather than from a use case.
var statusCodes = map[int]string{
	http.StatusBadRequest: "bad-request", http.StatusUnauthorized: "not-signed-in", http.StatusNotFound: string(school.NotFound),
	http.StatusMethodNotAllowed: "method-not-allowed", http.StatusRequestEntityTooLarge: "too-large", http.StatusUnsupportedMediaType: "unsupported-media-type",
	http.StatusUnprocessableEntity: string(school.BadInput), http.StatusForbidden: string(school.Forbidden), http.StatusNotAcceptable: "not-acceptable",
}

func newProblem(status int, detail string) *Problem {
	code := statusCodes[status]
	if status >= 500 || code == "" {
		code = "internal"
		if status < 500 {
			code = "bad-request"
		}
	}
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail, Code: code}
}

func init() {
	// huma would show the text of any error to the client; a bug is logged, and only said to be one.
	huma.NewErrorWithContext = func(ctx huma.Context, status int, message string, errs ...error) huma.StatusError {
		p := newProblem(status, message)
		if status >= 500 {
			id, gone := "", false
			if ctx != nil {
				id, gone = requestID(ctx.Context()), ctx.Context().Err() != nil
			}
			if !gone { // nobody waits for an answer any more, and nothing is wrong
				slog.Error("a request failed", "request", id, "message", message, "errors", errs)
			}
			p.Detail = "something went wrong on our side; nothing was changed. Try again, and tell the school office this number if it stays: " + id
			return p
		}
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

// answer turns an error of a use case into what the client gets.
func answer(err error) error {
	var known *school.Error
	if !errors.As(err, &known) {
		return err
	}
	status, ok := statuses[known.Code]
	if !ok {
		status = http.StatusConflict
	}
	p := newProblem(status, known.Detail)
	p.Code, p.Todo, p.Sheet = string(known.Code), known.Todo, known.Sheet
	return p
}
