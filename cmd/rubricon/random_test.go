package main

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// randomBundle makes a small school in which everything that a bundle can say turns up, with the conditions of its courses.
type randomBundle struct {
	r       *rand.Rand
	easy    bool // nothing bars anybody, and a rule asks for many courses, so that alternates matter
	terms   []string
	codes   []string
	spans   []string // by course
	files   map[string]string
	entries map[string]*plainCondition
	summers []string          // the codes of the summer round, in a wide school
	settle  []*plainCondition // by row of errands.csv
}

func newRandomBundle(t *testing.T, seed uint64) *randomBundle {
	t.Helper()
	b := &randomBundle{r: rand.New(rand.NewPCG(seed, 17)), files: map[string]string{}, entries: map[string]*plainCondition{}}
	b.easy = b.one(3)
	b.terms = []string{"S1", "S2", "S3"}[:1+b.r.IntN(3)]
	rows := [][]string{{"y", "2027-28", "schoolYear", "2027-09-01", "2028-06-30", ""}}
	for i, title := range b.terms {
		rows = append(rows, []string{"t" + title, title, "term", fmt.Sprintf("2027-%02d-01", 9+i), fmt.Sprintf("2027-%02d-28", 9+i), "y"})
	}
	b.write("academicSessions.csv", "sourcedId,title,type,startDate,endDate,parentSourcedId", rows)
	for i := range 5 + b.r.IntN(4) {
		b.codes = append(b.codes, fmt.Sprintf("C%d", i))
	}
	b.r.Shuffle(len(b.codes), func(i, k int) { b.codes[i], b.codes[k] = b.codes[k], b.codes[i] })
	b.courses()
	b.people()
	b.policy(t)
	return b
}

func (b *randomBundle) write(name, header string, rows [][]string) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.WriteAll(append([][]string{strings.Split(header, ",")}, rows...))
	b.files[name] = out.String()
}

// one in n.
func (b *randomBundle) one(n int) bool { return b.r.IntN(n) == 0 }

func (b *randomBundle) pick(list ...string) string { return list[b.r.IntN(len(list))] }

func (b *randomBundle) code() string {
	if k := b.r.IntN(len(b.codes) + len(b.summers)); k >= len(b.codes) {
		return b.summers[k-len(b.codes)]
	} else {
		return b.codes[k]
	}
}

// some gives each other course with a chance of one in n.
func (b *randomBundle) some(but string, n int) string {
	var list []string
	for _, code := range b.codes {
		if code != but && b.one(n) {
			list = append(list, code)
		}
	}
	return strings.Join(list, ",")
}

func (b *randomBundle) courses() {
	rows := [][]string{}
	for i, code := range b.codes {
		span := b.pick("", "year", "any", b.pick(b.terms...), strings.Join(b.terms, "|"), strings.Join(b.terms, "+"))
		b.spans = append(b.spans, span)
		variant, entry := "", ""
		if i > 0 && b.one(6) {
			variant = b.codes[0]
		}
		if !b.easy && b.one(2) {
			c := b.condition(2)
			b.entries[code], entry = c, c.text
		}
		grades, access := b.pick("", "", "10,11", "09"), b.pick("", "open", "open", "invited", "application")
		if b.easy {
			grades, access = "", ""
		}
		rows = append(rows, []string{fmt.Sprint("id", i), "Course " + code, code, grades, b.pick("A", "B", "A,B", "C"), b.pick("", "0.5", "1", "0.25"), span,
			b.pick("", "1", "2", "0.5", "0"), entry, b.pick("", "block", "acknowledge", "advise"), b.some(code, 9), b.some(code, 9), variant, b.pick("", "true", "false"),
			access, b.pick("", "x", "x,z")})
	}
	b.write("courses.csv", "sourcedId,title,courseCode,grades,subjects,metadata.credits,metadata.span,metadata.load,metadata.entry,metadata.entryStance,metadata.links,"+
		"metadata.excludes,metadata.variantOf,metadata.repeatable,metadata.access,metadata.tags", rows)
	rows = [][]string{}
	for k := range 2 + b.r.IntN(8) {
		i := b.r.IntN(len(b.codes))
		terms := "y"
		switch span := b.spans[i]; {
		case span == "any" || strings.Contains(span, "|"):
			terms = "t" + b.pick(b.terms...)
		case len(span) == 2:
			terms = "t" + span
		case span != "" && b.one(2):
			terms = "t" + strings.Join(b.terms, ",t")
		}
		rows = append(rows, []string{fmt.Sprint("k", k), "Section", fmt.Sprint("id", i), b.pick("scheduled", "homeroom"), "o", terms, b.pick("", "1", "2", "1", "2", "1,2"),
			b.pick("", "1", "2", "1,2"), b.pick("0", "1", "1", "1", "2")})
	}
	b.write("classes.csv", "sourcedId,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats", rows)
}

