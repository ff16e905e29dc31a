package jobs_test

import (
	"context"
	"fmt"
	"net"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rubricon/app"
	appcaseload "rubricon/app/caseload"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/internal/testdb"
	"rubricon/jobs"
	"rubricon/post"
	"rubricon/post/sink"
)

// mailbox is a school whose mails go to a stand-in for a mail server, at a time that is set.
type mailbox struct {
	*app.App
	t    *testing.T
	db   testdb.Database
	sink *sink.Sink
	post jobs.Post
	now  *atomic.Int64
}

var mara = schoolyear.Place{School: "pellworth", Year: testdb.Year, Student: "s0001"}

func newMailbox(t *testing.T) *mailbox {
	t.Helper()
	testdb.Parallel(t)
	m := &mailbox{t: t, db: testdb.New(t), sink: sink.New(), now: &atomic.Int64{}}
	m.now.Store(testdb.Now.UnixNano())
	m.App = app.New(m.db.Open(t), app.Options{Now: func() time.Time { return time.Unix(0, m.now.Load()).UTC() }, Log: testdb.Quiet, Hashes: testdb.Hashes})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = m.sink.Serve(t.Context(), l) }()
	sender, err := post.Server("smtp://"+l.Addr().String(), "The school <courses@pellworth.example>")
	if err != nil {
		t.Fatal(err)
	}
	m.post = jobs.Post{Sender: sender, Base: "https://courses.example", Domain: "courses.example"}
	return m
}

func (m *mailbox) who(username string) int64 {
	return testdb.Value[int64](m.t, m.db, `SELECT id FROM account WHERE username = '`+username+`'`)
}

func (m *mailbox) deliver() {
	m.t.Helper()
	if err := m.post.Deliver(m.t.Context(), m.App, testdb.Quiet); err != nil {
		m.t.Fatal(err)
	}
}

func (m *mailbox) later(d time.Duration) { m.now.Add(int64(d)) }

// mails are to whom what was sent since the last look.
func (m *mailbox) mails() string {
	var out []string
	for _, x := range m.sink.Mails() {
		out = append(out, strings.TrimSuffix(x.To, "@pellworth.example")+": "+x.Subject)
	}
	slices.Sort(out)
	return strings.Join(out, "; ")
}

// states are the mails about Mara.
func (m *mailbox) states() string {
	m.t.Helper()
	list, err := m.Messages.Letters(m.t.Context(), m.who("office"), mara, 0)
	if err != nil {
		m.t.Fatal(err)
	}
	var out []string
	for _, l := range list {
		out = append(out, fmt.Sprint(l.To, " ", l.Kind, " ", l.State))
	}
	slices.Sort(out)
	return strings.Join(out, "; ")
}

func (m *mailbox) remind(about string) {
	m.t.Helper()
	_, _, err := m.Caseload.DoBatch(m.t.Context(), m.who("ms.arden"), mara.School, mara.Year, appcaseload.Batch{Kind: appcaseload.BatchRemind, Name: about, Message: "Soon, please.", Sheets: []appcaseload.Choice{{Student: "s0001"}}})
	if err != nil {
		m.t.Fatal(err)
	}
}

// A reminder goes to the student and the guardians in their languages, once; who wants none gets none, but still what is no reminder.
func TestRemindersByMail(t *testing.T) {
	m := newMailbox(t)
	m.db.Exec(t, `UPDATE person SET language = 'es' WHERE id = 'g0001'`)
	m.remind("unbegun")
	m.deliver()
	m.deliver()
	if got := m.mails(); got != "ilse.quill: Recordatorio sobre Mara: Elegir los cursos del año próximo; mara.quill: A reminder: Choose courses for next year" {
		t.Errorf("sent: %s", got)
	}
	all := m.sink.Mails()
	mail := all[slices.IndexFunc(all, func(x sink.Mail) bool { return strings.HasPrefix(x.To, "ilse") })]
	stop := strings.TrimSuffix(strings.TrimPrefix(mail.Header.Get("List-Unsubscribe"), "<https://courses.example/api/mail/stop/"), ">")
	if !strings.Contains(mail.Text, "> Soon, please.") || !strings.Contains(mail.HTML, "Soon, please.") || len(stop) < 20 {
		t.Errorf("it says %q, %s", mail.Text, stop)
	}
	if err := m.Messages.NoReminders(t.Context(), "somebody else’s"); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a token of nobody: %v", err)
	}
	if err := m.Messages.NoReminders(t.Context(), stop); err != nil {
		t.Fatal(err)
	}
	if wants, err := m.Messages.WantsReminders(t.Context(), m.who("ilse.quill")); err != nil || wants {
		t.Errorf("she wants them still: %v", err)
	}
	m.remind("uncovered")
	m.deliver()
	if got := m.states(); got != "Ilse Quill reminder declined; Ilse Quill reminder sent; Mara Quill reminder sent; Mara Quill reminder sent" {
		t.Errorf("then: %s", got)
	}
	if _, err := m.Messages.Letters(t.Context(), m.who("ilse.quill"), mara, 0); problem.CodeOf(err) != problem.Code(acts.NotYours) {
		t.Errorf("a guardian reads the list: %v", err)
	}
}

