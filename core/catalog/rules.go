package catalog

import (
	"slices"
	"strings"

	"rubricon/core/policy"
)

// Commitment is a compiled commitment.
type Commitment struct {
	*policy.Commitment
	When *Count
}

func (y *Year) selection(s policy.Selection) *Selection {
	compiled := &Selection{source: y.Policy.Resolve(s), bits: make([]uint64, len(y.Courses)/64+1)}
	for i := range y.Courses {
		c := &y.Courses[i]
		if compiled.source.Matches(c.Code, c.Subjects, c.Tags) {
			compiled.bits[i>>6] |= 1 << (uint(i) & 63)
		}
	}
	return compiled
}

func (y *Year) count(c *policy.Count) (Count, bool) {
	compiled := Count{Selection: y.selection(c.Of), On: c.On, Measure: c.Measure, Term: -1, Min: c.Min, Max: c.Max}
	if c.Term == "" {
		return compiled, true
	}
	for i, name := range y.Terms {
		if name == c.Term {
			compiled.Term = i
		}
	}
	return compiled, compiled.Term >= 0
}

func (y *Year) compilePolicy() (errs []error) {
	rules := func(sources []policy.Rule) (list []Rule) {
		for i := range sources {
			source := &sources[i]
			rule := Rule{Rule: source}
			var ok bool
			if rule.Count, ok = y.count(&source.Count); !ok {
				errs = append(errs, &ReferenceError{Rule: source.ID, Field: "term", What: "“" + source.Term + "” is not a term of the school year"})
			}
			if source.When != nil {
				when, ok := y.count(source.When)
				if !ok {
					errs = append(errs, &ReferenceError{Rule: source.ID, Field: "when.term",
						What: "“" + source.When.Term + "” is not a term of the school year"})
				}
				rule.When = &when
			}
			list = append(list, rule)
		}
		return list
	}
	y.Rules = rules(y.Policy.Rules)
	for i := range y.Policy.Commitments {
		c := Commitment{Commitment: &y.Policy.Commitments[i]}
		if c.Commitment.When != nil {
			when, ok := y.count(c.Commitment.When)
			if c.When = &when; !ok {
				errs = append(errs, &ReferenceError{Commitment: c.ID, Field: "when.term",
					What: "“" + c.Commitment.When.Term + "” is not a term of the school year"})
			}
		}
		y.Commitments = append(y.Commitments, c)
	}
	if y.Policy.Fill != nil {
		y.Fill = rules(y.Policy.Fill.Rules)
	}
	for i := range y.Policy.Audits {
		audit := Audit{Audit: &y.Policy.Audits[i]}
		for j := range audit.Entries {
			audit.Of = append(audit.Of, y.selection(audit.Entries[j].Of))
		}
		y.Audits = append(y.Audits, audit)
	}
	return errs
}

func (y *Year) compileErrands(errands []Errand) (errs []error) {
	for i := range errands {
		e := CompiledErrand{Errand: &errands[i]}
		unknown := func(field, what string) {
			errs = append(errs, &ReferenceError{Errand: i + 1, Field: field, What: what})
		}
		resolve := func(field, code string) int32 {
			course, ok := y.Index(code)
			if !ok {
				unknown(field, "no course has the code "+code)
			}
			return course
		}
		e.Course = resolve("courseCode", e.Errand.Course)
		for _, code := range e.Errand.Becomes {
			e.Becomes = append(e.Becomes, resolve("becomes", code))
		}
		e.SettledBy = y.bind(e.Errand.SettledBy, func(name string) { unknown("settledBy", "“"+name+"” is not a mark of the policy") })
		y.Errands = append(y.Errands, e)
	}
	return errs
}

// Exempts reports whether an exemption of a name would be from something: a rule, by its id, or an entry of a
// list of requirements, as AUDIT/ENTRY.
func (y *Year) Exempts(name string) bool {
	audit, entry, ofList := strings.Cut(name, "/")
	if !ofList {
		return slices.ContainsFunc(y.Policy.Rules, func(r policy.Rule) bool { return r.ID == name })
	}
	for i := range y.Policy.Audits {
		if a := &y.Policy.Audits[i]; a.ID == audit && slices.ContainsFunc(a.Entries, func(e policy.Requirement) bool { return e.ID == entry }) {
			return true
		}
	}
	return false
}
