package policy

import (
	"encoding/json"
	"fmt"
	"slices"

	"rubricon/core/credit"
)

func (r *reader) rules(top object) {
	seen := map[string]bool{}
	for i, raw := range r.list(top, "rules", MaxRules) {
		if rule, ok := r.rule(raw, "rules", i, seen); ok {
			r.out.Rules = append(r.out.Rules, rule)
		}
	}
}

// named reads an object with an id, at a place of a list of that name; its path has the id where there is one.
func (r *reader) named(raw json.RawMessage, list string, place int, seen map[string]bool,
	id *string) (o object, line int, path string, ok bool) {
	line, path = r.line(raw), fmt.Sprintf("%s.%d", list, place+1)
	if json.Unmarshal(raw, &o) != nil {
		r.bad(line, path, "must be an object")
		return nil, line, path, false
	}
	if r.get(o, line, path+".", "id", id, "a text"); *id == "" {
		r.bad(line, path+".id", "is missing")
	} else {
		path = list + "." + *id
	}
	if seen[*id] {
		r.bad(line, path, "the id is used twice")
	}
	seen[*id] = true
	return o, line, path, true
}

// rule reads the rule at a place of a list of that name.
func (r *reader) rule(raw json.RawMessage, list string, place int, seen map[string]bool) (rule Rule, ok bool) {
	o, line, path, ok := r.named(raw, list, place, seen, &rule.ID)
	if !ok {
		return rule, false
	}
	r.only(o, line, path+".", append([]string{"id", "label", "grades", "programs", "stance", "when"}, countKeys...)...)
	rule.Stance = Block
	rule.Label, rule.Labels = r.label(o, line, path, rule.ID)
	rule.Count = r.count(o, line, path)
	r.get(o, line, path+".", "grades", &rule.Grades, "a list of whole numbers")
	r.get(o, line, path+".", "programs", &rule.Programs, "a list of texts")
	if r.get(o, line, path+".", "stance", &rule.Stance, "block, acknowledge or advise") {
		switch rule.Stance {
		case Block, Acknowledge, Advise:
		default:
			r.bad(line, path+".stance", "“%s” is not one of block, acknowledge, advise", rule.Stance)
		}
	}
	rule.When = r.when(o, line, path)
	return rule, true
}

// fillOf reads what a choice of sections must come to.
func (r *reader) fillOf(top object) {
	var o object
	if !r.get(top, 1, "", "fill", &o, "an object with periods and rules") {
		return
	}
	r.fill = true
	defer func() { r.fill = false }()
	line := r.line(top["fill"])
	r.only(o, line, "fill.", "periods", "rules")
	fill := &Fill{Periods: r.periods(o, line, "fill")}
	slices.Sort(fill.Periods)
	fill.Periods = slices.Compact(fill.Periods)
	var list []json.RawMessage
	if r.get(o, line, "fill.", "rules", &list, "a list"); len(list) > MaxRules {
		r.bad(line, "fill.rules", "has %d items; at most %d are allowed", len(list), MaxRules)
		list = nil
	}
	seen := map[string]bool{}
	for i, raw := range list {
		rule, ok := r.rule(raw, "fill.rules", i, seen)
		if ok && rule.On != Sections {
			r.bad(r.line(raw), "fill.rules."+rule.ID+".on", "must be sections, or left out; a when may be on something else")
		}
		fill.Rules = append(fill.Rules, rule)
	}
	r.out.Fill = fill
}

// periods reads a list of periods of the day.
func (r *reader) periods(o object, line int, path string) (list []int) {
	if r.get(o, line, path+".", "periods", &list, "a list of whole numbers") {
		for _, period := range list {
			if period < 1 || period > r.out.Periods {
				r.bad(line, path+".periods", "%d is not a period from 1 to %d", period, r.out.Periods)
			}
		}
	}
	return list
}

// when reads the count on which something depends; nil: it always holds.
func (r *reader) when(o object, line int, path string) *Count {
	var when object
	if !r.get(o, line, path+".", "when", &when, "an object") {
		return nil
	}
	r.only(when, line, path+".when.", countKeys...)
	count := r.count(when, line, path+".when")
	if count.Min == nil && count.Max == nil {
		r.bad(line, path+".when", "needs a min or a max")
	}
	return &count
}

