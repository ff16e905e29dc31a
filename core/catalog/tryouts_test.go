package catalog

import (
	"fmt"
	"testing"

	"rubricon/core/condition"
)

// A course waits for its leader's word where it is open on application, where its condition or an errand's asks for a permission, and
// where it or its placeholder brings an audition; a placement test, and the placeholder itself, wait for no one.
func TestTryouts(t *testing.T) {
	parse := func(text string) *condition.Condition {
		c, err := condition.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	course := func(code string, access Access, entry string) Compiled {
		c := Compiled{Course: &Course{Code: code, Access: access}}
		if entry != "" {
			c.Entry = parse(entry)
		}
		return c
	}
	errand := func(course int32, kind, settledBy string, becomes ...int32) CompiledErrand {
		e := CompiledErrand{Errand: &Errand{Kind: kind}, Course: course, Becomes: becomes}
		if settledBy != "" {
			e.SettledBy = parse(settledBy)
		}
		return e
	}
	y := &Year{Courses: []Compiled{course("OPEN", Open, "passed OPEN"), course("CHOIR", Application, ""), course("BAND", Open, "permission audition or permission \"the leader\""),
		course("HOLD", Open, ""), course("TEAM", Open, ""), course("TUTOR", Application, ""), course("MATH", Open, ""), course("MATHP", Open, ""), course("PORT", Application, "")},
		Errands: []CompiledErrand{errand(3, "audition", "", 1, 2), errand(4, "form", "permission team"), errand(7, "test", "", 6), errand(1, "audition", "permission audition"),
			errand(4, "other", "grade 9"), errand(5, "application", "permission tutoring")}}
	for entry, want := range map[string]bool{"": false, "passed OPEN": false, "passed OPEN or recommended": true} {
		if c := course("X", Open, entry); c.ByWord() != want {
			t.Errorf("%q opens by a word: %v", entry, !want)
		}
	}
	if c := course("X", Invited, ""); !c.ByWord() {
		t.Error("one that is invited to does not open by a word")
	}
	got := ""
	for _, x := range y.Tryouts() {
		got += fmt.Sprintln(y.Courses[x.Course].Code, x.Permissions, x.Asked, x.Auditions)
	}
	want := "CHOIR [audition] [1 3] [0 3]\nBAND [audition the leader] [2 3] [0]\nTEAM [team] [4] [1]\nTUTOR [tutoring] [5] [5]\nPORT [application] [8] []\n"
	if got != want {
		t.Errorf("got\n%swant\n%s", got, want)
	}
}
