package demand

// Fit is how the sections planned of a course suit the requests for it.
type Fit string

// How they suit.
const (
	Stopped Fit = "stopped" // the course does not run
	Few     Fit = "few"     // fewer requests than half a section (common practice)
	More    Fit = "more"    // more requests than seats
	Fewer   Fit = "fewer"   // one section less would do
	Plain   Fit = "plain"   // none of these
)

// Planned is what is planned of a course.
type Planned struct {
	Sections int
	Over     int // requests beyond the seats of the sections
	Fit      Fit
}

// FewOf is the number of requests below which a course has few of them, for sections of a size.
func FewOf(size int) int { return (size + 1) / 2 }

// Plan reports what is planned of a course with a number of requests, in sections of a size: none where it is
// stopped, else as many as were set, else (nil) as many as the requests take.
func Plan(requests, size int, set *int, stopped bool) Planned {
	p := Planned{Fit: Plain}
	switch {
	case stopped:
		p.Fit = Stopped
		return p
	case set != nil:
		p.Sections = *set
	default:
		p.Sections = len(Sections(requests, size))
	}
	p.Over = max(0, requests-p.Sections*size)
	switch {
	case requests > 0 && requests < FewOf(size):
		p.Fit = Few
	case p.Over > 0:
		p.Fit = More
	case p.Sections > 0 && requests <= (p.Sections-1)*size:
		p.Fit = Fewer
	}
	return p
}
