package bundle

import (
	"slices"
	"strconv"
	"strings"

	"rubricon/core/placement"
	"rubricon/core/sheet"
)

// Placement makes of a bundle without bad rows the problem of placing its sheets; students are in the order
// of b.Pupils, sections in that of b.Sections. Bad are sheets beyond the limits of judging.
func (b *Bundle) Placement() (p *placement.Problem, bad []Problem) {
	sheets := make([]placement.Sheet, len(b.Pupils))
	for i := range b.Pupils {
		pupil := &b.Pupils[i]
		sheets[i] = placement.Sheet{Facts: sheet.NewFacts(b.Year, pupil.Student), Sheet: pupil.Sheet(b.Year)}
	}
	p, errs := b.Place(sheets)
	for i := range b.Pupils {
		if err := errs[i]; err != nil {
			bad = append(bad, RequestsProblem(&b.Pupils[i], err))
		}
	}
	return p, bad
}

// Place makes the problem of placing sheets into the sections, which are in the order of b.Sections. Errors are
// by the place of sheets beyond the limits of judging; there is no problem then.
func (b *Bundle) Place(sheets []placement.Sheet) (*placement.Problem, map[int]error) {
	sections := make([]placement.Meeting, len(b.Sections))
	for i, s := range b.Sections {
		course, _ := b.Year.Index(s.Course)
		sections[i] = placement.Meeting{ID: s.ID, Course: course, Terms: s.Terms, Periods: s.Periods, Days: s.Days, Seats: s.Seats}
	}
	return placement.Build(b.Year, sheets, sections)
}

// Choices are the sections in the order of b.Sections, as the core judges them.
func (b *Bundle) Choices() []sheet.Section {
	list := make([]sheet.Section, len(b.Sections))
	for i := range b.Sections {
		list[i] = b.meeting(i)
	}
	return list
}

func (b *Bundle) meeting(i int) sheet.Section {
	s := &b.Sections[i]
	course, _ := b.Year.Index(s.Course)
	return sheet.Section{Course: course, Terms: s.Terms, Periods: s.Periods, Days: s.Days}
}

// EnrollmentFile is enrollments.csv as OneRoster 1.1 has it, without rows.
func (b *Bundle) EnrollmentFile() File {
	return File{Name: "enrollments.csv", Header: []string{"sourcedId", "status", "dateLastModified", "classSourcedId",
		"schoolSourcedId", "userSourcedId", "role", "primary", "beginDate", "endDate"}}
}

// Enrollment is its row for a student in a section, from the first to the last day of its terms.
func (b *Bundle) Enrollment(section int, student string) []string {
	s := &b.Sections[section]
	begin, end := b.Dates(s.Terms)
	return []string{s.ID + ":" + student, "", "", s.ID, b.Tables["classes.csv"].Cell(s.Row, "schoolSourcedId"), student,
		"student", "false", begin, end}
}

// Taken is a teacher or a room.
type Taken struct{ Kind, Name string } // Kind: teacher, room

// Takes reports by section when it meets and what it takes, as places in a list; a name is the same however it
// is written in capitals.
func (b *Bundle) Takes() (meets []placement.Section, takes [][]int32, list []Taken) {
	t := b.Tables["classes.csv"]
	meets, takes = make([]placement.Section, len(b.Sections)), make([][]int32, len(b.Sections))
	at := map[Taken]int32{}
	for i := range b.Sections {
		s := &b.Sections[i]
		m := placement.Meeting{Terms: s.Terms, Periods: s.Periods, Days: s.Days}
		meets[i].Cells = m.Cells(b.Year)
		for _, what := range []Taken{{"teacher", s.Teacher}, {"room", t.Cell(s.Row, "location")}} {
			if what.Name == "" {
				continue
			}
			key := Taken{what.Kind, strings.ToLower(what.Name)}
			if _, ok := at[key]; !ok {
				at[key] = int32(len(list))
				list = append(list, what)
			}
			takes[i] = append(takes[i], at[key])
		}
	}
	return meets, takes, list
}

// Rooms reports where each section may be moved to, in the order of b.Sections: those of a course with one
// section (all: any) to other periods, in its terms and on its days, as many in a row as now; those without a
// period stay. A teacher and a room are taken along, by name; who or what is in two places at once already is
// taken for none.
func (b *Bundle) Rooms(all bool) []placement.Room {
	of := map[string]int{}
	for i := range b.Sections {
		of[b.Sections[i].Course]++
	}
	meets, numbers, _ := b.Takes()
	twice := map[int32]bool{}
	for _, d := range placement.Doubles(meets, numbers) {
		twice[d.What] = true
	}
	rooms := make([]placement.Room, len(b.Sections))
	for i := range b.Sections {
		s := &b.Sections[i]
		for _, what := range numbers[i] {
			if !twice[what] {
				rooms[i].Busy = append(rooms[i].Busy, what)
			}
		}
		if n := len(s.Periods); n > 0 && (all || of[s.Course] == 1) && slices.Max(s.Periods)-slices.Min(s.Periods) == n-1 {
			for first := 1; first+n-1 <= b.Year.Policy.Periods; first++ {
				m := placement.Meeting{Terms: s.Terms, Days: s.Days}
				for k := range n {
					m.Periods = append(m.Periods, first+k)
				}
				rooms[i].Patterns = append(rooms[i].Patterns, m.Cells(b.Year))
			}
		}
	}
	return rooms
}

// PeriodsOf returns the periods of cells.
func (b *Bundle) PeriodsOf(cells []int32) (periods []int) {
	days, all := int32(b.Year.Policy.Days), int32(b.Year.Policy.Periods)
	for _, c := range cells {
		if period := int(c/days%all) + 1; !slices.Contains(periods, period) {
			periods = append(periods, period)
		}
	}
	slices.Sort(periods)
	return periods
}

// ClassesWith is classes.csv with other periods, by the sections in the order of b.Sections.
func (b *Bundle) ClassesWith(periods [][]int) File {
	t := b.Tables["classes.csv"]
	f := File{Name: "classes.csv", Header: t.Header}
	at := slices.Index(t.Header, "periods")
	byRow := map[*Row]int{}
	for i := range b.Sections {
		byRow[b.Sections[i].Row] = i
	}
	for i := range t.Rows {
		r := &t.Rows[i]
		cells := make([]string, len(t.Header))
		for k, column := range t.Header {
			cells[k] = t.Cell(r, column)
		}
		if k, ok := byRow[r]; ok && at >= 0 {
			cells[at] = NumberList(periods[k])
		}
		f.Rows = append(f.Rows, cells)
	}
	return f
}

// NumberList writes numbers as a cell has them: 1,2,3.
func NumberList(numbers []int) string {
	texts := make([]string, len(numbers))
	for i, n := range numbers {
		texts[i] = strconv.Itoa(n)
	}
	return strings.Join(texts, ",")
}