// condition makes one at most so deep, in canonical text as far as its leaves go.
func (b *randomBundle) condition(depth int) *plainCondition {
	if depth == 0 || b.one(2) {
		leaf := [][]string{{"passed", b.pick(b.code(), "OLD")}, {"passed", b.code(), "70"}, {"alongside", b.code()}, {"grade", b.pick("9", "10", "11")},
			{"score", "test", "50"}, {"recommended"}, {"permission", "form"}, {"program", "band"}, {"credits", "A", b.pick("0.5", "1")}}[b.r.IntN(9)]
		text := strings.Join(leaf, " ")
		if len(leaf) == 3 {
			text = leaf[0] + " " + leaf[1] + " at " + leaf[2]
		}
		return &plainCondition{leaf: leaf, text: text}
	}
	c := &plainCondition{}
	var texts []string
	for range 2 + b.r.IntN(2) {
		part := b.condition(depth - 1)
		c.parts = append(c.parts, part)
		if texts = append(texts, part.text); part.leaf == nil {
			texts[len(texts)-1] = "(" + part.text + ")"
		}
	}
	switch b.r.IntN(3) {
	case 0:
		c.text, c.count = strings.Join(texts, " and "), len(texts)
	case 1:
		c.text, c.count = strings.Join(texts, " or "), 1
	default:
		c.count = 1 + b.r.IntN(len(texts))
		c.text = fmt.Sprintf("%d of (%s)", c.count, strings.Join(texts, ", "))
	}
	return c
}

func (b *randomBundle) people() {
	var users, requests, records, signals [][]string
	for i := range 1 + b.r.IntN(4) {
		id := fmt.Sprint("s", i)
		users = append(users, []string{id, "true", "o", "student", "u" + id, "G", "F", b.pick("08", "09", "10"), b.pick("", "band", "band,chess"), b.pick("", "", "", "11")})
		order := slices.Clone(b.codes)
		b.r.Shuffle(len(order), func(i, k int) { order[i], order[k] = order[k], order[i] })
		most := 5
		for _, code := range order[:b.r.IntN(len(order)+1)] {
			kind := "request"
			if most == 0 || b.one(3) {
				kind = "alternate"
			} else {
				most--
			}
			standsFor := ""
			if kind == "alternate" {
				standsFor = b.pick("", "", b.code())
			}
			requests = append(requests, []string{id, code, kind, b.pick("1", "2", "3", "4", "25"), standsFor})
		}
		for range b.r.IntN(5) {
			records = append(records, []string{id, b.pick(b.code(), b.code(), "OLD"), b.pick("A", "B", "A,C"), b.pick("2024-25", "2025-26", "2026-27"), b.pick("0", "0.5", "1", "0.25"),
				b.pick("", "60", "70", "95.5"), b.pick("earned", "inProgress", "failed", "withdrawn", "transfer")})
		}
		for range b.r.IntN(6) {
			s := []string{id, b.pick("recommendation", "placement", "permission", "waiver", "assignment", "claim", "claim", "score", "exemption"), b.code(), "", "", b.pick("k1", "")}
			switch s[1] {
			case "permission":
				s[2], s[3] = b.pick(s[2], ""), "form"
			case "assignment":
				s[4] = b.pick("0", "1")
			case "claim":
				s[2], s[3] = b.pick(s[2], "OLD", ""), b.pick("", "test", "form", "band", "A", "recommended")
			case "score":
				s[3], s[4] = "test", b.pick("49", "50", "60")
			case "exemption":
				s[2], s[3] = "", b.pick("r0", "r1", "r2", "list/e0", "list/e1")
			}
			signals = append(signals, s)
		}
	}
	b.r.Shuffle(len(requests), func(i, k int) { requests[i], requests[k] = requests[k], requests[i] })
	b.write("users.csv", "sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,grades,metadata.programs,metadata.nextGrade", users)
	b.write("requests.csv", "student,courseCode,kind,rank,standsFor", requests)
	b.write("records.csv", "student,courseCode,subject,schoolYear,credits,mark,outcome", records)
	b.write("signals.csv", "student,kind,courseCode,name,value,by", signals)
}

