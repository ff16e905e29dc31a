package sheet

import (
	"cmp"
	"slices"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/core/credit"
	"rubricon/core/policy"
)

// Only is a course without which a student cannot answer a rule.
type Only struct {
	Rule   int
	Course int32
}

// Only lists, by rule and course, what is not requested and without which a rule that must hold and lacks
// something cannot hold: all other courses that it counts and this student may take together do not reach its
// minimum.
func (f *Facts) Only(s *Sheet) []Only {
	return f.necessary(s, func(d *desk, r *catalog.Rule, measured credit.Amount, course int32) bool {
		return measured < *r.Min && d.place[course] != requested && !d.repeats(course)
	})
}

// Sole lists, by rule and course, the requests without which a rule that must hold could not hold.
func (f *Facts) Sole(s *Sheet) []Only {
	return f.necessary(s, func(d *desk, _ *catalog.Rule, _ credit.Amount, course int32) bool {
		return d.place[course] == requested
	})
}

// necessary lists the courses, of those of the year that a student has requested or may take, without which a
// rule cannot hold.
func (f *Facts) necessary(s *Sheet, wanted func(d *desk, r *catalog.Rule, measured credit.Amount, course int32) bool) (list []Only) {
	d := f.borrowDesk()
	defer d.giveBack()
	if d.layOut(s) != nil {
		return nil
	}
	var families []family
	for i := range f.Year.Rules {
		r := &f.Year.Rules[i]
		if r.Stance != policy.Block || r.Min == nil || r.On == policy.Alternates || r.On == policy.Summer ||
			r.On == policy.Earned || !d.inForce(i) {
			continue
		}
		measured, _ := d.rule(i)
		base := measured
		for k, course := range d.requests {
			if r.Count.Has(course) && !d.countedOnRecord(&r.Count, course) {
				base -= d.weigh(&r.Count, course, d.packer.spans[k])
			}
		}
		if families = d.couldAnswer(families, r, base); families == nil {
			continue
		}
		most := base
		for _, fam := range families {
			most += fam.most
		}
		if most < *r.Min {
			continue // it cannot hold at all
		}
		for k := range families {
			fam := &families[k]
			for at, course := range fam.courses {
				rest := slices.Delete(slices.Clone(fam.courses), at, at+1)
				if most-fam.most+d.heaviest(&r.Count, rest) < *r.Min && wanted(d, r, measured, course) {
					list = append(list, Only{i, course})
				}
			}
		}
	}
	slices.SortFunc(list, func(a, b Only) int { return cmp.Or(cmp.Compare(a.Rule, b.Rule), cmp.Compare(a.Course, b.Course)) })
	return list
}

// family is a course with its variants, as far as they could answer a rule: one of them counts, the heaviest at most.
type family struct {
	head    int32
	courses []int32
	most    credit.Amount
}

// couldAnswer gathers the courses of the year that a rule counts and that are requested or may be taken; nil
// as soon as there is so much that it can do without any one of them. Base is what it has of everything else.
func (d *desk) couldAnswer(list []family, r *catalog.Rule, base credit.Amount) []family {
	list = list[:0]
	most, biggest := base, credit.Amount(0)
	for k := range d.Year.Courses {
		course := int32(k)
		if d.Year.Courses[k].Summer || !r.Count.Has(course) || d.place[k] != requested && !d.mayTake(course) ||
			d.countedOnRecord(&r.Count, course) {
			continue
		}
		head := d.head(course)
		at := slices.IndexFunc(list, func(f family) bool { return f.head == head })
		if at < 0 {
			at = len(list)
			list = append(list, family{head: head})
		}
		fam := &list[at]
		fam.courses = append(fam.courses, course)
		more := max(0, d.heaviest(&r.Count, fam.courses[len(fam.courses)-1:])-fam.most)
		fam.most += more
		most += more
		if biggest = max(biggest, fam.most); most-biggest >= *r.Min {
			return nil
		}
	}
	return list
}

// head is the course of which a course is a variant, or itself.
func (f *Facts) head(course int32) int32 {
	if head, ok := f.Year.Index(f.Year.Courses[course].VariantOf); ok {
		return head
	}
	return course
}

// heaviest is the most that one of some courses can add to a count, whenever it is taken.
func (d *desk) heaviest(c *catalog.Count, courses []int32) (most credit.Amount) {
	for _, course := range courses {
		for _, span := range d.Year.Courses[course].Spans {
			most = max(most, d.weigh(c, course, span))
		}
	}
	return most
}

// mayTake reports whether the student could request a course, or could if a person confirmed what they claim.
func (d *desk) mayTake(course int32) bool {
	if d.Barred(course) || !d.Year.Courses[course].Repeatable && d.AlreadyEarned(course) {
		return false
	}
	verdict, has, _ := d.entry(course)
	return !d.blocked(course) || has && verdict == condition.Unverified
}
