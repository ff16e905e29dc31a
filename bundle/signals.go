package bundle

import (
	"rubricon/core/credit"
	"rubricon/core/sheet"
)

func (b *Bundle) signals() {
	t := b.Tables["signals.csv"]
	b.students(t, func(r *Row, p *Pupil) {
		s := sheet.Signal{Code: t.Cell(r, "courseCode"), Name: t.Cell(r, "name"), By: t.Cell(r, "by"), Note: t.Cell(r, "note"),
			Kind: oneOf(b, t, r, "kind", "", sheet.Recommendation, sheet.PlacementMade, sheet.ScoreOnFile, sheet.Permission,
				sheet.Waiver, sheet.Assignment,
				sheet.Claim, sheet.Exemption, sheet.ErrandDone)}
		if text := t.Cell(r, "value"); text != "" {
			value, err := credit.Parse(text)
			if err != nil {
				b.bad(t, r, "value", "“%s” %v", text, err)
			}
			s.Value = value
		}
		switch s.Kind {
		case sheet.ScoreOnFile:
			b.needed(t, r, "name", "value")
		case sheet.ErrandDone:
			b.needed(t, r, "courseCode", "name")
		case sheet.Exemption:
			b.needed(t, r, "name")
		case sheet.Recommendation, sheet.PlacementMade, sheet.Waiver, sheet.Assignment:
			b.needed(t, r, "courseCode")
		}
		p.Student.Signals = grown(p.Student.Signals, s)
	})
}
