package acts

import "time"

// Window is when a sheet is open. The zero Window is none: the school has not yet said when.
type Window struct{ Opens, Families, Counselors time.Time }

// Phase is where a moment lies to a window.
type Phase uint8

// The phases.
const (
	NoWindow Phase = iota
	Before
	Open
	Late // closed for families, not yet for counselors
	Over
)

// Phase reports where a moment lies; each bound belongs to what it begins.
func (w Window) Phase(now time.Time) Phase {
	switch {
	case w.Opens.IsZero():
		return NoWindow
	case now.Before(w.Opens):
		return Before
	case now.Before(w.Families):
		return Open
	case now.Before(w.Counselors):
		return Late
	}
	return Over
}

// Summer is the summer round where it has a window of its own. The zero value is none: what is requested for
// the summer is then handed in with the sheet.
type Summer struct {
	Window
	Asked    bool // something is requested for it, or was handed in
	Handed   bool // what is requested is what was handed in
	Complete bool // nothing of it is still to do but what waits for a person
}

// Apart reports whether the round has a window of its own.
func (s *Summer) Apart() bool { return !s.Opens.IsZero() }

// Voids reports whether changing a request of the year, or one for the summer, takes back what the school has:
// a submission that the requests still match. What is submitted for the summer on its own does not count.
func (c *Case) Voids(summer bool) bool {
	if c.Kind != TheSheet || !c.State.HandedIn() || c.Changed {
		return false
	}
	return !summer || !c.Summer.Apart()
}

// phase is where the moment lies to the window that an act has.
func (c *Case) phase(act Act) Phase {
	if c.Summer.Apart() && (act == EditSummer || act == SubmitSummer) {
		return c.Summer.Phase(c.Now)
	}
	return c.Window.Phase(c.Now)
}
