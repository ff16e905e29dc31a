// Package attendance speaks to the system in which a school keeps attendance, which is not this one: it reads
// a student's marks, and has them moved or taken back where a change of sections needs it.
//
// The other side answers GET {base}/schools/{school}/students/{student}/marks with a list of marks, and POST
// {base}/schools/{school}/changes with a Change, all of which it makes or nothing; the same change sent again
// is made once. Package standin is a small one.
package attendance

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// Mark is that attendance was taken of a student in a section on a date (YYYY-MM-DD): present, absent, late or excused.
type Mark struct {
	Student string `json:"student"`
	Section string `json:"section"`
	Date    string `json:"date"`
	Mark    string `json:"mark"`
}

// Marks are the words that are used.
var Marks = []string{"present", "absent", "late", "excused"}

// Move is a mark that goes to another section, as another mark where one is given.
type Move struct {
	Mark
	To string `json:"to"`
	As string `json:"as,omitempty"`
}

// Change is what is to become of some marks: all of it or nothing. By its key it is known again.
type Change struct {
	Key    string `json:"key"`
	Move   []Move `json:"move"`
	Delete []Mark `json:"delete"`
	Add    []Mark `json:"add,omitempty"` // what comes back where a change is undone
}

// ErrAway is returned when the other system cannot be reached, or does not answer as it should.
var ErrAway = errors.New("attendance: the system that keeps it does not answer")

// ErrRefused says that the other system does not make a change, for good: a mark that it names is no longer as it was.
var ErrRefused = errors.New("attendance: the system that keeps it refuses the change")

// patience is how long an answer may take; maxAnswer bounds it, in bytes.
const (
	patience  = 5 * time.Second
	maxAnswer = 4 << 20
)

// Client is the real client.
type Client struct {
	base, token string
	http        *http.Client
}

// New makes a client for the system at an address (http or https), which lets in who shows the token. The
// error says what is wrong with the address.
func New(base, token string) (*Client, error) {
	at, err := url.Parse(base)
	if err != nil || at.Scheme != "http" && at.Scheme != "https" || at.Host == "" {
		return nil, fmt.Errorf("attendance: %q is no address; write it like https://attendance.school.example", base)
	}
	return &Client{strings.TrimSuffix(base, "/"), token, &http.Client{Timeout: patience}}, nil
}

// Marks lists a student's marks. The error is ErrAway.
func (c *Client) Marks(ctx context.Context, school, student string) (list []Mark, err error) {
	return list, c.ask(ctx, http.MethodGet, "/schools/"+url.PathEscape(school)+"/students/"+url.PathEscape(student)+"/marks", nil, &list)
}

// Change has marks moved and taken back. The errors are ErrRefused, where it is not made, and ErrAway, where
// it may have been made or not, and can be sent again.
func (c *Client) Change(ctx context.Context, school string, change *Change) error {
	return c.ask(ctx, http.MethodPost, "/schools/"+url.PathEscape(school)+"/changes", change, nil)
}

func (c *Client) ask(ctx context.Context, method, path string, body, answer any) error {
	var text bytes.Buffer
	if body != nil {
		if err := json.NewEncoder(&text).Encode(body); err != nil {
			return err
		}
	}
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, &text)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrAway, err)
	}
	req.Header.Set("Authorization", "Bearer "+c.token)
	if body != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	res, err := c.http.Do(req)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrAway, err)
	}
	defer res.Body.Close()
	content, err := io.ReadAll(io.LimitReader(res.Body, maxAnswer))
	switch res.StatusCode {
	case http.StatusConflict, http.StatusUnprocessableEntity, http.StatusGone:
		return fmt.Errorf("%w: it says %s", ErrRefused, res.Status)
	}
	if err != nil || res.StatusCode >= 300 {
		return fmt.Errorf("%w: it says %s", ErrAway, res.Status)
	}
	if answer == nil {
		return nil
	}
	if err := json.Unmarshal(content, answer); err != nil {
		return fmt.Errorf("%w: %w", ErrAway, err)
	}
	return nil
}
