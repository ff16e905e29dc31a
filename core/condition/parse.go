package condition

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"rubricon/core/credit"
)

// Limits of a condition's text; longer or deeper text is refused with an error that names the limit.
const (
	MaxBytes = 16384
	MaxDepth = 100
)

// SyntaxError says where in a condition's text something is wrong, and what: as an English sentence, and as
// its parts for another language.
type SyntaxError struct {
	Offset int // in bytes from the start of the text
	What   string
	Fault  Fault
	Name   string // what Fault is about: a mark, a word, a limit; may be empty
	Found  string // what stands there; empty: the text ends
}

// Fault is a kind of error in a condition's text.
type Fault string

// The faults; N is SyntaxError.Name.
const (
	TooLong     Fault = "tooLong" // longer than N bytes
	TooDeep     Fault = "tooDeep" // nested more than N deep
	NotText     Fault = "notText"
	Unclosed    Fault = "unclosed"    // a quoted name
	NoName      Fault = "noName"      // a quoted name that is empty
	BadSign     Fault = "badSign"     // N cannot stand in a name that is not quoted
	Keyword     Fault = "keyword"     // N is one; as a name it is quoted
	WantsJoin   Fault = "wantsJoin"   // and, or, or the end
	WantsPunct  Fault = "wantsPunct"  // N
	WantsPart   Fault = "wantsPart"   // a requirement
	WantsOf     Fault = "wantsOf"     // after a count
	WantsName   Fault = "wantsName"   // after N
	WantsAt     Fault = "wantsAt"     // and a number
	WantsMark   Fault = "wantsMark"   // a number or the name of a mark
	WantsNumber Fault = "wantsNumber" // a number
	BadNumber   Fault = "badNumber"   // N cannot be read as one
	BadCount    Fault = "badCount"    // not between 1 and N
)

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("at character %d: %s", e.Offset+1, e.What)
}

type parser struct {
	text  string
	pos   int // where the current token starts
	end   int // where it ends
	kind  tokenKind
	word  string // the word, or the string without its quotes
	depth int
}

type tokenKind uint8

const (
	tokenEnd tokenKind = iota
	tokenWord
	tokenString
	tokenPunct
)

// Parse reads a condition. The error is a *SyntaxError.
func Parse(text string) (c *Condition, err error) {
	if len(text) > MaxBytes {
		return nil, &SyntaxError{Offset: MaxBytes, What: fmt.Sprintf("the condition is longer than %d bytes", MaxBytes),
			Fault: TooLong, Name: fmt.Sprint(MaxBytes)}
	}
	if !utf8.ValidString(text) {
		return nil, &SyntaxError{What: "the condition is not valid UTF-8", Fault: NotText}
	}
	p := &parser{text: text}
	defer func() {
		if fault := recover(); fault != nil {
			syntax, ours := fault.(*SyntaxError)
			if !ours {
				panic(fault)
			}
			c, err = nil, syntax
		}
	}()
	p.next()
	c = p.condition()
	if p.kind != tokenEnd {
		p.fail(WantsJoin, "", "expected “and”, “or” or the end, found %s", p.found())
	}
	return c, nil
}

func (p *parser) fail(fault Fault, name, format string, args ...any) {
	e := &SyntaxError{Offset: p.pos, What: fmt.Sprintf(format, args...), Fault: fault, Name: name}
	if p.kind != tokenEnd {
		e.Found = p.text[p.pos:p.end]
	}
	panic(e)
}

func (p *parser) found() string {
	if p.kind == tokenEnd {
		return "the end"
	}
	return "“" + p.text[p.pos:p.end] + "”"
}

func (p *parser) next() {
	p.pos = p.end
	for p.pos < len(p.text) && strings.IndexByte(" \t\r\n", p.text[p.pos]) >= 0 {
		p.pos++
	}
	p.end = p.pos
	if p.pos == len(p.text) {
		p.kind, p.word = tokenEnd, ""
		return
	}
	switch c := p.text[p.pos]; c {
	case '(', ')', ',':
		p.kind, p.word, p.end = tokenPunct, string(c), p.pos+1
		return
	case '"':
		close := strings.IndexByte(p.text[p.pos+1:], '"')
		if close < 0 {
			p.fail(Unclosed, "", "the quoted name is never closed")
		}
		if close == 0 {
			p.fail(NoName, "", "the quoted name is empty")
		}
		p.kind, p.word, p.end = tokenString, p.text[p.pos+1:p.pos+1+close], p.pos+close+2
		return
	}
	for p.end < len(p.text) {
		r, size := utf8.DecodeRuneInString(p.text[p.end:])
		if !wordRune(r) {
			break
		}
		p.end += size
	}
	if p.end == p.pos {
		r, size := utf8.DecodeRuneInString(p.text[p.pos:])
		p.end += size
		p.fail(BadSign, string(r), "“%c” cannot stand here; put names with other characters in double quotes", r)
	}
	p.kind, p.word = tokenWord, p.text[p.pos:p.end]
}

