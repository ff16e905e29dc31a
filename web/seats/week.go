package seats

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/app/seats"
	"rubricon/core/acts"
	"rubricon/core/catalog"
	"rubricon/paper"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// weekRoutes are those of a student's published week as a file.
func (s *Routes) weekRoutes(api huma.API) {
	type weekIn struct {
		server.OnSheet
		Language string `query:"language" maxLength:"35" doc:"BCP 47: in which it is written"`
	}
	shown := func(ctx context.Context, by int64, in *weekIn) (*websheet.Printed, *schedule.Shown, error) {
		d, err := s.cases.Sheet.Sheet(ctx, by, in.Place())
		if err != nil {
			return nil, nil, err
		}
		week := schedule.WeekOf(d)
		if week == nil {
			return nil, nil, &problem.Error{Code: problem.NotFound}
		}
		return &websheet.Printed{Desk: d, L: websheet.Reads(ctx, in.Language)}, week, nil
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-week-pdf", http.MethodGet, server.StudentPath+"/week.pdf",
		"A student's published week, for printing"), "application/pdf"),
		func(ctx context.Context, by int64, in *weekIn) (*websheet.FileOut, error) {
			p, week, err := shown(ctx, by, in)
			if err != nil {
				return nil, err
			}
			pdf, err := paper.PDF(weekDocument(*p, week))
			if err != nil {
				return nil, err
			}
			return websheet.PDFOut("week.pdf", pdf), nil
		})
	server.SignedIn(s, api, server.Gives(server.Operation("get-seats-pdf", http.MethodGet, SeatsPath+".pdf",
		"A student's choice of seats, for printing"), "application/pdf"),
		func(ctx context.Context, by int64, in *weekIn) (*websheet.FileOut, error) {
			w, err := s.cases.Seats.Seats(ctx, by, in.Place())
			if err != nil {
				return nil, err
			}
			p := &websheet.Printed{Desk: w.Desk, L: websheet.Reads(ctx, in.Language)}
			doc := weekDocument(*p, w.Shown())
			if c := &w.Choice; c.HandedAt != nil && c.State != string(acts.Choosing) {
				doc.Lead = []string{p.Say("seats.road.receipt", "receipt", c.Receipt, "time", p.Day(c.HandedAt.In(w.Year.Zone()), true))}
			}
			pdf, err := paper.PDF(doc)
			if err != nil {
				return nil, err
			}
			return websheet.PDFOut("seats.pdf", pdf), nil
		})
	type calendarOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-week-calendar", http.MethodGet,
		server.StudentPath+"/week.ics",
		"A student's published week as an iCalendar file: an entry for each day of school, with what meets in each period"), "text/calendar"),
		func(ctx context.Context, by int64, in *weekIn) (*calendarOut, error) {
			p, week, err := shown(ctx, by, in)
			if err != nil {
				return nil, err
			}
			dates, err := s.cases.Seats.WeekDates(ctx, p.Desk, week)
			if err != nil {
				return nil, err
			}
			name := p.Say("calendar.week", "name", p.Pupil.GivenName+" "+p.Pupil.FamilyName)
			content := paper.Calendar(name, fmt.Sprintf("%s.%d.rubricon", p.Row.School, p.Row.Year), s.Now(), schoolDays(*p, dates))
			return &calendarOut{"text/calendar; charset=utf-8",
				mime.FormatMediaType("attachment", map[string]string{"filename": "week.ics"}), content}, nil
		})
}

// titleOf is a course's title in the reader's language, also of one that the catalog has no longer.
func titleOf(p websheet.Printed, code string) string {
	if course, ok := p.Year.Index(code); ok {
		return p.Title(course)
	}
	return code
}

// weekDocument is the published week as a page: a row for each period, a column for each term, and what was not given.
func weekDocument(p websheet.Printed, week *schedule.Shown) *paper.Document {
	y := p.Year
	name := p.Pupil.GivenName + " " + p.Pupil.FamilyName
	doc := &paper.Document{Language: p.L.Tag.String(), Page: p.Say("paper.page"),
		Foot:  p.Say("paper.foot", "name", name, "school", y.Name, "year", y.Year.Policy.SchoolYear),
		Title: p.Say("calendar.week", "name", name)}
	if at, err := time.Parse(time.RFC3339, week.At); err == nil {
		doc.Lead = []string{p.Say("result.published", "time", p.Day(at.In(y.Zone()), true))}
	}
	board := paper.Part{Head: p.Say("result.week"), Heads: []string{""}, Cols: []float64{0.06}}
	for i := range y.Terms {
		board.Heads = append(board.Heads, p.Terms(catalog.TermSet(1)<<i))
		board.Cols = append(board.Cols, 0.94/float64(len(y.Terms)))
	}
	last := y.Policy.Periods
	for _, g := range week.Given {
		for _, period := range g.Periods {
			last = max(last, period)
		}
	}
	for period := 1; period <= last; period++ {
		row := []string{fmt.Sprint(period)}
		for _, term := range y.Terms {
			var here []string
			for _, g := range week.Given {
				if slices.Contains(g.Periods, period) && slices.Contains(g.Terms, term) {
					here = append(here, meeting(p, &g))
				}
			}
			if len(here) == 0 {
				here = []string{p.Say("result.open")}
			}
			row = append(row, strings.Join(here, "; "))
		}
		board.Rows = append(board.Rows, row)
	}
	for _, g := range week.Given {
		if len(g.Periods) == 0 {
			board.Text = append(board.Text, p.Say("result.loose")+" "+meeting(p, &g))
		}
	}
	doc.Parts = append(doc.Parts, board)
	if len(week.Lacking) > 0 {
		part := paper.Part{Head: p.Say("result.notGiven"), Cols: []float64{0.3, 0.45, 0.25}}
		for _, l := range week.Lacking {
			instead := p.Say("result.nothing")
			if l.Instead != "" {
				instead = p.Say("result.instead", "course", titleOf(p, l.Instead))
			}
			part.Rows = append(part.Rows, []string{titleOf(p, l.Course), p.Say("result.why." + string(l.Why)), instead})
		}
		doc.Parts = append(doc.Parts, part)
	}
	return doc
}

// meeting is a section in a few words: the course, its teacher, and the days of the cycle where it does not
// meet on all.
func meeting(p websheet.Printed, g *schedule.GivenSection) string {
	text := titleOf(p, g.Course)
	if len(g.Days) > 0 {
		days := make([]string, len(g.Days))
		for i, d := range g.Days {
			days[i] = fmt.Sprint(d)
		}
		text += " (" + p.Say("result.days", "days", strings.Join(days, ", ")) + ")"
	}
	if g.Teacher != "" {
		text += ", " + g.Teacher
	}
	return text
}

// schoolDays are the entries of a calendar: for each day of school what meets, period by period.
func schoolDays(p websheet.Printed, dates []seats.WeekDate) []paper.Event {
	events := []paper.Event{}
	for i := range dates {
		d := &dates[i]
		var lines []string
		for k := range d.Meets {
			lines = append(lines, fmt.Sprintf("%d  %s", d.Periods[k], meeting(p, &d.Meets[k])))
		}
		title := p.Say("calendar.school")
		if p.Year.Policy.Days > 1 && !d.Gone {
			title = p.Say("calendar.day", "day", d.Day)
		}
		events = append(events, paper.Event{ID: d.ID, Rev: d.Sequence, Modified: d.Modified, Cancelled: d.Gone, Title: title,
			Note: strings.Join(lines, "\n"), At: d.At, Whole: true})
	}
	return events
}
