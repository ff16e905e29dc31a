package bundle

import (
	"cmp"
	"slices"
	"strconv"

	"rubricon/core/catalog"
	"rubricon/core/policy"
	"rubricon/core/sheet"
)

// Plan is a row of plans.csv: a course planned for a later year.
type Plan struct {
	Row       *Row
	Grade     int
	Course    string
	Alternate bool
}

// plans reads plans.csv. The policy is nil where it cannot be read; then no grade is too high.
func (b *Bundle) plans(courses map[string]*Row, rules *policy.Policy) {
	t := b.Tables["plans.csv"]
	type place struct {
		student, course string
		grade           int
	}
	seen := map[place]int{}
	b.students(t, func(r *Row, p *Pupil) {
		plan := Plan{Row: r, Course: t.Cell(r, "courseCode"), Alternate: oneOf(b, t, r, "kind", "request", "request", "alternate") == "alternate"}
		switch {
		case courses[plan.Course] == nil:
			b.bad(t, r, "courseCode", "no course has the code “%s”", plan.Course)
		case b.summer[plan.Course]:
			b.bad(t, r, "courseCode", "%s is a course of the summer round; a plan is of school years", plan.Course)
		}
		var err error
		switch plan.Grade, err = strconv.Atoi(t.Cell(r, "grade")); {
		case err != nil:
			b.bad(t, r, "grade", "“%s” is not a grade; write a whole number", t.Cell(r, "grade"))
			return
		case plan.Grade <= p.Grade:
			b.bad(t, r, "grade", "is not above the grade entered, %d", p.Grade)
		case rules != nil && plan.Grade > rules.LastGrade:
			b.bad(t, r, "grade", "is above the school's last grade, %d", rules.LastGrade)
		}
		key := place{p.ID, plan.Course, plan.Grade}
		if line, twice := seen[key]; twice {
			b.bad(t, r, "courseCode", "%s is already planned for this grade, on line %d", plan.Course, line)
			return
		}
		seen[key] = r.Line
		p.Plans = append(p.Plans, plan)
	})
	for i := range b.Pupils {
		if p := &b.Pupils[i]; len(p.Plans) > MaxPlan {
			b.bad(t, p.Plans[MaxPlan].Row, "student", "the plan has %d courses; at most %d are judged", len(p.Plans), MaxPlan)
		}
	}
}

// MaxPlan bounds the courses of one student's plan for later years.
const MaxPlan = 600

// Plan is the pupil's plan, by grade, then in file order.
func (p *Pupil) Plan(y *catalog.Year) []sheet.Planned {
	var plan []sheet.Planned
	for _, row := range p.Plans {
		course, _ := y.Index(row.Course)
		plan = append(plan, sheet.Planned{Grade: row.Grade, Course: course, Alternate: row.Alternate})
	}
	slices.SortStableFunc(plan, func(a, b sheet.Planned) int { return cmp.Compare(a.Grade, b.Grade) })
	return plan
}