func (b *randomBundle) selection() any {
	m := map[string]any{}
	switch b.r.IntN(6) {
	case 0:
		return "all"
	case 1:
		return "group:g"
	case 2:
		m["tags"] = []string{"x"}
	case 3:
		m["courses"] = []string{b.code(), "OLD"}
	case 4:
		m["subjects"], m["tags"] = []string{b.pick("A", "B")}, []string{"z"}
	}
	if b.one(3) {
		m["not"] = map[string]any{"subjects": []string{b.pick("A", "C")}}
	}
	return m
}

// count makes a count with a bound.
func (b *randomBundle) count() map[string]any {
	c := map[string]any{"of": b.selection(), "on": b.pick("requests", "requests", "alternates", "both", "earned", "taken"), "measure": b.pick("courses", "credits", "load")}
	if c["on"] == "earned" || c["on"] == "taken" {
		c["measure"] = b.pick("courses", "credits")
	} else if b.one(3) {
		c["term"] = b.pick(b.terms...)
	}
	if b.one(4) {
		c["max"] = []float64{1, 1.5, 3}[b.r.IntN(3)]
	}
	if c["max"] == nil || b.one(2) {
		c["min"] = []float64{0, 0.5, 1}[b.r.IntN(3)]
	}
	return c
}

func (b *randomBundle) policy(t *testing.T) {
	t.Helper()
	var rules, entries []map[string]any
	if b.easy {
		rules = append(rules, map[string]any{"id": "many", "measure": b.pick("courses", "credits"), "min": []float64{1, 1.5, 2, 2.5, 3}[b.r.IntN(5)]})
	}
	for i := range b.r.IntN(5) {
		rule := b.count()
		rule["id"], rule["stance"] = fmt.Sprint("r", i), b.pick("block", "block", "acknowledge", "advise")
		if b.one(4) {
			rule["grades"] = []int{9 + b.r.IntN(3)}
		}
		if b.one(5) {
			rule["programs"] = []string{"band"}
		}
		if b.one(4) {
			rule["when"] = b.count()
		}
		rules = append(rules, rule)
	}
	for i := range 1 + b.r.IntN(4) {
		e := map[string]any{"id": fmt.Sprint("e", i), "credits": []float64{0, 0.5, 1, 2}[b.r.IntN(4)], "of": b.selection()}
		if b.one(3) {
			e["each"] = 0.5
		}
		if b.one(3) {
			e["by"] = 9 + b.r.IntN(3)
		}
		entries = append(entries, e)
	}
	text, err := json.Marshal(map[string]any{"schoolYear": "2027-28", "periods": 2, "days": 2, "firstGrade": 9,
		"groups": map[string]any{"g": map[string]any{"subjects": []string{"B"}, "courses": []string{b.code()}}},
		"rules":  rules, "audits": []any{map[string]any{"id": "list", "entries": entries}, map[string]any{"id": "none", "entries": []any{}}}})
	if err != nil {
		t.Fatal(err)
	}
	b.files["policy.json"] = string(text)
}
