package policy

import (
	"maps"
	"slices"
)

// Part is something of a policy: its kind is rule, audit, entry, commitment, group, fill, stage, welcome,
// contact, mark or holiday.
type Part struct {
	Kind  string
	Label string // as people know it
}

// Removed lists the parts of a policy that another one has no longer, in the order of the policy.
func Removed(was, now *Policy) (list []Part) {
	list = append(list, gone("rule", was.Rules, now.Rules, func(r Rule) (string, string) { return r.ID, r.Label })...)
	list = append(list, gone("audit", was.Audits, now.Audits, func(a Audit) (string, string) { return a.ID, a.Label })...)
	for _, a := range was.Audits {
		if at := slices.IndexFunc(now.Audits, func(b Audit) bool { return b.ID == a.ID }); at >= 0 {
			list = append(list, gone("entry", a.Entries, now.Audits[at].Entries,
				func(e Requirement) (string, string) { return e.ID, a.Label + ": " + e.Label })...)
		}
	}
	list = append(list, gone("commitment", was.Commitments, now.Commitments,
		func(c Commitment) (string, string) { return c.ID, c.Text.Own })...)
	list = append(list, gone("group", slices.Sorted(maps.Keys(was.Groups)), slices.Sorted(maps.Keys(now.Groups)), same)...)
	if was.Fill != nil && now.Fill == nil {
		list = append(list, Part{Kind: "fill"})
	} else if was.Fill != nil {
		list = append(list, gone("rule", was.Fill.Rules, now.Fill.Rules, func(r Rule) (string, string) { return r.ID, r.Label })...)
	}
	list = append(list, gone("stage", was.Settings.Stages, now.Settings.Stages,
		func(s Stage) (string, string) { return s.From, s.Text.Own })...)
	list = append(list, gone("welcome", was.Welcome, now.Welcome, func(w Welcome) (string, string) { return w.Text.Own, w.Text.Own })...)
	list = append(list, gone("contact", was.Settings.Contacts, now.Settings.Contacts,
		func(c Contact) (string, string) { return c.For + c.Name, c.Name })...)
	list = append(list, gone("mark", slices.Sorted(maps.Keys(was.Marks)), slices.Sorted(maps.Keys(now.Marks)), same)...)
	return append(list, gone("holiday", was.Holidays, now.Holidays, same)...)
}

func same(text string) (key, label string) { return text, text }

// gone lists the items of a list whose keys another one has not.
func gone[T any](kind string, was, now []T, of func(T) (key, label string)) (list []Part) {
	there := map[string]bool{}
	for _, x := range now {
		key, _ := of(x)
		there[key] = true
	}
	for _, x := range was {
		if key, label := of(x); !there[key] {
			list = append(list, Part{kind, label})
		}
	}
	return list
}