func (p *parser) keyword(word string) bool {
	if p.kind == tokenWord && p.word == word {
		p.next()
		return true
	}
	return false
}

func (p *parser) punct(mark string) {
	if p.kind != tokenPunct || p.word != mark {
		p.fail(WantsPunct, mark, "expected “%s”, found %s", mark, p.found())
	}
	p.next()
}

func (p *parser) condition() *Condition { return p.chain("or", Or, p.either) }
func (p *parser) either() *Condition    { return p.chain("and", And, p.part) }

func (p *parser) chain(word string, op Op, part func() *Condition) *Condition {
	first := part()
	if p.kind != tokenWord || p.word != word {
		return first
	}
	all := &Condition{Op: op, Parts: []*Condition{first}}
	for p.keyword(word) {
		all.Parts = append(all.Parts, part())
	}
	return all
}

func (p *parser) part() *Condition {
	if p.depth++; p.depth > MaxDepth {
		p.fail(TooDeep, fmt.Sprint(MaxDepth), "parentheses are nested more than %d deep", MaxDepth)
	}
	defer func() { p.depth-- }()
	if p.kind == tokenPunct && p.word == "(" {
		p.next()
		inner := p.condition()
		p.punct(")")
		return inner
	}
	if p.kind == tokenWord {
		if strings.Trim(p.word, "0123456789") == "" {
			return p.countOf()
		}
		for kind, word := range keywords {
			if p.word == word {
				p.next()
				return p.leaf(LeafKind(kind))
			}
		}
	}
	p.fail(WantsPart, "", "expected a requirement such as “passed CODE at 70”, found %s", p.found())
	return nil
}

func (p *parser) countOf() *Condition {
	at := p.pos
	n, err := strconv.Atoi(p.word)
	p.next()
	if !p.keyword("of") {
		p.fail(WantsOf, "", "expected “of” after the count, found %s", p.found())
	}
	p.punct("(")
	all := &Condition{Op: Of, N: n}
	for {
		all.Parts = append(all.Parts, p.condition())
		if p.kind == tokenPunct && p.word == "," {
			p.next()
			continue
		}
		break
	}
	p.punct(")")
	if err != nil || n < 1 || n > len(all.Parts) {
		p.pos = at
		p.fail(BadCount, fmt.Sprint(len(all.Parts)), "the count must lie between 1 and the number of parts, %d", len(all.Parts))
	}
	return all
}

func (p *parser) leaf(kind LeafKind) *Condition {
	leaf := Leaf{Kind: kind, Ref: -1}
	switch kind {
	case Recommended:
	case Grade:
		leaf.At, leaf.HasAt = p.number(), true
	default:
		if p.kind == tokenWord && reserved(p.word) {
			p.fail(Keyword, p.word, "“%s” is a keyword; as a name put it in double quotes", p.word)
		}
		if p.kind != tokenWord && p.kind != tokenString {
			p.fail(WantsName, kind.String(), "expected a name after “%s”, found %s", kind, p.found())
		}
		leaf.Name = p.word
		p.next()
		switch kind {
		case Passed:
			if p.keyword("at") {
				leaf.HasAt = true
				if leaf.Mark = p.mark(); leaf.Mark == "" {
					leaf.At = p.number()
				}
			}
		case Score, Credits:
			if !p.keyword("at") {
				p.fail(WantsAt, "", "expected “at” and a number, found %s", p.found())
			}
			leaf.At, leaf.HasAt = p.number(), true
		}
	}
	return &Condition{Op: Single, Leaf: leaf}
}

// mark reads the name of a mark: a quoted string, or a word that is neither a number nor a keyword. Where a
// number stands it gives "".
func (p *parser) mark() (name string) {
	switch {
	case p.kind == tokenWord && IsNumber(p.word):
		return ""
	case p.kind == tokenWord && reserved(p.word):
		p.fail(Keyword, p.word, "“%s” is a keyword; as the name of a mark put it in double quotes", p.word)
	case p.kind != tokenWord && p.kind != tokenString:
		p.fail(WantsMark, "", "expected a number or the name of a mark, found %s", p.found())
	}
	name = p.word
	p.next()
	return name
}

func (p *parser) number() credit.Amount {
	if p.kind != tokenWord || p.word[0] == '-' {
		p.fail(WantsNumber, "", "expected a number, found %s", p.found())
	}
	value, err := credit.Parse(p.word)
	if err != nil {
		p.fail(BadNumber, p.word, "“%s” %v", p.word, err)
	}
	p.next()
	return value
}
