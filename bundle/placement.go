package bundle

import (
	"rubricon/core/placement"
	"rubricon/core/sheet"
)

// Placement makes of a bundle without bad rows the problem of placing its sheets; students are in the order of b.Pupils, sections in
// that of b.Sections. Bad are sheets beyond the limits of judging.
func (b *Bundle) Placement() (p *placement.Problem, bad []Problem) {
	sheets := make([]placement.Sheet, len(b.Pupils))
	for i := range b.Pupils {
		pupil := &b.Pupils[i]
		sheets[i] = placement.Sheet{Facts: sheet.NewFacts(b.Year, pupil.Student), Sheet: pupil.Sheet(b.Year)}
	}
	sections := make([]placement.Meeting, len(b.Sections))
	for i, s := range b.Sections {
		course, _ := b.Year.Index(s.Course)
		sections[i] = placement.Meeting{ID: s.ID, Course: course, Terms: s.Terms, Periods: s.Periods, Days: s.Days, Seats: s.Seats}
	}
	p, errs := placement.Build(b.Year, sheets, sections)
	for i := range b.Pupils {
		if err := errs[i]; err != nil {
			bad = append(bad, RequestsProblem(&b.Pupils[i], err))
		}
	}
	return p, bad
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
	return File{Name: "enrollments.csv", Header: []string{"sourcedId", "status", "dateLastModified", "classSourcedId", "schoolSourcedId", "userSourcedId", "role", "primary", "beginDate", "endDate"}}
}

// Enrollment is its row for a student in a section, from the first to the last day of its terms.
func (b *Bundle) Enrollment(section int, student string) []string {
	s := &b.Sections[section]
	begin, end := b.Dates(s.Terms)
	return []string{s.ID + ":" + student, "", "", s.ID, b.Tables["classes.csv"].Cell(s.Row, "schoolSourcedId"), student, "student", "false", begin, end}
}