// A mail that the server does not take now is tried again, later each time, and is delivered once; one that it never takes, or that may have gone
// out, is not tried again, and is said.
func TestMailsAreTriedAgain(t *testing.T) {
	m := newMailbox(t)
	m.db.Exec(t, `UPDATE person SET cells = cells - 'email' WHERE id = 'g0001'`)
	m.remind("unbegun")
	m.sink.Misbehave(sink.NotNow, sink.NotNow)
	m.deliver()
	m.deliver() // not yet
	if got := m.states(); !strings.Contains(got, "Mara Quill reminder waiting") || !strings.Contains(got, "Ilse Quill reminder noAddress") || m.mails() != "" {
		t.Errorf("when it was not taken: %s, sent %s", got, m.mails())
	}
	for _, wait := range []time.Duration{time.Minute, 5 * time.Minute} {
		m.later(wait - time.Second)
		m.deliver()
		m.later(time.Second)
		m.deliver()
	}
	if got := m.mails(); got != "mara.quill: A reminder: Choose courses for next year" {
		t.Errorf("sent: %s", got)
	}
	for i, c := range []struct {
		trouble sink.Trouble
		want    string
	}{{sink.Refuses, "failed"}, {sink.HangsUp, "unsure"}} {
		m.later(25 * time.Hour)
		m.remind([]string{"uncovered", "overdue"}[i])
		m.sink.Misbehave(c.trouble)
		m.deliver()
		m.later(100 * time.Hour)
		m.deliver()
		if got := m.states(); !strings.Contains(got, "Mara Quill reminder "+c.want) {
			t.Errorf("trouble %d: %s", c.trouble, got)
		}
	}
	m.later(25 * time.Hour)
	m.remind("changed")
	var never []sink.Trouble
	for range 20 {
		never = append(never, sink.NotNow)
	}
	m.sink.Misbehave(never...)
	for range 30 {
		m.deliver()
		m.later(25 * time.Hour)
	}
	if got := m.states(); strings.Count(got, "failed") != 2 {
		t.Errorf("after the last try: %s", got)
	}
	if got := m.mails(); got != "mara.quill: A reminder: Choose courses for next year" {
		t.Errorf("in all: %s", got)
	}
}

