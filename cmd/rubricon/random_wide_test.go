package main

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// newWideBundle makes a random school that also has marks with names, a summer round, plans, errands, chosen sections and attendance.
func newWideBundle(t *testing.T, seed uint64) *randomBundle {
	t.Helper()
	b := newRandomBundle(t, seed)
	b.r = rand.New(rand.NewPCG(seed, 23))
	for i := range b.r.IntN(3) {
		b.summers = append(b.summers, fmt.Sprint("Z", i))
	}
	b.wideCourses(t)
	b.widePeople(t)
	b.widePolicy(t)
	return b
}

// edit changes a file row by row and adds rows and columns at the end.
func (b *randomBundle) edit(t *testing.T, name, columns string, each func(cells []string) []string, more [][]string) {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(b.files[name])).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for i := range rows[1:] {
		rows[1+i] = each(rows[1+i])
	}
	b.write(name, strings.Join(rows[0], ",")+columns, append(rows[1:], more...))
}

func (c *plainCondition) replace(old, new string) {
	c.text = strings.ReplaceAll(c.text, " at "+old, " at "+new)
	if len(c.leaf) == 3 && c.leaf[0] == "passed" {
		c.leaf[2] = strings.ReplaceAll(strings.Trim(strings.ReplaceAll(c.leaf[2], old, new), `"`), `"`, "")
	}
	for _, part := range c.parts {
		part.replace(old, new)
	}
}

func (b *randomBundle) wideCourses(t *testing.T) {
	entry := func(code string) string {
		if b.one(2) {
			b.entries[code] = b.condition(2)
		}
		c := b.entries[code]
		if c == nil {
			return ""
		}
		if b.one(2) {
			c.replace("70", b.pick("B", `"B+"`))
		}
		return c.text
	}
	more := [][]string{}
	for i, code := range b.summers {
		variant := ""
		if b.one(6) {
			variant = b.codes[0]
		}
		more = append(more, []string{fmt.Sprint("idz", i), "Summer " + code, code, b.pick("", "10,11", "09"), b.pick("A", "B", "A,B"), b.pick("", "0.5", "1"), "", b.pick("", "1"),
			entry(code), b.pick("", "block", "advise"), "", b.some(code, 4), variant, b.pick("", "true"), b.pick("", "invited"), b.pick("", "x"), "summer"})
	}
	b.edit(t, "courses.csv", ",metadata.round", func(c []string) []string {
		if !b.easy {
			c[8] = entry(c[2])
		}
		if len(b.summers) > 0 && b.one(4) {
			c[11] = strings.Trim(c[11]+","+b.pick(b.summers...), ",")
		}
		return append(c, b.pick("", "year"))
	}, more)
	classes := [][]string{}
	for i := range b.summers {
		classes = append(classes, []string{fmt.Sprint("kz", i), "Summer section", fmt.Sprint("idz", i), "scheduled", "o", "none of the year", "", "", "x"})
	}
	b.edit(t, "classes.csv", "", func(c []string) []string { return c }, classes)
	rows := [][]string{}
	for range b.r.IntN(6) {
		var c *plainCondition
		text := ""
		if b.one(2) {
			c = b.condition(1)
			text = c.text
		}
		b.settle = append(b.settle, c)
		rows = append(rows, []string{b.code(), b.pick("test", "form", "audition"), "Do it", b.pick("", "2027-05-12", "2027-05-12T09:30", "2027-04-01"), text, b.pick("", "", b.code()+", "+b.code())})
	}
	if b.one(5) {
		return
	}
	b.write("errands.csv", "courseCode,kind,title,due,settledBy,becomes", rows)
}

