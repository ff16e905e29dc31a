package bundle

import (
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

func (b *Bundle) records() {
	t := b.Tables["records.csv"]
	b.students(t, func(r *Row, p *Pupil) {
		b.needed(t, r, "courseCode", "credits")
		record := sheet.Record{Code: t.Cell(r, "courseCode"), Title: t.Cell(r, "title"), Subjects: list(t.Cell(r, "subject")), Term: t.Cell(r, "term"),
			Credits: b.amount(t, r, "credits", 0), Mark: b.amount(t, r, "mark", 0), HasMark: t.Cell(r, "mark") != "",
			Outcome: oneOf(b, t, r, "outcome", "", sheet.Earned, sheet.InProgress, sheet.Failed, sheet.Withdrawn, sheet.Transfer)}
		if record.Mark > 100*credit.One {
			b.bad(t, r, "mark", "must lie between 0 and 100")
		}
		var err error
		if record.Year, err = policy.StartYear(t.Cell(r, "schoolYear")); err != nil {
			b.bad(t, r, "schoolYear", "“%s” %v", t.Cell(r, "schoolYear"), err)
		}
		p.Student.Records = append(p.Student.Records, record)
	})
}
