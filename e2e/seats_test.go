package e2e

import (
	"slices"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"

	appcatalog "rubricon/app/catalog"
	"rubricon/app/schedule"
	"rubricon/app/seats"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// withPoint brings the third school, small, whose seats are chosen now; a second student of grade 10 can sign in. It gives a whole week by student.
func (s *site) withPoint() (planted map[string][]string) {
	s.t.Helper()
	files, planted := demo.Skerry(7, 150)
	for i := range files {
		if f := &files[i]; f.Name == "users.csv" {
			at := func(column string) int { return slices.Index(f.Header, column) }
			for _, row := range f.Rows {
				if row[0] == "sk004" {
					row[at("username")], row[at("password")], row[at("givenName")] = "ivo.second", demo.Password, "Ivo"
				}
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err == nil {
		_, err = s.cases.Imports.Import(s.t.Context(), b, 0)
	}
	if err == nil {
		err = s.cases.Catalog.SetWindow(s.t.Context(), demo.SkerryID, testdb.Year, appcatalog.Window{Round: appcatalog.OfSeats, Grade: -1, Opens: testdb.Now.AddDate(0, 0, -1), Families: testdb.Now.AddDate(0, 0, 3), Counselors: testdb.Now.AddDate(0, 0, 9)})
	}
	if err != nil {
		s.t.Fatal(err)
	}
	return planted
}

// takes has a student take seats behind the screens.
func (s *site) takes(student string, sections ...string) {
	s.t.Helper()
	accounts, err := s.cases.Account.Accounts(s.t.Context(), demo.SkerryID)
	if err == nil {
		_, err = s.cases.Seats.TakeSeats(s.t.Context(), accounts[student], schoolyear.Place{School: demo.SkerryID, Year: testdb.Year, Student: student}, seats.SeatsChange{Take: sections})
	}
	if err != nil {
		s.t.Fatal(err)
	}
}

// seats sets how many seats a section has.
func (s *site) seats(section string, n int) {
	s.t.Helper()
	accounts, err := s.cases.Account.Accounts(s.t.Context(), demo.SkerryID)
	if err != nil {
		s.t.Fatal(err)
	}
	office := accounts["skerry-office"]
	m, err := s.cases.Schedule.MasterSchedule(s.t.Context(), office, demo.SkerryID, testdb.Year)
	if err != nil {
		s.t.Fatal(err)
	}
	x := m.Sections[slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == section })]
	x.Seats = n
	if _, err := s.cases.Schedule.PutSection(s.t.Context(), office, demo.SkerryID, testdb.Year, &x); err != nil {
		s.t.Fatal(err)
	}
}

// A student fills her week by a proposal, by the mouse and by keys, gives back and takes back; her counselor looks, she hands it in, and it is opened again with a message.
func TestChoosingSeats(t *testing.T) {
	s := newSite(t)
	planted := s.withPoint()["sk001"]
	s.takes("sk001", planted[:7]...)
	p := s.as("runa.sandaker", desk)
	p.press("nav a", "^Seats$")
	p.says("[data-testid=open]", `^Still open: period \d, period \d and period \d\. Still missing: A club in the first semester and A club in the second semester\.$`)
	p.says("[data-testid=status]", "choosing seats, open until Fri 5 Mar, 06:42")
	p.accessible("a week with openings")

	// What is proposed is drawn before it is taken, and taken back as one.
	p.press("main button", "^Propose a whole week$")
	p.says("[data-testid=proposal]", "Proposed sections: 6; you asked for 6 of them. Nothing is taken yet.")
	p.MustElement("[data-ghost]")
	p.press("[data-testid=proposal] button", "^Take all$")
	p.says("[data-testid=open]", "^Your week is full. Ms Torvund looks at it next.$")
	p.gone("[data-open]")
	p.press("main button", "^Undo$")
	p.says("[data-testid=open]", "^Still open:")
	p.says("[data-testid=made]", "given back")

	// By the mouse: what fits an opening, and a half of it.
	p.press("[data-testid=open] button", `^period \d$`)
	p.says("aside h2", `^period \d, days 1, 2, 3, 4, 5, 6, whole year$`)
	p.press("aside button", "^first semester$")
	p.says("aside h2", `days 1, 2, 3, 4, 5, 6, first semester$`)
	fit := p.MustElement("[data-group=alone] [data-fit]")
	p.accessible("what fits")
	fit.MustHover()
	p.MustElement("[data-ghost='" + *fit.MustAttribute("data-fit") + "']")
	fit.MustElement("button[data-act=take]").MustClick()
	p.says("[data-testid=made]", "yours, kept")
	p.MustElement("[data-section='" + *fit.MustAttribute("data-fit") + "']")

	// By keys alone: to an open cell, into what fits, taken; and back on the board given back.
	p.MustElement("[data-open]").MustFocus()
	keys(p, input.Enter)
	p.MustWait(`() => document.activeElement?.closest('[data-fit]') !== null`)
	taken := p.MustEval(`() => document.activeElement.closest('[data-fit]').dataset.fit`).Str()
	keys(p, input.Enter)
	first := strings.Fields(taken)[0]
	p.says("[data-testid=own]", "[\\s\\S]")
	p.MustElement("[data-section='" + first + "']").MustFocus()
	keys(p, input.Backspace)
	p.MustWait(`(id) => document.querySelector('[data-section="' + id + '"]') === null`, first)
	keys(p, 's')
	p.says("p b", "^[Ss]econd semester$")
	keys(p, 's')

	// Found by its course; what collides says so.
	p.MustElement("aside input[type=search]").MustInput("english 10")
	p.says("[data-testid=found]", "English 10")
	p.says("aside [role=status]", "^Sections: [34]$")
	p.says("[data-testid=found] button", "^Give English 10.* up and take this$")
	p.MustElement("aside input[type=search]").MustSelectAllText().MustInput("calculus")
	p.says("[data-testid=found]", "It is not offered to you.")

	p.press("main button", "^Propose a whole week$")
	p.press("[data-testid=proposal] button", "^Take all$")
	p.says("[data-testid=open]", "^Your week is full.")
	k := s.as("ms.torvund", desk)
	k.press("nav a", "^Seats$")
	k.says("h1", "^Waiting for your look: 1.$")
	k.accessible("who chooses seats")
	k.press("[data-testid=choosing] a", "Sandaker, Runa")
	k.says("[data-testid=open]", "^The week of Runa is full.")
	k.press("main button", "^Agree to this week$")
	k.says("main li", "Ms Torvund agreed")
	p.says("[data-testid=open]", "You can hand it in.")
	p.press("main button", "^Submit$")
	p.says("[data-testid=open]", "It is handed in.")
	p.says("main li", `Receipt SK-\d+`)
	p.gone("[data-testid=own] button")
	ask := p.says("section", "^Ask for a change")
	ask.MustElement("label:nth-of-type(1) select").MustSelect("English 10")
	ask.MustElement("label:nth-of-type(2) select").MustSelect("Spanish")
	ask.MustElement("input").MustInput("The bus comes at nine.")
	ask.MustElement("button[type=submit]").MustClick()
	p.says("section li", `asks · English 10: “The bus comes at nine. .Instead: Spanish.”`)
	if got := p.MustEval(`async () => { const r = await fetch('/api/schools/skerrypoint/years/2027/students/sk001/seats.pdf?language=es'); return [r.status, (await r.text()).slice(0, 4)] }`).Arr(); got[0].Int() != 200 || got[1].Str() != "%PDF" {
		t.Errorf("the week as a PDF: %v", got)
	}
	p.language("es")
	p.says("[data-testid=open]", "Tu semana está completa. Está entregada.")
	p.language("ar")
	p.says("[data-testid=open]", "أسبوعك مكتمل")
	p.accessible("in Arabic")
	p.language("en")

	k.press("main button", "^Open it again…$")
	k.MustElement("[role=dialog] textarea").MustInput("Choir has moved to period 4.")
	k.press("[role=dialog] button", "^Open it again…$")
	p.says("aside", "Opened again: Choir has moved to period 4.")
	p.press("summary", "^What was done$")
	p.says("[data-testid=seat-acts] li", "Ms Torvund opened it again · Choir has moved to period 4.")
	p.says("[data-testid=seat-acts] li", "Runa Sandaker handed it in")
}

// Two want the last seat: one gets it; the other, who sees that it is gone, is told and offered the next best. Who waits for it is offered it when it frees.
func TestTwoRaceForASeat(t *testing.T) {
	s := newSite(t)
	planted := s.withPoint()["sk001"]
	s.seats(planted[0], 1) // a section of English 10
	a, b := s.as("runa.sandaker", desk), s.as("ivo.second", phone)
	for _, p := range []*screen{a, b} {
		p.press("nav a", "^Seats$")
		p.MustElement("aside input[type=search]").MustInput("english 10")
		p.says("[data-fit='"+planted[0]+"']", "1 left")
	}
	b.accessible("on a phone")
	a.MustElement("[data-fit='" + planted[0] + "'] button[data-act=take]").MustClick()
	a.says("[data-testid=made]", "English 10: yours, kept.")
	b.says("[data-fit='"+planted[0]+"']", "0 left") // without asking
	b.MustElement("[data-fit='" + planted[0] + "'] button[data-act=take]").MustClick()
	b.says("[data-testid=lost]", "The last seat in English 10 went to somebody else in the moment you asked. Nothing of yours has changed. Next best: English 10, period")
	b.says("[data-fit='"+planted[0]+"'] button", "^Wait for a seat$").MustClick()
	b.says("aside section", "You wait for[\\s\\S]*English 10[\\s\\S]*before you: 0")
	a.press("main button", "^Undo$")
	b.says("[data-testid=offer]", "A seat in English 10 is kept for you until")
	b.accessible("a seat that is offered")
	b.press("[data-testid=offer] button", "^Take$")
	b.says("[data-testid=made]", "English 10: yours, kept.")
	b.gone("[data-testid=offer]")
	a.says("[data-fit='"+planted[0]+"']", "0 left")
}

// On a phone the board parts below the row that is chosen, and what fits lies between; without the network nothing is taken, and that is said.
func TestSeatsOnAPhone(t *testing.T) {
	s := newSite(t)
	planted := s.withPoint()["sk001"]
	s.takes("sk001", planted[:7]...)
	p := s.as("runa.sandaker", phone)
	p.press("nav a", "^Seats$")
	p.MustElement("[data-open]").MustClick()
	p.MustElement("[role=group] [data-group] [data-fit]")
	p.accessible("what fits, between the rows")
	if wide := p.MustEval(`() => document.documentElement.scrollWidth`).Int(); wide > 390 {
		t.Errorf("the page is %d wide", wide)
	}
	p.MustElement("[role=group] button[data-act=take]").MustClick()
	p.says("[data-testid=made]", "yours, kept")
	s.away()
	p.says("[data-testid=own] button", "^Give it back$").MustClick()
	p.says("[role=alert]", "The server could not be reached|not be reached|No connection")
	s.back()
	p.says("[data-testid=own] button", "^Give it back$").MustClick()
	p.says("[data-testid=made]", "given back")
}
