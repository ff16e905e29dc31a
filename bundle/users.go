package bundle

import (
	"rubricon/core/sheet"
)

// User is a person of the school. Grade is the one a student enters.
type User struct {
	Row        *Row
	ID         string
	Role       string
	Enabled    bool
	Username   string
	GivenName  string
	FamilyName string
	Email      string
	Agents     []string
	Counselor  string
	Language   string
	Password   string
	Programs   []string
	Grade      int
}

// Pupil is a student with all that the bundle says of them; Requests are in file order.
type Pupil struct {
	*User
	Student  sheet.Student
	Requests []Request
	Plans    []Plan // in file order
}

func (b *Bundle) users() {
	t := b.Tables["users.csv"]
	ids := map[string]int{}
	t.each(func(r *Row) {
		if !b.needed(t, r, "sourcedId", "role", "username", "givenName", "familyName") || !b.unique(t, r, "sourcedId", ids) {
			return
		}
		u := User{Row: r, ID: t.Cell(r, "sourcedId"), Username: t.Cell(r, "username"), GivenName: t.Cell(r, "givenName"),
			FamilyName: t.Cell(r, "familyName"),
			Email:      t.Cell(r, "email"), Agents: list(t.Cell(r, "agentSourcedIds")), Counselor: t.Cell(r, "metadata.counselor"),
			Language: t.Cell(r, "metadata.language"), Password: t.Cell(r, "password"), Programs: list(t.Cell(r, "metadata.programs"))}
		u.Role = oneOf(b, t, r, "role", "", "student", "guardian", "parent", "relative", "teacher", "administrator", "aide", "proctor")
		u.Enabled = oneOf(b, t, r, "enabledUser", "true", "true", "false") == "true"
		if u.Role == "student" {
			u.Grade = b.gradeEntered(t, r)
		}
		b.Users = append(b.Users, u)
	})
	for i := range b.Users {
		if u := &b.Users[i]; u.Role == "student" {
			b.Pupils = append(b.Pupils, Pupil{User: u, Student: sheet.Student{ID: u.ID, Grade: u.Grade, Programs: u.Programs}})
		}
	}
}

func (b *Bundle) gradeEntered(t *Table, r *Row) int {
	if next := t.Cell(r, "metadata.nextGrade"); next != "" {
		g, ok := parseGrade(next)
		if !ok {
			b.bad(t, r, "metadata.nextGrade", "“%s” is not a grade; write KG or a number such as 09", next)
		}
		return g
	}
	before := len(b.Problems)
	grades := b.grades(t, r, "grades")
	if len(grades) == 0 {
		if len(b.Problems) == before {
			b.bad(t, r, "grades", "is empty; a student needs it, or metadata.nextGrade")
		}
		return 0
	}
	highest := grades[0]
	for _, g := range grades {
		highest = max(highest, g)
	}
	return highest + 1
}

// students finds, for a file with a student column, the student of each row; other rows are bad, those of
// students to be deleted are passed over.
func (b *Bundle) students(t *Table, visit func(r *Row, p *Pupil)) {
	byID := make(map[string]*Pupil, len(b.Pupils))
	for i := range b.Pupils {
		byID[b.Pupils[i].ID] = &b.Pupils[i]
	}
	t.each(func(r *Row) {
		id := t.Cell(r, "student")
		if p := byID[id]; p != nil {
			visit(r, p)
		} else if !b.Tables["users.csv"].Deleted[id] {
			b.bad(t, r, "student", "no student has the id “%s”", id)
		}
	})
}
