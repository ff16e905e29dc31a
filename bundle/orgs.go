package bundle

func (b *Bundle) orgs() {
	t := b.Tables["orgs.csv"]
	seen := map[string]int{}
	isSchool := false // the first org that is a school, else the first
	for i := range t.Rows {
		r := &t.Rows[i]
		if !b.needed(t, r, "sourcedId", "name", "type") || !b.unique(t, r, "sourcedId", seen) {
			continue
		}
		if b.SchoolName == "" || t.Cell(r, "type") == "school" && !isSchool {
			b.SchoolID, b.SchoolName = t.Cell(r, "sourcedId"), t.Cell(r, "name")
			isSchool = t.Cell(r, "type") == "school"
		}
	}
	if b.SchoolID == "" {
		b.SchoolID, b.SchoolName = "school", "school"
	}
}
