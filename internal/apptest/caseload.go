package apptest

import (
	"fmt"
	"slices"
	"strings"
	"time"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/problem"
	"rubricon/core/acts"
)

// Batch does something with sheets as Ms Arden: what becomes of each, as "s0001" or "s0002:locked", and the
// number it is kept under.
func (h *House) Batch(b appcaseload.Batch, students ...string) (id int64, outcomes string) {
	h.T.Helper()
	for _, student := range students {
		b.Sheets = append(b.Sheets, appcaseload.Choice{Student: student})
	}
	tried, err := h.Caseload.TryBatch(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, b)
	if err != nil {
		return 0, string(problem.CodeOf(err))
	}
	id, done, err := h.Caseload.DoBatch(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, b)
	if err != nil {
		return 0, string(problem.CodeOf(err))
	}
	if x, y := Outcome(tried), Outcome(done); x != y {
		h.T.Errorf("%s: tried it gives %s, done %s", b.Kind, x, y)
	}
	return id, Outcome(done)
}

// Outcome writes the results of a batch, student by student.
func Outcome(list []appcaseload.Outcome) string {
	var words []string
	for _, o := range list {
		word := o.Student
		if o.Code != "" {
			word += ":" + string(o.Code)
		}
		words = append(words, word)
	}
	slices.Sort(words)
	return strings.Join(words, " ")
}

// Back takes a batch back as Ms Arden.
func (h *House) Back(id int64, reason string) string {
	h.T.Helper()
	list, err := h.Caseload.TakeBack(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, id, "", reason)
	if err != nil {
		return string(problem.CodeOf(err))
	}
	return Outcome(list)
}

// Courses are the requests on Mara's sheet, by rank, with a star where the school has put them there.
func (h *House) Courses() string {
	d := h.Look("mara.quill")
	var words []string
	for _, e := range d.Sheet.Requests {
		word := d.Year.Codes[e.Course]
		if assigned, fixed := d.Known.Assigned(e.Course); fixed {
			word += "!"
		} else if assigned {
			word += "*"
		}
		words = append(words, word)
	}
	return strings.Join(words, " ")
}

// Everybody is the filter that chooses all.
func Everybody(all bool) appcaseload.Filter { return appcaseload.Filter{All: all, Grade: -1} }

// Line is Mara's in her counselor's caseload.
func (h *House) Line() appcaseload.CaseLine {
	h.T.Helper()
	c, err := h.Caseload.Caseload(h.T.Context(), h.Who("ms.arden"), Mara.School, Mara.Year, Everybody(false))
	if err != nil {
		h.T.Fatal(err)
	}
	for _, l := range c.Lines {
		if l.Student == Mara.Student {
			if d := h.Look("ms.arden"); l.Approve != d.Acts[acts.Approve] {
				h.T.Errorf("the list says %+v, the sheet %+v", l.Approve, d.Acts[acts.Approve])
			}
			return l
		}
	}
	h.T.Fatal("Mara is in no caseload")
	return appcaseload.CaseLine{}
}

// Waits writes where a sheet is and what it waits for: "waiting claim uncovered".
func Waits(l appcaseload.CaseLine) string {
	list := []string{string(l.Stage)}
	for _, w := range l.Waits {
		list = append(list, string(w.Reason))
	}
	return strings.Join(list, " ")
}

// Says compares where Mara's sheet is and what it waits for, courses by code.
func (h *House) Says(when, want string) {
	h.T.Helper()
	l, d := h.Line(), h.Look("ms.arden")
	list := []string{string(l.Stage)}
	for _, w := range l.Waits {
		word := string(w.Reason)
		for _, course := range w.Courses {
			word += ":" + d.Year.Codes[course]
		}
		list = append(list, word)
	}
	if got := strings.Join(list, " "); got != want {
		h.T.Errorf("%s: %s, want %s", when, got, want)
	}
}

// Remark sends a question as a user.
func (h *House) Remark(username, text string) error {
	_, err := h.Caseload.Remark(h.T.Context(), h.Who(username), Mara, appcaseload.RemarkRow{Kind: "question", Text: text})
	return err
}

// Since is since when a student waits.
func Since(l *appcaseload.CaseLine) time.Time {
	oldest := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	for _, w := range l.Waits {
		if !w.Since.IsZero() && w.Since.Before(oldest) {
			oldest = w.Since
		}
	}
	return oldest
}

// Record writes Mara's records of a course: "85 earned 1 entered".
func (h *House) Record(course string) string {
	h.T.Helper()
	f, err := h.People.File(h.T.Context(), h.Who("ms.arden"), Mara)
	if err != nil {
		h.T.Fatal(err)
	}
	var words []string
	for i, r := range f.Desk.Known.Records {
		if r.Code == course || r.Title == course {
			word := fmt.Sprint(r.Mark, " ", r.Outcome, " ", r.Credits)
			if f.Desk.Known.Entered[i] {
				word += " entered"
			}
			words = append(words, word)
		}
	}
	return strings.Join(words, ", ")
}
