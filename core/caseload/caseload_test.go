package caseload

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/core/policy"
)

var now = time.Date(2027, 3, 10, 12, 0, 0, 0, time.UTC)

func days(n int) time.Time { return now.AddDate(0, 0, -n) }

// says writes what Of answers: "waiting claim:1@3", courses after the colon, days since after the sign.
func says(c *Case) string {
	stage, waits := Of(c)
	words := []string{string(stage)}
	for _, w := range waits {
		word := string(w.Reason)
		for _, course := range w.Courses {
			word += fmt.Sprint(":", course)
		}
		if !w.Since.IsZero() {
			word += fmt.Sprintf("@%d", int(now.Sub(w.Since).Hours()/24))
		}
		words = append(words, word)
	}
	return strings.Join(words, " ")
}

func TestOf(t *testing.T) {
	open := acts.Window{Opens: days(20), Families: days(-20), Counselors: days(-30)}
	for name, c := range map[string]struct {
		change func(c *Case)
		want   string
	}{
		"nothing yet":                {func(c *Case) { c.Begun, c.Touched = false, false }, "notBegun unbegun@20"},
		"before it opens":            {func(c *Case) { c.Begun, c.Touched, c.Window.Opens = false, false, days(-1) }, "notBegun"},
		"begun and taken off":        {func(c *Case) { c.Begun = false }, "inProgress"},
		"something from before":      {func(c *Case) { c.Touched = false }, "inProgress"},
		"sent back, untouched":       {func(c *Case) { c.Begun, c.Touched, c.State = false, false, acts.SentBack }, "inProgress"},
		"a claim while it is made":   {func(c *Case) { c.Claims = []int32{4, 2} }, "waiting claim:4:2@5"},
		"a half without the other":   {func(c *Case) { c.Halves = []int32{7} }, "inProgress loneHalf:7@5"},
		"cannot be had together":     {func(c *Case) { c.Clash = []int32{7, 9} }, "inProgress clash:7:9@5"},
		"cleared all the same":       {func(c *Case) { c.State, c.Clash = acts.Cleared, []int32{7, 9} }, "cleared"},
		"an errand is late":          {func(c *Case) { c.Dues = []Due{{3, days(2)}, {5, days(-2)}, {6, days(9)}} }, "inProgress overdue:3:6@9"},
		"an errand due now":          {func(c *Case) { c.Dues = []Due{{3, now}} }, "inProgress overdue:3@0"},
		"handed in":                  {func(c *Case) { c.State = acts.Submitted }, "withFamily"},
		"unsigned for six days":      {func(c *Case) { c.State, c.SubmittedAt = acts.Submitted, days(6) }, "withFamily"},
		"a mail that was lost":       {func(c *Case) { c.State, c.LostAt = acts.Submitted, days(1) }, "withFamily unreached@1"},
		"lost, and then cleared":     {func(c *Case) { c.State, c.LostAt = acts.Cleared, days(1) }, "cleared"},
		"unsigned for a week":        {func(c *Case) { c.State, c.SubmittedAt = acts.Submitted, days(7) }, "withFamily unsigned@7"},
		"nobody to sign":             {func(c *Case) { c.State, c.Guardians, c.SubmittedAt = acts.Submitted, 0, days(7) }, "waiting noGuardian@7"},
		"nobody to sign, signed for": {func(c *Case) { c.State, c.Guardians = acts.Signed, 0 }, "complete"},
		"signed":                     {func(c *Case) { c.State = acts.Signed }, "complete"},
		"changed since":              {func(c *Case) { c.State, c.Changed = acts.Signed, true }, "inProgress changed@5"},
		"no longer ready":            {func(c *Case) { c.State, c.Ready, c.Open = acts.Signed, false, 8 }, "waiting unmet:8@1"},
		"a rule no longer holds":     {func(c *Case) { c.State, c.Ready = acts.Signed, false }, "waiting unmet@1"},
		"unready for a claim":        {func(c *Case) { c.State, c.Ready, c.Claims = acts.Signed, false, []int32{1} }, "waiting claim:1@1"},
		"with the family, unready":   {func(c *Case) { c.State, c.Ready = acts.Submitted, false }, "withFamily"},
		"noted":                      {func(c *Case) { c.State, c.Noted = acts.Signed, []int32{1} }, "waiting overridden:1@1"},
		"noted while it is made":     {func(c *Case) { c.Noted = []int32{1} }, "inProgress"},
		"a retake":                   {func(c *Case) { c.State, c.Retakes = acts.Signed, []int32{1} }, "waiting retake:1@1"},
		"beyond judging":             {func(c *Case) { c.Beyond = true }, "waiting tooComplex@5"},
		"a wish and a question":      {func(c *Case) { c.State, c.Asked, c.AskedAt, c.RemarkAt = acts.Submitted, true, days(2), days(3) }, "waiting asked@2 remark@3"},
		"nothing stands in":          {func(c *Case) { c.State, c.Uncovered = acts.Signed, []int32{0, 1} }, "complete uncovered:0:1@1"},
		"and it may fail": {func(c *Case) {
			c.State, c.Uncovered, c.Contested = acts.Signed, []int32{0, 1}, []bool{false, true}
		}, "complete contested:1@1 uncovered:0@1"},
		"uncovered while it is made":  {func(c *Case) { c.Uncovered = []int32{0} }, "inProgress"},
		"cleared":                     {func(c *Case) { c.State, c.Uncovered, c.Halves = acts.Cleared, []int32{0}, []int32{1} }, "cleared"},
		"cleared, and then otherwise": {func(c *Case) { c.State, c.Ready, c.Open = acts.Cleared, false, 3 }, "cleared lapsed:3@0"},
		"cleared, with a question":    {func(c *Case) { c.State, c.RemarkAt = acts.Cleared, days(1) }, "cleared remark@1"},
		"placed":                      {func(c *Case) { c.State = acts.Placed }, "cleared"},
	} {
		x := Case{Found: &Found{Begun: true, Complete: true, Ready: true, Open: None}, State: acts.InProgress, Touched: true, Window: open,
			Guardians: 2, Now: now, ChangedAt: days(5), SubmittedAt: days(1), ClearedAt: days(0)}
		c.change(&x)
		if got := says(&x); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

// What is said to be ready to approve can be approved, by the guard of the acts; what lacks a signature never is.
func TestCompleteCanBeApproved(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 1))
	yes := func() bool { return r.IntN(2) == 0 }
	complete := 0
	for range 20000 {
		states := []acts.State{acts.InProgress, acts.SentBack, acts.Submitted, acts.Signed, acts.Cleared, acts.Placed}
		c := Case{Found: &Found{Begun: yes(), Changed: yes(), Complete: true, Ready: yes(), Beyond: r.IntN(9) == 0, Open: None}, State: states[r.IntN(6)], Touched: yes(), Asked: r.IntN(4) == 0,
			Guardians: r.IntN(3), Now: time.Unix(5000, 0), Window: acts.Window{Opens: time.Unix(1, 0), Families: time.Unix(4000, 0).Add(time.Duration(r.IntN(3000)) * time.Second), Counselors: time.Unix(9000, 0)}}
		if c.State == acts.Placed {
			c.Before = []acts.State{acts.Submitted, acts.Signed, acts.Cleared}[r.IntN(3)]
		}
		if yes() {
			c.Claims = []int32{1}
		}
		settings := policy.Settings{Signing: []policy.Signing{policy.OneSigns, policy.AllSign}[r.IntN(2)], Look: []policy.Look{policy.LookAfter, policy.LookBefore, policy.LookNone}[r.IntN(3)]}
		stage, _ := Of(&c)
		clear := acts.Of(&acts.Case{Relation: acts.Relation{Counsels: true}, State: c.State, Before: c.Before, Changed: c.Changed, Window: c.Window, Now: c.Now, Settings: settings,
			Guardians: c.Guardians, Asked: c.Asked, Complete: c.Found.Complete, Ready: c.Ready})[acts.Approve]
		if stage == Complete {
			if complete++; !clear.Allowed || clear.Reason {
				t.Fatalf("%+v, %+v: complete, and approving is answered %+v", c, c.Found, clear)
			}
		}
	}
	if complete < 300 {
		t.Errorf("only %d of the cases were complete", complete)
	}
}

// The school's reasons come before the family's, each is known, and Lapsed is the last of the school's.
func TestReasons(t *testing.T) {
	school := 0
	for i, r := range Reasons() {
		if r.School() {
			school++
			if school != i+1 {
				t.Errorf("%s comes after one of the family's", r)
			}
		}
	}
	if school != 9 || len(Reasons()) != 18 || slices.Contains(Reasons(), "") {
		t.Errorf("%d of %d are the school's", school, len(Reasons()))
	}
}

func TestContest(t *testing.T) {
	y := &catalog.Year{Courses: make([]catalog.Compiled, 4)}
	got := Contest(y, map[int32]int{0: 30, 1: 31, 2: 5, 3: 9}, map[int32]int{0: 30, 1: 30, 2: 0})
	if !slices.Equal(got, []bool{false, true, false, false}) {
		t.Errorf("contested: %v", got)
	}
}
