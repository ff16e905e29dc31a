package policy

import (
	"encoding/json"
	"fmt"
	"time"
)

// year reads what else belongs to the school year: its last grade, holidays, commitments and words of welcome.
func (r *reader) year(top object) {
	r.out.LastGrade = 12
	if r.get(top, 1, "", "lastGrade", &r.out.LastGrade, "a whole number") && (r.out.LastGrade < 0 || r.out.LastGrade > 20) {
		r.bad(r.tops["lastGrade"], "lastGrade", "must lie between 0 and 20")
	}
	if r.get(top, 1, "", "holidays", &r.out.Holidays, "a list of dates") {
		for _, day := range r.out.Holidays {
			if _, err := time.Parse(time.DateOnly, day); err != nil {
				r.bad(r.tops["holidays"], "holidays", "“%s” is not a date; write it like 2027-11-25", day)
			}
		}
	}
	seen := map[string]bool{}
	for i, raw := range r.list(top, "commitments", MaxRules) {
		if c, ok := r.commitment(raw, i, seen); ok {
			r.out.Commitments = append(r.out.Commitments, c)
		}
	}
	for i, raw := range r.list(top, "welcome", MaxRules) {
		line, path := r.line(raw), fmt.Sprintf("welcome.%d.", i+1)
		var o object
		if json.Unmarshal(raw, &o) != nil {
			r.bad(line, path[:len(path)-1], "must be an object")
			continue
		}
		r.only(o, line, path, "grades", "text")
		var w Welcome
		r.get(o, line, path, "grades", &w.Grades, "a list of whole numbers")
		if !r.words(o, line, path, "text", &w.Text) {
			r.missing(o, line, path, "text")
		}
		r.out.Welcome = append(r.out.Welcome, w)
	}
}

func (r *reader) commitment(raw json.RawMessage, place int, seen map[string]bool) (c Commitment, ok bool) {
	o, line, path, ok := r.named(raw, "commitments", place, seen, &c.ID)
	if !ok {
		return c, false
	}
	r.only(o, line, path+".", "id", "grades", "when", "who", "text")
	r.get(o, line, path+".", "grades", &c.Grades, "a list of whole numbers")
	c.When = r.when(o, line, path)
	who := "both"
	r.get(o, line, path+".", "who", &who, "student, guardian or both")
	switch who {
	case "student", "guardian", "both":
		c.Student, c.Guardian = who != "guardian", who != "student"
	default:
		r.bad(line, path+".who", "“%s” is not one of student, guardian, both", who)
	}
	if !r.words(o, line, path+".", "text", &c.Text) {
		r.missing(o, line, path+".", "text")
	}
	return c, true
}
