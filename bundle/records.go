package bundle

import (
	"strings"

	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

// records reads records.csv. The policy is nil where it cannot be read; then names of marks are taken as they come.
func (b *Bundle) records(rules *policy.Policy) {
	t := b.Tables["records.csv"]
	known := map[string]bool{}
	for i := range b.Users {
		known[b.Users[i].ID] = true
	}
	b.students(t, func(r *Row, p *Pupil) {
		b.needed(t, r, "courseCode", "credits")
		record := sheet.Record{Code: t.Cell(r, "courseCode"), Title: t.Cell(r, "title"),
			Subjects: list(t.Cell(r, "subject")), Term: t.Cell(r, "term"),
			Credits: b.amount(t, r, "credits", 0),
			Outcome: oneOf(b, t, r, "outcome", "", sheet.Earned, sheet.InProgress, sheet.Failed, sheet.Withdrawn, sheet.Transfer)}
		record.Mark, record.HasMark = b.mark(t, r, rules)
		var err error
		if record.Year, err = policy.StartYear(t.Cell(r, "schoolYear")); err != nil {
			b.bad(t, r, "schoolYear", "“%s” %v", t.Cell(r, "schoolYear"), err)
		}
		if teacher := t.Cell(r, "teacher"); record.Outcome == sheet.InProgress && known[teacher] {
			record.Teacher = teacher
		} else if record.Outcome == sheet.InProgress && teacher != "" && !b.Tables["users.csv"].Deleted[teacher] {
			b.bad(t, r, "teacher", "nobody has the id “%s”", teacher)
		}
		p.Student.Records = grown(p.Student.Records, record)
	})
}

// mark reads a mark: a number, or one of the policy's names of marks.
func (b *Bundle) mark(t *Table, r *Row, rules *policy.Policy) (mark credit.Amount, has bool) {
	text := strings.TrimSpace(t.Cell(r, "mark"))
	if text == "" {
		return 0, false
	}
	mark, err := credit.Parse(text)
	if err == nil && (mark < 0 || mark > 100*credit.One) {
		b.bad(t, r, "mark", "must lie between 0 and 100")
	}
	if err == nil || rules == nil {
		return mark, true
	}
	number, named := rules.Marks[text]
	if !named && rules.Marks != nil {
		b.bad(t, r, "mark", "“%s” is neither a number from 0 to 100 nor a mark of the policy", text)
	} else if !named {
		b.bad(t, r, "mark", "“%s” %v", text, err)
	}
	return number, true
}