// label reads what something is called; without a label that is its id.
func (r *reader) label(o object, line int, path, id string) (own string, by map[string]string) {
	var t Text
	if r.words(o, line, path+".", "label", &t); t.Own == "" {
		t.Own = id
	}
	return t.Own, t.By
}

// countKeys are those that say what is counted, and how much there must be of it.
var countKeys = []string{"of", "on", "measure", "term", "min", "max"}

func (r *reader) count(o object, line int, path string) Count {
	c := Count{On: Requests, Measure: Courses}
	if r.fill {
		c.On = Sections
	}
	c.Of = r.selection(o["of"], line, path+".of")
	if r.get(o, line, path+".", "on", &c.On, "a text") {
		switch c.On {
		case Requests, Alternates, Both, Earned, Taken, Summer:
		case Sections:
			if !r.fill {
				r.bad(line, path+".on", "sections can only be counted in fill")
			}
		default:
			r.bad(line, path+".on", "“%s” is not one of requests, alternates, both, earned, taken, summer", c.On)
		}
	}
	if r.get(o, line, path+".", "measure", &c.Measure, "a text") {
		switch c.Measure {
		case Courses, InCred, Load:
		default:
			r.bad(line, path+".measure", "“%s” is not one of courses, credits, load", c.Measure)
		}
	}
	if r.get(o, line, path+".", "term", &c.Term, "a term's title") && c.Term == "" {
		r.bad(line, path+".term", "is empty; leave it out to count the whole year")
	}
	if c.On == Earned || c.On == Taken || c.On == Summer || c.On == Sections {
		if c.Measure == Load {
			r.bad(line, path+".measure", "load cannot be counted on %s", c.On)
		}
		if c.Term != "" && c.On != Sections {
			r.bad(line, path+".term", "cannot be given with on %s", c.On)
		}
	}
	var low, high credit.Amount
	if r.get(o, line, path+".", "min", &low, "a number") {
		c.Min = &low
	}
	if r.get(o, line, path+".", "max", &high, "a number") {
		c.Max = &high
	}
	return c
}

func (r *reader) audits(top object) {
	seen := map[string]bool{}
	for i, raw := range r.list(top, "audits", MaxAudits) {
		audit := Audit{}
		o, line, path, ok := r.named(raw, "audits", i, seen, &audit.ID)
		if !ok {
			continue
		}
		r.only(o, line, path+".", "id", "label", "entries")
		audit.Label, audit.Labels = r.label(o, line, path, audit.ID)
		var entries []json.RawMessage
		r.get(o, line, path+".", "entries", &entries, "a list")
		if len(entries) > MaxEntries {
			r.bad(line, path+".entries", "has %d items; at most %d are allowed", len(entries), MaxEntries)
			entries = nil
		}
		inList := map[string]bool{}
		for j, raw := range entries {
			if entry, ok := r.entry(raw, path, j, inList); ok {
				audit.Entries = append(audit.Entries, entry)
			}
		}
		r.out.Audits = append(r.out.Audits, audit)
	}
}

func (r *reader) entry(raw json.RawMessage, audit string, place int, seen map[string]bool) (e Requirement, ok bool) {
	o, line, path, ok := r.named(raw, audit, place, seen, &e.ID)
	if !ok {
		return e, false
	}
	r.only(o, line, path+".", "id", "label", "credits", "of", "each", "by")
	e.Label, e.Labels = r.label(o, line, path, e.ID)
	if !r.get(o, line, path+".", "credits", &e.Credits, "a number") {
		r.missing(o, line, path+".", "credits")
	}
	if e.Credits < 0 {
		r.bad(line, path+".credits", "must not be negative")
	}
	e.Of = r.selection(o["of"], line, path+".of")
	var each credit.Amount
	if r.get(o, line, path+".", "each", &each, "a number") {
		if e.Each = &each; !r.hasFirstGrade {
			r.bad(line, path+".each", "needs the policy's firstGrade, the grade in which the years begin")
		}
	}
	var by int
	if r.get(o, line, path+".", "by", &by, "a whole number, a grade") {
		e.By = &by
	}
	return e, true
}
