// Package standin is a stand-in for a system that keeps attendance: it holds marks in memory, shows them on a
// page on which more can be made, gives them out as attendance.csv, and answers as package attendance asks.
package standin

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"html/template"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"rubricon/attendance"
)

// Server holds marks by school.
type Server struct {
	Token string // who shows it is let in; the page asks for nothing

	mu    sync.Mutex
	marks map[key]string // how someone was marked
	made  map[string]bool
	away  bool
	mux   *http.ServeMux
}

type key struct{ school, student, section, date string }

// most bounds how many marks are kept.
const most = 200_000

// New makes one without marks.
func New(token string) *Server {
	s := &Server{Token: token, marks: map[key]string{}, made: map[string]bool{}, mux: http.NewServeMux()}
	s.mux.HandleFunc("GET /{$}", s.page)
	s.mux.HandleFunc("POST /{$}", s.add)
	s.mux.HandleFunc("GET /{school}/attendance.csv", s.file)
	s.mux.HandleFunc("GET /schools/{school}/students/{student}/marks", s.guarded(s.list))
	s.mux.HandleFunc("POST /schools/{school}/changes", s.guarded(s.change))
	return s
}

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.mux.ServeHTTP(w, r) }

// Put makes a mark, or another one of it.
func (s *Server) Put(school string, m attendance.Mark) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.marks) < most {
		s.marks[key{school: school, student: m.Student, section: m.Section, date: m.Date}] = m.Mark
	}
}

// Away lets it answer nothing but that it cannot, or again as it should.
func (s *Server) Away(away bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.away = away
}

// Marks lists a student's marks, by date, then section; without a student everybody's.
func (s *Server) Marks(school, student string) []attendance.Mark {
	s.mu.Lock()
	defer s.mu.Unlock()
	list := []attendance.Mark{}
	for k, mark := range s.marks {
		if k.school == school && (student == "" || k.student == student) {
			list = append(list, attendance.Mark{Student: k.student, Section: k.section, Date: k.date, Mark: mark})
		}
	}
	slices.SortFunc(list, func(a, b attendance.Mark) int {
		return cmp.Or(cmp.Compare(a.Student, b.Student), cmp.Compare(a.Date, b.Date), cmp.Compare(a.Section, b.Section))
	})
	return list
}

func (s *Server) guarded(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		s.mu.Lock()
		away := s.away
		s.mu.Unlock()
		switch {
		case away:
			http.Error(w, "not now", http.StatusServiceUnavailable)
		case r.Header.Get("Authorization") != "Bearer "+s.Token:
			http.Error(w, "who are you?", http.StatusUnauthorized)
		default:
			next(w, r)
		}
	}
}

func (s *Server) list(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(s.Marks(r.PathValue("school"), r.PathValue("student")))
}

// change makes a change whole or not at all: every mark that is moved or taken back must be there.
func (s *Server) change(w http.ResponseWriter, r *http.Request) {
	var c attendance.Change
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<20)).Decode(&c); err != nil || c.Key == "" {
		http.Error(w, "not a change", http.StatusBadRequest)
		return
	}
	school := r.PathValue("school")
	at := func(m attendance.Mark) key {
		return key{school: school, student: m.Student, section: m.Section, date: m.Date}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.made[c.Key] {
		return
	}
	for _, m := range c.Move {
		if _, ok := s.marks[at(m.Mark)]; !ok {
			http.Error(w, "a mark is gone", http.StatusConflict)
			return
		}
	}
	for _, m := range c.Move {
		old := s.marks[at(m.Mark)]
		delete(s.marks, at(m.Mark))
		m.Section = m.To
		s.marks[at(m.Mark)] = cmp.Or(m.As, old)
	}
	for _, m := range c.Delete {
		delete(s.marks, at(m))
	}
	for _, m := range c.Add {
		s.marks[at(m)] = m.Mark
	}
	s.made[c.Key] = true
}

func (s *Server) file(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	out := csv.NewWriter(w)
	_ = out.Write([]string{"student", "classSourcedId", "date", "mark"})
	for _, m := range s.Marks(r.PathValue("school"), "") {
		_ = out.Write([]string{m.Student, m.Section, m.Date, m.Mark})
	}
	out.Flush()
}

var view = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Attendance</title>
<style>body{font:16px/1.5 Georgia,serif;margin:2rem auto;max-width:50rem;padding:0 1rem;color:#222;background:#fff}td,th{text-align:left;padding:.1rem .8rem .1rem 0}input,select,button{font:inherit;padding:.3rem}form{display:flex;flex-wrap:wrap;gap:.5rem;align-items:end}label{display:block}</style>
<h1>Attendance of {{.School}}</h1><p>A stand-in for the school’s own system, kept in memory. <a href="/{{.School}}/attendance.csv">As attendance.csv</a></p>
<form method="post" action="/"><input type="hidden" name="school" value="{{.School}}"><label>Student<br><input name="student" required maxlength="100"></label><label>Section<br><input name="section" required maxlength="100"></label><label>Date<br><input name="date" type="date" required></label>
<label>Mark<br><select name="mark">{{range .Words}}<option>{{.}}</option>{{end}}</select></label><button>Make it</button></form>
<table><tr><th>student</th><th>section</th><th>date</th><th>mark</th></tr>{{range .Marks}}<tr><td>{{.Student}}</td><td>{{.Section}}</td><td>{{.Date}}</td><td>{{.Mark}}</td></tr>{{end}}</table></html>`))

func (s *Server) page(w http.ResponseWriter, r *http.Request) {
	school := r.URL.Query().Get("school")
	s.mu.Lock()
	for k := range s.marks {
		if school == "" {
			school = k.school
		}
	}
	s.mu.Unlock()
	marks := s.Marks(school, "")
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = view.Execute(w, map[string]any{"School": school, "Marks": marks[:min(len(marks), 2000)], "Words": attendance.Marks})
}

func (s *Server) add(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	m := attendance.Mark{Student: strings.TrimSpace(r.FormValue("student")),
		Section: strings.TrimSpace(r.FormValue("section")), Date: r.FormValue("date"), Mark: r.FormValue("mark")}
	if _, err := time.Parse(time.DateOnly, m.Date); err != nil || m.Student == "" || m.Section == "" ||
		!slices.Contains(attendance.Marks, m.Mark) || r.FormValue("school") == "" {
		http.Error(w, "A mark has a student, a section, a date and one of the words. Go back and fill them in.", http.StatusBadRequest)
		return
	}
	s.Put(r.FormValue("school"), m)
	http.Redirect(w, r, "/", http.StatusSeeOther)
}