func (b *randomBundle) widePeople(t *testing.T) {
	users, err := csv.NewReader(strings.NewReader(b.files["users.csv"])).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	classes, err := csv.NewReader(strings.NewReader(b.files["classes.csv"])).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	var summer, plans, enrollments, attendance, signals [][]string
	dates := []string{"", "2027-09-01", "2027-09-03", "2027-09-06", "2027-09-11", "2027-09-15", "2027-10-01", "2027-10-04", "2027-10-29", "2027-11-02"}
	for _, u := range users[1:] {
		id := u[0]
		for _, code := range b.summers {
			if b.one(2) {
				summer = append(summer, []string{id, code, "request", b.pick("1", "2", "3"), ""})
			}
		}
		seen := map[string]bool{}
		for range b.r.IntN(7) {
			code, grade := b.codes[b.r.IntN(len(b.codes))], b.pick("12", "13")
			if seen[code+grade] {
				continue
			}
			seen[code+grade] = true
			plans = append(plans, []string{id, grade, code, b.pick("", "request", "alternate")})
		}
		for range b.r.IntN(6) {
			class := classes[1+b.r.IntN(len(classes)-1)][0]
			role := "student"
			if b.one(8) {
				role = "teacher"
			}
			enrollments = append(enrollments, []string{fmt.Sprint("e", len(enrollments)), class, "o", id, role, b.pick(dates...), b.pick(dates...)})
			if b.one(2) {
				attendance = append(attendance, []string{id, class, b.pick(dates[1:]...), b.pick("present", "late")})
			}
		}
		if b.one(2) {
			signals = append(signals, []string{id, "errand", b.code(), b.pick("test", "form"), "", "k1"})
		}
		if b.one(2) {
			signals = append(signals, []string{id, "placement", b.code(), "", "", "k1"})
		}
	}
	b.r.Shuffle(len(enrollments), func(i, k int) { enrollments[i], enrollments[k] = enrollments[k], enrollments[i] })
	same := func(c []string) []string { return c }
	b.edit(t, "requests.csv", "", same, summer)
	b.edit(t, "signals.csv", "", same, signals)
	b.edit(t, "records.csv", "", func(c []string) []string {
		if c[5] != "" && b.one(2) {
			c[5] = b.pick("B", "B+", " P ")
		}
		return c
	}, nil)
	if !b.one(4) {
		b.write("plans.csv", "student,grade,courseCode,kind", plans)
	}
	b.write("enrollments.csv", "sourcedId,classSourcedId,schoolSourcedId,userSourcedId,role,beginDate,endDate", enrollments)
	b.write("attendance.csv", "student,classSourcedId,date,mark", attendance)
}

func (b *randomBundle) widePolicy(t *testing.T) {
	var policy map[string]any
	if err := json.Unmarshal([]byte(b.files["policy.json"]), &policy); err != nil {
		t.Fatal(err)
	}
	policy["marks"] = map[string]float64{"B": 70, "B+": 80.5, "P": 60}
	policy["lastGrade"] = 13
	policy["holidays"] = []string{"2027-09-03", "2027-10-04"}
	policy["settings"] = map[string]any{"summerCounts": b.one(2)}
	summer := map[string]any{"id": "summer", "on": "summer", "of": b.selection(), "measure": b.pick("courses", "credits"), "stance": b.pick("block", "advise"), "max": b.r.IntN(2)}
	rules, _ := policy["rules"].([]any)
	if b.one(2) {
		rules = append(rules, summer)
	}
	if len(rules) > 0 && b.one(3) {
		rules[0].(map[string]any)["when"] = map[string]any{"on": "summer", "min": 1}
	}
	policy["rules"] = rules
	if !b.one(4) {
		var fill []any
		for i := range b.r.IntN(3) {
			rule := b.count()
			delete(rule, "on")
			rule["id"], rule["measure"], rule["stance"] = fmt.Sprint("r", i), b.pick("courses", "credits"), b.pick("block", "advise")
			if of, ok := rule["of"].(map[string]any); ok && b.one(2) {
				of["periods"] = []int{1 + b.r.IntN(2)}
				if not, ok := of["not"].(map[string]any); ok {
					not["periods"] = []int{1 + b.r.IntN(2)}
				}
			}
			if b.one(3) {
				rule["when"] = b.count()
				if b.one(2) {
					rule["when"] = map[string]any{"of": map[string]any{"periods": []int{2}}, "min": 1}
				}
			}
			fill = append(fill, rule)
		}
		policy["fill"] = map[string]any{"periods": slices.Clone([]int{2, 1, 2}[:b.r.IntN(4)]), "rules": fill}
		if fill == nil {
			delete(policy["fill"].(map[string]any), "rules")
		}
	}
	text, err := json.Marshal(policy)
	if err != nil {
		t.Fatal(err)
	}
	b.files["policy.json"] = string(text)
}
