// Package condition reads, prints and judges entry conditions, such as
//
//	passed ALG1 at 70 and (recommended or score "placement math" at 60)
//
// A condition is judged leaf by leaf against what is known of a student; the four verdicts are combined by
// order: and takes the lowest, or the highest, "n of" the n-th highest.
package condition

import (
	"strconv"
	"strings"
	"unicode"

	"rubricon/core/credit"
)

// Verdict says how far a condition holds. The order matters: Unmet < Unverified < Expected < Met.
type Verdict uint8

// The four verdicts.
const (
	Unmet      Verdict = iota // nothing on file meets it
	Unverified                // the family says it is met elsewhere, or a score is not on file yet
	Expected                  // it will be met when a course now being taken is finished
	Met
)

func (v Verdict) String() string {
	return [...]string{"unmet", "unverified", "expected", "met"}[v]
}

// LeafKind is what a leaf asks for.
type LeafKind uint8

// The kinds of leaf, each with its keyword.
const (
	Passed LeafKind = iota
	Alongside
	Grade
	Score
	Recommended
	Permission
	Program
	Credits
)

var keywords = [...]string{"passed", "alongside", "grade", "score", "recommended", "permission", "program", "credits"}

func (k LeafKind) String() string { return keywords[k] }

// Leaf is one thing asked for.
type Leaf struct {
	Kind  LeafKind
	Name  string        // course code, score, permission, program or subject; empty for grade and recommended
	At    credit.Amount // the mark, grade, score or credits asked for, in hundredths
	HasAt bool
	Mark  string // passed: the name of the mark asked for, whose number a school year puts into At; empty where a number is asked for
	// Ref is free for anyone who judges: the index of the course that Name is the code of. Parse sets it to -1.
	Ref int32
}

// String is the leaf's canonical text.
func (l *Leaf) String() string {
	var b strings.Builder
	b.WriteString(keywords[l.Kind])
	if l.Kind != Grade && l.Kind != Recommended {
		b.WriteByte(' ')
		b.WriteString(quoted(l.Name))
	}
	if l.HasAt {
		if l.Kind == Grade {
			b.WriteByte(' ')
		} else {
			b.WriteString(" at ")
		}
		if l.Mark != "" {
			b.WriteString(quoted(l.Mark))
		} else {
			b.WriteString(l.At.String())
		}
	}
	return b.String()
}

func quoted(name string) string {
	if name == "" || reserved(name) || strings.IndexFunc(name, func(r rune) bool { return !wordRune(r) }) >= 0 {
		return `"` + name + `"`
	}
	return name
}

func reserved(word string) bool {
	switch word {
	case "and", "or", "of", "at":
		return true
	}
	for _, k := range keywords {
		if k == word {
			return true
		}
	}
	return false
}

// IsNumber reports whether a text is a NUMBER of the language: digits with an optional fraction.
func IsNumber(text string) bool {
	whole, fraction, dot := strings.Cut(text, ".")
	digits := func(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }
	return digits(whole) && (!dot || digits(fraction))
}

func wordRune(r rune) bool {
	return r == '-' || r == '_' || r == '.' || unicode.IsLetter(r) || unicode.IsDigit(r)
}

// Op is how a condition is made of its parts.
type Op uint8

// The ways to combine parts.
const (
	Single Op = iota // a leaf
	And
	Or
	Of // at least N of the parts
)

// Condition is a parsed condition: a leaf, or parts under an operator.
type Condition struct {
	Op    Op
	N     int // for Of: how many of the parts
	Leaf  Leaf
	Parts []*Condition
}

// String is the canonical text: it parses to an equal condition, and equal conditions have equal texts.
func (c *Condition) String() string {
	switch c.Op {
	case Single:
		return c.Leaf.String()
	case Of:
		parts := make([]string, len(c.Parts))
		for i, p := range c.Parts {
			parts[i] = p.String()
		}
		return strconv.Itoa(c.N) + " of (" + strings.Join(parts, ", ") + ")"
	}
	parts := make([]string, len(c.Parts))
	for i, p := range c.Parts {
		parts[i] = p.String()
		if p.Op == And || p.Op == Or {
			// "and" binds tighter, so an "and" under an "or" needs none; the parser joins like under like.
			if c.Op == And || p.Op == Or {
				parts[i] = "(" + parts[i] + ")"
			}
		}
	}
	return strings.Join(parts, map[Op]string{And: " and ", Or: " or "}[c.Op])
}

// Leaves calls visit for every leaf in the order written, until it returns false.
func (c *Condition) Leaves(visit func(*Leaf) bool) bool {
	if c.Op == Single {
		return visit(&c.Leaf)
	}
	for _, p := range c.Parts {
		if !p.Leaves(visit) {
			return false
		}
	}
	return true
}

// A Witness knows how far a single leaf holds.
type Witness interface{ Leaf(*Leaf) Verdict }

// Judge returns the verdict of the whole condition.
func (c *Condition) Judge(w Witness) Verdict {
	switch c.Op {
	case Single:
		return w.Leaf(&c.Leaf)
	case And:
		low := Met
		for _, p := range c.Parts {
			if v := p.Judge(w); v < low {
				if low = v; low == Unmet {
					break
				}
			}
		}
		return low
	case Or:
		high := Unmet
		for _, p := range c.Parts {
			if v := p.Judge(w); v > high {
				if high = v; high == Met {
					break
				}
			}
		}
		return high
	}
	var count [4]int
	for _, p := range c.Parts {
		count[p.Judge(w)]++
	}
	n := 0
	for v := Met; v > Unmet; v-- {
		if n += count[v]; n >= c.N {
			return v
		}
	}
	return Unmet
}

// Missing appends to list the leaves that keep the condition below Expected: in the order written, each once.
// A part at or above Expected adds nothing.
func (c *Condition) Missing(w Witness, list []*Leaf) []*Leaf {
	if c.Op == Single {
		if w.Leaf(&c.Leaf) >= Expected {
			return list
		}
		for _, have := range list {
			if have.Kind == c.Leaf.Kind && have.Name == c.Leaf.Name && have.HasAt == c.Leaf.HasAt && have.Mark == c.Leaf.Mark &&
				have.At == c.Leaf.At {
				return list
			}
		}
		return append(list, &c.Leaf)
	}
	if c.Judge(w) >= Expected {
		return list
	}
	for _, p := range c.Parts {
		list = p.Missing(w, list)
	}
	return list
}