// A mail whose sender is killed is not sent a second time, and two senders at once send each mail once.
func TestAMailIsSentOnce(t *testing.T) {
	m := newMailbox(t)
	m.db.Exec(t, `UPDATE person SET cells = cells - 'email' WHERE id = 'g0001'`)
	m.remind("unbegun")
	taken, _, err := m.Messages.TakeLetters(t.Context(), 10)
	if err != nil || len(taken) != 1 {
		t.Fatal(taken, err)
	}
	if mine, err := m.Messages.SendingLetter(t.Context(), &taken[0]); err != nil || !mine {
		t.Fatal(mine, err)
	}
	if mine, err := m.Messages.SendingLetter(t.Context(), &taken[0]); err != nil || mine {
		t.Errorf("it is sent twice: %v, %v", mine, err)
	}
	m.deliver()
	m.later(16 * time.Minute)
	m.deliver()
	if got := m.states(); !strings.Contains(got, "Mara Quill reminder unsure") || m.mails() != "" {
		t.Errorf("of a sender that is gone: %s, sent %s", got, m.mails())
	}
	m.db.Exec(t, `INSERT INTO letter (school_id, year, person_id, kind, key, made_at, next_at) SELECT 'pellworth', 2027, 's0001', 'password', 'k' || n, now(), '2000-01-01' FROM generate_series(1, 60) n`)
	done := make(chan error)
	for range 2 {
		go func() { done <- m.post.Deliver(context.Background(), m.App, testdb.Quiet) }()
	}
	for range 2 {
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
	if got := len(m.sink.Mails()); got != 60 {
		t.Errorf("%d mails of 60", got)
	}
}

// TestMailsThatNobodyTriedAreSent: what was taken by a process that ended before it sent them, and what was taken together with a mail that
// cannot be prepared, is sent; nothing is given up that no one tried.
func TestMailsThatNobodyTriedAreSent(t *testing.T) {
	m := newMailbox(t)
	m.db.Exec(t, `INSERT INTO school VALUES ('broken', 'Broken')`)
	m.db.Exec(t, `INSERT INTO school_year (school_id, year, catalog_version, policy_version) VALUES ('broken', 2027, 7, 7)`)
	m.db.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, given_name, family_name, cells) VALUES ('broken', 'p', 1, 'student', true, 'p', 'A', 'B', '{"email": "p@example.org"}')`)
	for _, at := range [][2]string{{"broken", "p"}, {"pellworth", "s0001"}} {
		m.db.Exec(t, `INSERT INTO letter (school_id, year, person_id, kind, key, made_at, next_at) SELECT $1, 2027, $2, 'password', 'k' || n, now(), '2000-01-01' FROM generate_series(1, 30) n`, at[0], at[1])
	}
	if taken, _, err := m.Messages.TakeLetters(t.Context(), 20); err != nil || len(taken) != 10 {
		t.Fatalf("half of twenty can be prepared, since the schools take turns: %d, %v", len(taken), err)
	}
	m.later(16 * time.Minute) // anyone who took them is gone
	m.deliver()
	if got := len(m.sink.Mails()); got != 30 {
		t.Errorf("%d of 30 mails are sent", got)
	}
	if n := testdb.Value[int](t, m.db, `SELECT count(*) FROM letter WHERE school_id = 'broken' AND state = 'waiting' AND tries = 0`); n != 30 {
		t.Errorf("%d of 30 mails that cannot be prepared wait", n)
	}
	m.later(24 * time.Hour)
	m.deliver()
	if n := testdb.Value[int](t, m.db, `SELECT count(*) FROM letter WHERE state = 'unsure'`); n != 0 {
		t.Errorf("%d mails are given up that nobody tried", n)
	}
}

// Many who take mails at once take each mail once.
func TestAMailIsTakenOnce(t *testing.T) {
	m := newMailbox(t)
	m.db.Exec(t, `INSERT INTO letter (school_id, year, person_id, kind, key, made_at, next_at) SELECT 'pellworth', 2027, 's0001', 'password', 'k' || n, now(), '2000-01-01' FROM generate_series(1, 400) n`)
	type result struct {
		ids []int64
		err error
	}
	results := make(chan result)
	for range 8 {
		go func() {
			var r result
			for {
				list, _, err := m.Messages.TakeLetters(context.Background(), 5)
				for i := range list {
					r.ids = append(r.ids, list[i].ID)
				}
				if r.err = err; err != nil || len(list) == 0 {
					results <- r
					return
				}
			}
		}()
	}
	taken := map[int64]int{}
	for range 8 {
		r := <-results
		if r.err != nil {
			t.Error(r.err)
		}
		for _, id := range r.ids {
			taken[id]++
		}
	}
	for id, n := range taken {
		if n != 1 {
			t.Errorf("mail %d is taken %d times", id, n)
		}
	}
	if len(taken) != 400 {
		t.Errorf("%d mails of 400 are taken", len(taken))
	}
}

// When a window opens everybody whom it concerns is told once; not of one that opened long ago.
func TestWhoseWindowOpens(t *testing.T) {
	m := newMailbox(t)
	count := func() int { return testdb.Value[int](t, m.db, `SELECT count(*) FROM letter WHERE kind = 'opens'`) }
	opens := func(at time.Time) {
		t.Helper()
		if err := m.Catalog.SetWindow(t.Context(), mara.School, mara.Year, appcatalog.Window{Grade: 10, Opens: at, Families: at.AddDate(0, 1, 0), Counselors: at.AddDate(0, 2, 0)}); err != nil {
			t.Fatal(err)
		}
		if err := m.Messages.LookAfterPost(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	m.db.Exec(t, `UPDATE request_window SET told = true`)
	opens(testdb.Now.Add(time.Hour))
	if n := count(); n != 0 {
		t.Errorf("%d are told before", n)
	}
	m.later(2 * time.Hour)
	if err := m.Messages.LookAfterPost(t.Context()); err != nil {
		t.Fatal(err)
	}
	want := testdb.Value[int](t, m.db, `SELECT count(*) + (SELECT count(*) FROM relation r JOIN sheet sh ON sh.student_id = r.student_id WHERE r.kind = 'guards' AND sh.grade = 10) FROM sheet WHERE grade = 10`)
	if n := count(); n != want || n == 0 {
		t.Errorf("%d are told, want %d", n, want)
	}
	opens(testdb.Now.Add(time.Hour))
	if n := count(); n != want {
		t.Errorf("%d are told, of the same again", n)
	}
	m.db.Exec(t, `DELETE FROM letter`)
	m.db.Exec(t, `UPDATE request_window SET told = false, opens = opens - interval '10 days'`)
	if err := m.Messages.LookAfterPost(t.Context()); err != nil || count() != 0 {
		t.Errorf("%d are told of what opened long ago, %v", count(), err)
	}
}
