package web

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"rubricon/core/acts"
	"rubricon/school"
)

// Problem is an error as RFC 9457 has it, with a stable code and what helps to mend it.
type Problem struct {
	Type   string         `json:"type" doc:"Always about:blank"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail,omitempty"`
	Code   string         `json:"code" doc:"Stable; what programs should look at"`
	Param  string         `json:"param,omitempty" doc:"What the code is about, such as a course's code"`
	Wait   int            `json:"wait,omitempty" doc:"Seconds to wait before trying again"`
	Errors []FieldProblem `json:"errors,omitempty" doc:"What is wrong in the request, by place"`
	Todo   []Todo         `json:"todo,omitempty" doc:"not-ready: what to mend"`
	Sheet  *SheetView     `json:"sheet,omitempty" doc:"stale-version: the sheet as it is now"`
}

// FieldProblem is one thing wrong in a request.
type FieldProblem struct {
	Location string `json:"location"`
	Message  string `json:"message"`
}

func (p *Problem) Error() string                { return p.Code + ": " + p.Detail }
func (p *Problem) GetStatus() int               { return p.Status }
func (p *Problem) ContentType(ct string) string { return "application/problem+json" }

// GetHeaders says when to try again.
func (p *Problem) GetHeaders() http.Header {
	if p.Wait == 0 {
		return nil
	}
	return http.Header{"Retry-After": {strconv.Itoa(p.Wait)}}
}

var statuses = map[school.Code]int{
	school.NotFound: http.StatusNotFound, school.NoCourse: http.StatusNotFound, school.SignInFailed: http.StatusUnauthorized, school.TooMany: http.StatusTooManyRequests,
	school.Code(acts.NotYours): http.StatusForbidden, school.NeedsReason: http.StatusUnprocessableEntity, school.NeedsMessage: http.StatusUnprocessableEntity,
	school.NeedsAgreed: http.StatusUnprocessableEntity, school.NeedsCommitment: http.StatusUnprocessableEntity, school.BadMark: http.StatusUnprocessableEntity, school.NotACourse: http.StatusUnprocessableEntity,
	school.BadAct: http.StatusUnprocessableEntity, school.BadPassword: http.StatusUnprocessableEntity, school.TooMuch: http.StatusUnprocessableEntity,
	school.Busy: http.StatusServiceUnavailable,
}

// sentences say what is wrong, for whoever reads the interface; screens say it in the reader's language.
var sentences = map[school.Code]string{
	school.NotFound: "there is nothing here for you", school.NoCourse: "no course has this code", school.SignInFailed: "the username or the password is not right",
	school.TooMany: "too many attempts; wait a little, then try again", school.Fixed: "the school has fixed this course on the sheet; a counselor can change it",
	school.Barred: "the course is not offered to this student; a counselor can say how it could be", school.Earned: "the course is already earned",
	school.NotOnSheet: "the course is not on the sheet", school.BadOrder: "the order must name each course of the list once",
	school.BadStandsFor: "an alternate can only stand for a course that is requested", school.Full: "the sheet is full; remove something first",
	school.OverMaximum:     "with it there would be more than the school allows; make it an alternate, or take something off first",
	school.SummerAlternate: "a course of the summer round can be requested, but is no alternate",
	school.TooComplex:      "the sheet cannot be judged: its courses can be laid or combined in too many ways; take some off", school.NoClaim: "there is no such open claim",
	school.NotACourse: "only a course can be confirmed as earned elsewhere; waive the condition instead", school.BadMark: "the mark must lie between 0 and 100",
	school.NeedsReason: "write the reason; it is kept, and the family sees it", school.NeedsMessage: "write what should be changed",
	school.NeedsAgreed:     "agree to the fee of this course before you sign",
	school.NeedsCommitment: "agree to what is asked of you first, each by itself", school.BadAct: "there is no such act",
	school.BadPassword: "a password has 10 to 500 characters and is not the old one", school.Elsewhere: "the account also leads to another school; the office of that school must agree",
	school.Busy: "somebody else is changing the same; try again", school.TooMuch: "at most 2000 sheets at once",
	school.Code(acts.NotYours): "this is not yours to do", school.Code(acts.NoWindowYet): "the school has not yet said when requests open",
	school.Code(acts.NotOpenYet): "requests are not open yet", school.Code(acts.Closed): "requests are closed for families; the school office can still change them",
	school.Code(acts.ClosedForAll): "requests are closed, also for counselors", school.Code(acts.NotNeeded): "the school does not want this step",
	school.Code(acts.NoPaper): "the school does not take signatures on paper", school.Code(acts.AlreadyDone): "this is done already",
	school.Code(acts.Stale):            "the sheet was changed meanwhile, in another window or by another person; look at it again",
	school.Code(acts.Locked):           "the sheet is cleared; a counselor can reopen it or send it back",
	school.Code(acts.NothingSubmitted): "the sheet must be submitted first", school.Code(acts.ChangedSince): "the sheet was changed since it was submitted; it must be submitted again first",
	school.Code(acts.NotSigned): "the sheet must be signed first", school.Code(acts.NotCleared): "the sheet is not cleared", school.Code(acts.NothingToUndo): "there is nothing to undo",
	school.Code(acts.NotLookedAt): "a counselor must look at the sheet before it is submitted", school.Code(acts.NotReady): "something is still to do; mend what is listed",
}

// statusCodes name errors that come from the protocol rather than from a use case.
var statusCodes = map[int]string{
	http.StatusBadRequest: "bad-request", http.StatusUnauthorized: "not-signed-in", http.StatusNotFound: string(school.NotFound),
	http.StatusMethodNotAllowed: "method-not-allowed", http.StatusRequestEntityTooLarge: "too-large", http.StatusUnsupportedMediaType: "unsupported-media-type",
	http.StatusUnprocessableEntity: "bad-input", http.StatusForbidden: string(acts.NotYours), http.StatusNotAcceptable: "not-acceptable",
	http.StatusServiceUnavailable: "unavailable",
}

func newProblem(status int, detail string) *Problem {
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

func unavailable() *Problem {
	p := newProblem(http.StatusServiceUnavailable, "the school's database cannot be reached just now; nothing was changed. Try again in a moment.")
	p.Wait = waitWhenDown
	return p
}

// internal is what is said of a bug or a failure; what it was is logged, and only said to be one.
func internal(ctx context.Context, message string, errs ...error) *Problem {
	id := requestID(ctx)
	for _, err := range errs {
		if school.Unavailable(err) {
			requestOf(ctx).log.WarnContext(ctx, "the database cannot be reached, or is too slow", "error", err)
			return unavailable()
		}
	}
	if ctx.Err() == nil { // else nobody waits for an answer any more, and nothing is wrong
		requestOf(ctx).log.ErrorContext(ctx, "a request failed", "message", message, "errors", errs)
	}
	return newProblem(http.StatusInternalServerError,
		"something went wrong on our side; nothing was changed. Try again, and tell the school office this number if it stays: "+id)
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
		p := newProblem(status, message)
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
	p := newProblem(status, sentences[known.Code])
	p.Code, p.Param = string(known.Code), known.Param
	if known.Wait > 0 {
		p.Wait = int(math.Ceil(known.Wait.Seconds()))
	} else if known.Code == school.Busy {
		p.Wait = waitWhenDown
	}
	if known.Desk == nil {
		return p
	}
	switch acts.Why(known.Code) {
	case acts.NotReady:
		p.Todo = todos(known.Desk)
	case acts.Stale:
		p.Sheet = newSheet(known.Desk)
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
