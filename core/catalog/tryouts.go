package catalog

import (
	"slices"

	"rubricon/core/condition"
)

// Tryout is a course into which anyone who leads it takes students, after an audition or by their own permission.
type Tryout struct {
	Course      int32
	Permissions []string // the kinds of permission that take a student in; at least one
	Asked       []int32  // the course itself, and the placeholders of which it may become one
	Auditions   []int    // the errands that are done with it, by their place; none where no one is heard
}

// TryoutOf reports how students get into a course by the word of who leads it; false where they need none. Such
// a word is needed where the course is open on application, where its condition or what settles one of its
// errands asks for a permission, and where it, or a placeholder of which it may become one, brings an
// audition.
func (y *Year) TryoutOf(course int32) (Tryout, bool) {
	t := Tryout{Course: course, Asked: []int32{course}}
	asks := func(c *condition.Condition) (found bool) {
		if c != nil {
			c.Leaves(func(l *condition.Leaf) bool {
				if l.Kind == condition.Permission {
					found = true
					if !slices.Contains(t.Permissions, l.Name) {
						t.Permissions = append(t.Permissions, l.Name)
					}
				}
				return true
			})
		}
		return found
	}
	asks(y.Courses[course].Entry)
	for i := range y.Errands {
		e := &y.Errands[i]
		becomes := slices.Contains(e.Becomes, course)
		if e.Course != course && !becomes || e.Course == course && len(e.Becomes) > 0 { // a placeholder is nothing to get into
			continue
		}
		permitted := e.Course == course && asks(e.SettledBy)
		if e.Kind == "audition" || permitted {
			t.Auditions = append(t.Auditions, i)
			if becomes {
				t.Asked = appendNew(t.Asked, e.Course)
			}
		}
	}
	if len(t.Permissions) == 0 && (len(t.Auditions) > 0 || y.Courses[course].Access == Application) {
		t.Permissions = []string{"audition"} // any name will do
		if len(t.Auditions) == 0 {
			t.Permissions[0] = "application"
		}
	}
	return t, len(t.Permissions) > 0
}

// ByWord reports whether a teacher's recommendation opens the course, or bears on its condition.
func (c *Compiled) ByWord() bool {
	if c.Access == Invited {
		return true
	}
	return c.Entry != nil && !c.Entry.Leaves(func(l *condition.Leaf) bool { return l.Kind != condition.Recommended })
}

// Placeholder reports whether a course stands for others until a test or an audition.
func (y *Year) Placeholder(course int32) bool {
	return slices.ContainsFunc(y.Errands, func(e CompiledErrand) bool { return e.Course == course && len(e.Becomes) > 0 })
}

// Tryouts lists the courses into which students get by the word of who leads them, in catalog order.
func (y *Year) Tryouts() (list []Tryout) {
	for i := range y.Courses {
		if t, ok := y.TryoutOf(int32(i)); ok {
			list = append(list, t)
		}
	}
	return list
}
