package seats_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/imports"
	"rubricon/app/problem"
	"rubricon/app/schedule"
	"rubricon/app/seats"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/demo"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// Seats are taken and given back, all at once or not at all, and the latest is taken back; what collides, is barred, waits for a person or is not there is refused.
func TestTakingSeats(t *testing.T) {
	p := apptest.NewPoint(t)
	mine := p.Planted["sk001"]
	w := p.Week(1)
	if len(w.Own) != 0 || w.Found.Complete || w.SeatNext != acts.TakeSeats || w.Nothing || !w.SeatActs[acts.TakeSeats].Allowed || w.Undoes != nil {
		t.Fatalf("at first: %+v", w.SeatActs)
	}
	open := len(w.Found.Open)
	before := apptest.Line(w, mine[0]).Left
	if got := p.Takes(1, mine[0], mine[1]); got != "" {
		t.Fatal(got)
	}
	if got := p.Takes(1, mine[0]); got != "" { // again: it is there
		t.Error("the same again:", got)
	}
	w = p.Week(1)
	if got := p.Own(1); got != mine[0]+" "+mine[1] || len(w.Found.Open) != open-4 || apptest.Line(w, mine[0]).Left != before-1 || !apptest.Line(w, mine[0]).Own {
		t.Errorf("has %s, %d open, %d left", got, len(w.Found.Open), apptest.Line(w, mine[0]).Left)
	}
	other := ""
	for i, x := range w.Sections { // another section of the first course
		if x.ID != mine[0] && x.Course == strings.ToUpper(strings.Split(mine[0], "-")[0]) && len(w.Lines[i].Clash) == 1 {
			other = x.ID
		}
	}
	if got := p.Takes(1, other); got != "seat-clash "+mine[0] {
		t.Errorf("another section of its course: %s", got)
	}
	if got := p.Takes(1, "-"+mine[0], other); got != "" {
		t.Error("moving:", got)
	}
	if got := p.Own(1); got != mine[1]+" "+other {
		t.Errorf("after moving: %s", got)
	}
	at, who := p.Of(1)
	back := func() string {
		_, err := p.Seats.TakeSeats(t.Context(), who, at, seats.SeatsChange{Undo: true})
		return p.Said(err)
	}
	if got := back(); got != "" || p.Own(1) != mine[1]+" "+mine[0] {
		t.Errorf("taken back: %s, %s", got, p.Own(1))
	}
	if got := back(); got != "" || p.Own(1) != "" {
		t.Errorf("and the one before: %s, %s", got, p.Own(1))
	}
	if got := back(); got != "nothing-to-undo" {
		t.Errorf("nothing is left to take back: %s", got)
	}
	if got := p.Takes(1, mine[0], "nowhere-1"); got != "no-such-section nowhere-1" || p.Own(1) != "" {
		t.Errorf("one that is not there, and another: %s, %s", got, p.Own(1))
	}
	if got := p.Takes(1, "-"+mine[3]); got != "" {
		t.Errorf("giving back what one has not: %s", got)
	}
	// Psychology is not for grade 10; Calculus asks for Precalculus.
	calculus := w.Sections[slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool { return x.Course == "CALC" })].ID
	if got := p.Takes(1, calculus); got != "barred CALC" {
		t.Errorf("what is not offered: %s", got)
	}
	testdb.Value[int](t, p.DB, `WITH gone AS (DELETE FROM record WHERE student_id = 'sk003' AND course_code IN ('ALG2S', 'PREC') RETURNING 1) UPDATE sheet SET facts_version = facts_version + 1 WHERE student_id = 'sk003' AND school_id = 'skerrypoint' RETURNING 1`)
	if got := p.Takes(3, calculus); got != "entry-open CALC" {
		t.Errorf("a condition that is not met: %s", got)
	}
	counselor := p.Who("ms.torvund")
	third, _ := p.Of(3)
	if _, err := p.Seats.TakeSeats(t.Context(), counselor, third, seats.SeatsChange{Take: []string{calculus}}); p.Said(err) != "needs-reason" {
		t.Errorf("for the family, without a reason: %v", err)
	}
	if _, err := p.Seats.TakeSeats(t.Context(), counselor, third, seats.SeatsChange{Take: []string{calculus}, Reason: "Took it in summer school."}); err != nil || p.Own(3) != calculus {
		t.Errorf("for the family: %v, %s", err, p.Own(3))
	}
}

// Only who may, and when they may: everybody else is refused, and sees nothing.
func TestWhoTakesSeats(t *testing.T) {
	p := apptest.NewPoint(t)
	at, who := p.Of(1)
	_, other := p.Of(2)
	take := seats.SeatsChange{Take: p.Planted["sk001"][:1]}
	if _, err := p.Seats.TakeSeats(t.Context(), other, at, take); p.Said(err) != "not-found" {
		t.Errorf("another student: %v", err)
	}
	if _, err := p.Seats.Seats(t.Context(), p.Who("mara.quill"), at); p.Said(err) != "not-found" {
		t.Errorf("somebody of another school: %v", err)
	}
	if _, err := p.Seats.Choosing(t.Context(), who, at.School, at.Year); p.Said(err) != "forbidden" {
		t.Errorf("the list, as a student: %v", err)
	}
	for _, x := range []struct {
		from time.Duration
		want string
	}{{time.Minute, "not-open-yet"}, {-47 * time.Hour, ""}, {-49 * time.Hour, "window-closed"}, {-97 * time.Hour, "window-closed"}} {
		p.Opens(testdb.Now.Add(x.from))
		if _, err := p.Seats.TakeSeats(t.Context(), who, at, take); p.Said(err) != x.want {
			t.Errorf("with a window from %s: %v, want %s", x.from, err, x.want)
		}
	}
	if _, err := p.Seats.TakeSeats(t.Context(), p.Who("ms.torvund"), at, seats.SeatsChange{Give: take.Take, Reason: "x"}); p.Said(err) != "closed-for-all" {
		t.Errorf("the counselor when all is over: %v", err)
	}
	// One grade has another hour.
	p.Opens(testdb.Now.Add(time.Hour))
	own := appcatalog.Window{Round: appcatalog.OfSeats, Grade: 10, Opens: testdb.Now, Families: testdb.Now.AddDate(0, 0, 1), Counselors: testdb.Now.AddDate(0, 0, 1)}
	if err := p.Catalog.SetWindow(t.Context(), at.School, at.Year, own); err != nil {
		t.Fatal(err)
	}
	if got := p.Takes(1, p.Planted["sk001"][1]); got != "" {
		t.Errorf("a grade that is appointed now: %s", got)
	}
	if got := p.Takes(2, p.Planted["sk002"][1]); got != "not-open-yet" {
		t.Errorf("a grade that is not: %s", got)
	}
}

// The last seat goes to one of those who ask in the same moment, in whichever process; the others are told what to take instead, and nothing of theirs has changed.
func TestTheLastSeat(t *testing.T) {
	p := apptest.NewPoint(t)
	second := p.Second()
	section := p.Planted["sk001"][0]
	p.SeatsOf(section, 3)
	var wait sync.WaitGroup
	var mu sync.Mutex
	said := map[string]int{}
	begin := make(chan struct{})
	for n := 1; n <= 30; n += 3 { // ten of grade 10
		at, who := p.Of(n)
		service := p.App
		if n%2 == 0 {
			service = second
		}
		wait.Go(func() {
			<-begin
			_, err := service.Seats.TakeSeats(context.Background(), who, at, seats.SeatsChange{Take: []string{section}})
			mu.Lock()
			defer mu.Unlock()
			said[p.Said(err)]++
			if gone, ok := err.(*problem.Error); ok && (gone.Next == "" || gone.Next == section) {
				t.Errorf("nothing is said instead: %+v", gone)
			}
		})
	}
	close(begin)
	wait.Wait()
	if said[""] != 3 || said["seat-gone "+section] != 7 {
		t.Errorf("ten ask for three seats: %v", said)
	}
	if n := testdb.Value[int](t, p.DB, `SELECT count(*) FROM enrollment WHERE section_id = $1`, section); n != 3 {
		t.Errorf("%d have a seat", n)
	}
	if left := apptest.Line(p.Week(2), section).Left; left != 0 {
		t.Errorf("%d left", left)
	}
}

// Moving is one act: where the seat is gone, the one that would have been given back stays.
func TestMovingIsOneAct(t *testing.T) {
	p := apptest.NewPoint(t)
	mine := p.Planted["sk001"]
	if got := p.Takes(1, mine[0]); got != "" {
		t.Fatal(got)
	}
	w := p.Week(1)
	other := w.Sections[slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool {
		return x.ID != mine[0] && x.Course == w.Sections[w.Own[0].Section].Course
	})].ID
	p.SeatsOf(other, 1)
	if got := p.Takes(4, other); got != "" {
		t.Fatal(got)
	}
	if got := p.Takes(1, "-"+mine[0], other); got != "seat-gone "+other || p.Own(1) != mine[0] {
		t.Errorf("%s; has %s", got, p.Own(1))
	}
}

// Complete, looked at, handed in; opened again with a message. After the look a change needs another one.
func TestHandingInSeats(t *testing.T) {
	p := apptest.NewPoint(t)
	at, who := p.Of(1)
	counselor := p.Who("ms.torvund")
	mine := p.Planted["sk001"]
	if got := p.Takes(1, mine[:len(mine)-1]...); got != "" {
		t.Fatal(got)
	}
	look := func() string { _, err := p.Seats.LookAtSeats(t.Context(), counselor, at); return p.Said(err) }
	submit := func() string { _, err := p.Seats.SubmitSeats(t.Context(), who, at, ""); return p.Said(err) }
	if got := look() + ", " + submit(); got != "week-open, week-open" {
		t.Errorf("with a cell open: %s", got)
	}
	if got := p.Takes(1, mine[len(mine)-1]); got != "" {
		t.Fatal(got)
	}
	if w := p.Week(1); !w.Found.Complete || w.SeatNext != acts.LookAtSeats {
		t.Errorf("complete: %v, next %v", w.Found.Complete, w.SeatNext)
	}
	list, err := p.Seats.Choosing(t.Context(), counselor, at.School, at.Year)
	if err != nil || len(list) != apptest.PointStudents {
		t.Fatal(len(list), err)
	}
	done := 0
	for _, x := range list {
		if x.Complete {
			done++
			if x.Student != "sk001" || x.Open != 0 || x.Looked || !x.Look.Allowed || x.Next != acts.LookAtSeats || !x.Begun {
				t.Errorf("%+v", x)
			}
		} else if x.Begun || x.Open != 108 || x.Look.Allowed || x.Next != acts.TakeSeats {
			t.Errorf("%s has %d cells open", x.Student, x.Open)
		}
	}
	if got := submit(); done != 1 || got != "not-looked-at" {
		t.Errorf("%d complete; submitting says %s", done, got)
	}
	if got := look() + look(); got != "" {
		t.Errorf("looking: %s", got)
	}
	p.DB.Exec(t, `INSERT INTO hook (school_id, name, url, kinds, salt, by_name, made_at) VALUES ($1, 'Registry', '', '["submitted"]', '', '', now())`, at.School)
	club := mine[len(mine)-1]
	if got := p.Takes(1, "-"+club) + p.Takes(1, club) + submit(); got != "" { // the same as was looked at
		t.Errorf("given back, taken again and submitted: %s", got)
	}
	w := p.Week(1)
	if w.Choice.State != "done" || w.Choice.Receipt == "" || !w.Nothing {
		t.Errorf("handed in: %+v", w.Choice)
	}
	receipt := w.Choice.Receipt
	if got := testdb.Value[string](t, p.DB, `SELECT string_agg(kind || ' ' || student_id || ' ' || (detail->>'receipt') || ' ' || (detail->>'seats'), ', ') FROM hook_message`); got != "submitted sk001 "+receipt+" true" {
		t.Errorf("another system is told %s", got)
	}
	if got := submit(); got != "" || p.Week(1).Choice.Receipt != receipt {
		t.Errorf("twice: %s, %s", got, p.Week(1).Choice.Receipt)
	}
	if got := p.Takes(1, "-"+club); got != "locked" {
		t.Errorf("a change after handing in: %s", got)
	}
	if _, err := p.Seats.ReturnSeats(t.Context(), counselor, at, " "); p.Said(err) != "needs-reason" {
		t.Errorf("opened again without a word: %v", err)
	}
	if _, err := p.Seats.ReturnSeats(t.Context(), counselor, at, "Choir moved."); err != nil {
		t.Fatal(err)
	}
	if w = p.Week(1); w.Choice.State != "choosing" || w.Choice.Message != "Choir moved." || w.Looked() {
		t.Errorf("opened again: %+v", w.Choice)
	}
	kinds := testdb.Value[string](t, p.DB, `SELECT string_agg(kind || CASE WHEN reason = '' THEN '' ELSE ': ' || reason END, ', ' ORDER BY id) FROM seat_act WHERE student_id = 'sk001'`)
	if kinds != "take, take, look, take, take, submit, return: Choir moved." {
		t.Errorf("noted: %s", kinds)
	}
	if _, err := p.DB.SQL(t).ExecContext(t.Context(), `UPDATE seat_act SET kind = 'look'`); err == nil {
		t.Error("the server can rewrite what was done")
	}
}

// Who waits is offered a seat that frees, the first whom it fits, for a set time; then the next. A seat that is offered is no one else's.
func TestWaitingForASeat(t *testing.T) {
	p := apptest.NewPoint(t)
	section := p.Planted["sk001"][0] // of English 10
	p.SeatsOf(section, 1)
	waits := func(n int, on bool) string {
		at, who := p.Of(n)
		_, err := p.Seats.WaitForSeat(t.Context(), who, at, section, on)
		return p.Said(err)
	}
	if got := waits(4, true); got != "seat-free" {
		t.Errorf("waiting for a seat that is free: %s", got)
	}
	if got := p.Takes(1, section); got != "" {
		t.Fatal(got)
	}
	var other string // what meets at its time, so that the second in the line cannot take it
	w := p.Week(4)
	at := slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool { return x.ID == section })
	for i, x := range w.Sections {
		if x.ID != section && x.Course != w.Sections[at].Course && slices.Equal(x.Periods, w.Sections[at].Periods) && len(x.Terms) == 2 && w.Lines[i].May == "" {
			other = x.ID
		}
	}
	if got := p.Takes(4, other); got != "" {
		t.Fatal(got)
	}
	for i, n := range []int{4, 7, 10} {
		if got := waits(n, true) + waits(n, true); got != "" {
			t.Fatal(got)
		}
		p.At(testdb.Now.Add(time.Duration(i) * time.Second))
	}
	if x := p.Week(10).Waits; len(x) != 1 || x[0].Before != 2 {
		t.Errorf("the third waits: %+v", x)
	}
	if got := p.Takes(1, "-"+section); got != "" {
		t.Fatal(got)
	}
	// The first has something then; the second is offered it.
	seventh := p.Week(7)
	if x := seventh.Waits; len(x) != 1 || x[0].Until == nil || x[0].Until.Sub(testdb.Now) < time.Hour || apptest.Line(seventh, section).Left != 1 {
		t.Fatalf("the second is offered it: %+v, %d left", x, apptest.Line(seventh, section).Left)
	}
	told := testdb.Value[string](t, p.DB, `SELECT string_agg(l.person_id || ' ' || (l.detail->>'course') || ' ' || (l.detail->>'until'), ', ' ORDER BY l.person_id = l.student_id DESC) FROM letter l WHERE l.kind = 'offered'`)
	if want := fmt.Sprintf("sk007 %s %s", seventh.Sections[at].Course, seventh.Waits[0].Until.UTC().Format(time.RFC3339)); !strings.HasPrefix(told, want) {
		t.Errorf("told by mail: %s; %s", told, want)
	}
	if got := p.Takes(13, section) + ", " + p.Takes(10, section); got != "seat-gone "+section+", seat-gone "+section {
		t.Errorf("others take what is offered: %s", got)
	}
	if err := p.Seats.OfferSeats(t.Context()); err != nil || len(p.Week(7).Waits) != 1 {
		t.Errorf("an offer that stands: %v", err)
	}
	p.At(testdb.Now.Add(2 * time.Hour))
	if err := p.Seats.OfferSeats(t.Context()); err != nil {
		t.Fatal(err)
	}
	if a, b := p.Week(7).Waits, p.Week(10).Waits; len(a) != 0 || len(b) != 1 || b[0].Until == nil {
		t.Errorf("an hour later: %+v, %+v", a, b)
	}
	if got := p.Takes(10, section); got != "" || len(p.Week(10).Waits) != 0 || p.Own(10) != section {
		t.Errorf("who is offered it takes it: %s", got)
	}
	if got := waits(4, false); got != "" || len(p.Week(4).Waits) != 0 {
		t.Errorf("the first waits no longer: %s", got)
	}
	// By lottery the lot decides.
	if err := p.Seats.SetSeatRules(t.Context(), p.Who("office.skerry"), demo.SkerryID, testdb.Year, seats.SeatRules{Waiting: "lottery", Minutes: 5}); err != nil {
		t.Fatal(err)
	}
	for _, n := range []int{13, 16, 19} {
		if got := waits(n, true); got != "" {
			t.Fatal(got)
		}
	}
	testdb.Value[int](t, p.DB, `WITH a AS (UPDATE seat_wait SET lot = CASE student_id WHEN 'sk016' THEN 1 WHEN 'sk019' THEN 2 ELSE 3 END RETURNING 1) SELECT count(*) FROM a`)
	if got := p.Takes(10, "-"+section); got != "" {
		t.Fatal(got)
	}
	if x := p.Week(16).Waits; len(x) != 1 || x[0].Until == nil || x[0].Until.Sub(testdb.Now.Add(2*time.Hour)) != 5*time.Minute {
		t.Errorf("who has the first lot: %+v", x)
	}
	// More seats are offered too.
	p.SeatsOf(section, 2)
	if x := p.Week(19).Waits; len(x) != 1 || x[0].Until == nil {
		t.Errorf("with one seat more the second: %+v", x)
	}
	if x := p.Week(13).Waits; len(x) != 1 || x[0].Until != nil || x[0].Before != 2 {
		t.Errorf("and the third: %+v", x)
	}
	if got := p.Said(p.Seats.SetSeatRules(t.Context(), p.Who("office.skerry"), demo.SkerryID, testdb.Year, seats.SeatRules{Waiting: "luck", Minutes: 5})); got != "bad-window" {
		t.Errorf("another way to choose: %s", got)
	}
	_, student := p.Of(1)
	if got := p.Said(p.Seats.SetSeatRules(t.Context(), student, demo.SkerryID, testdb.Year, seats.SeatRules{Waiting: "order", Minutes: 5})); got != "forbidden" {
		t.Errorf("a student sets the rules: %s", got)
	}
}

// What is proposed completes the week next to what is there, from what the sheet asks for, and can be taken as it is.
func TestProposingAWeek(t *testing.T) {
	p := apptest.NewPoint(t)
	for n := 1; n <= 12; n++ {
		at, who := p.Of(n)
		if n%2 == 0 { // some have something already
			if got := p.Takes(n, p.Planted[at.Student][n%5]); got != "" {
				t.Fatal(got)
			}
		}
		w, list, err := p.Seats.ProposeSeats(t.Context(), who, at)
		if err != nil {
			t.Fatal(err)
		}
		var ids []string
		asked := 0
		for _, i := range list {
			ids = append(ids, w.Sections[i].ID)
			if w.Lines[i].Rank > 0 {
				asked++
			}
		}
		w, err = p.Seats.TakeSeats(t.Context(), who, at, seats.SeatsChange{Take: ids})
		if err != nil || !w.Found.Complete {
			t.Fatalf("student %d takes %v: %v, %+v", n, ids, err, w)
		}
		if wanted := len(w.Sheet.Requests) - 2; asked < wanted-len(w.Own)+len(list) { // one of them may be at the time of another
			t.Errorf("student %d is given %d of what they ask for, of %d", n, asked, wanted)
		}
	}
}

// What fills an opening, what it would push out and what is full, of one student's week.
func TestWaysToFillAnOpening(t *testing.T) {
	p := apptest.NewPoint(t)
	at, who := p.Of(1)
	mine := p.Planted["sk001"]
	if got := p.Takes(1, mine[1:]...); got != "" {
		t.Fatal(got)
	}
	w := p.Week(1)
	english := w.Sections[slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool { return x.ID == mine[0] })]
	_, ways, err := p.Seats.Ways(t.Context(), who, at, seats.Opening{Period: english.Periods[0]})
	if err != nil || len(ways.Cells) != 12 || len(ways.Fill) == 0 || w.Sections[ways.Fill[0][0]].ID != mine[0] {
		t.Fatalf("%v %+v", err, ways)
	}
	for _, f := range ways.Fill { // each way can be taken as it is
		var ids []string
		for _, i := range f {
			ids = append(ids, w.Sections[i].ID)
		}
		if got := p.Takes(1, ids...); got != "" || len(p.Week(1).Found.Open) != 0 {
			t.Fatalf("%v: %s", ids, got)
		}
		for i := range ids {
			ids[i] = "-" + ids[i]
		}
		if got := p.Takes(1, ids...); got != "" {
			t.Fatal(got)
		}
	}
	if _, half, err := p.Seats.Ways(t.Context(), who, at, seats.Opening{Period: english.Periods[0], Terms: []int{1}, Days: []int{1, 3}}); err != nil || len(half.Cells) != 2 {
		t.Errorf("two days of one semester: %v %+v", err, half)
	}
	for _, c := range ways.Collide { // what has another section can be moved there in one act
		var moved []string
		for _, push := range c.Pushes {
			if len(push.Instead) == 0 {
				moved = nil
				break
			}
			moved = append(moved, "-"+w.Sections[push.Own].ID, w.Sections[push.Instead[0]].ID)
		}
		if len(c.Pushes) == 1 && moved != nil {
			if got := p.Takes(1, append(moved, w.Sections[c.Section].ID)...); got != "" {
				t.Errorf("%v: %s", moved, got)
			}
			break
		}
	}
	p.SeatsOf(mine[0], 1)
	if got := p.Takes(4, mine[0]); got != "" {
		t.Fatal(got)
	}
	if _, ways, err = p.Seats.Ways(t.Context(), who, at, seats.Opening{Period: english.Periods[0]}); err != nil || !slices.ContainsFunc(ways.Full, func(i int) bool { return w.Sections[i].ID == mine[0] }) && p.Own(1) == strings.Join(mine[1:], " ") {
		t.Errorf("what is full: %v %+v", err, ways)
	}
}

// Seats that are left, and what becomes of one's own choice, are heard across processes by who looks at them, and no one else.
func TestSeatsAreHeard(t *testing.T) {
	p := apptest.NewPoint(t)
	second := p.Second()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	at, who := p.Of(2)
	w, err := second.Messages.WatchSeats(ctx, who, at)
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	all, err := second.Messages.WatchChoosing(ctx, p.Who("ms.torvund"), at.School, at.Year)
	if err != nil {
		t.Fatal(err)
	}
	defer all.Close()
	if _, err := p.Messages.WatchChoosing(ctx, who, at.School, at.Year); p.Said(err) != "forbidden" {
		t.Errorf("a student watches everybody: %v", err)
	}
	go p.Messages.Live(ctx)
	go second.Messages.Live(ctx)
	apptest.Hears(t, w)
	apptest.Hears(t, all)
	section := p.Planted["sk001"][0]
	left := apptest.Line(p.Week(1), section).Left
	if got := p.Takes(1, section); got != "" {
		t.Fatal(got)
	}
	if got := apptest.Hears(t, w); got.Student != "" || got.Left[section] != left-1 || len(got.Left) != 1 {
		t.Errorf("another student hears %+v, want %d left", got, left-1)
	}
	if got := apptest.Hears(t, all); got.Student != "sk001" {
		t.Errorf("the counselor hears %+v", got)
	}
}

// A section with students in it is not taken away, neither by hand nor by the school's data; its seats are kept when these are taken in again.
func TestSectionsWithStudentsStay(t *testing.T) {
	p := apptest.NewPoint(t)
	section := p.Planted["sk001"][0]
	if got := p.Takes(1, section); got != "" {
		t.Fatal(got)
	}
	office := p.Who("office.skerry")
	m, err := p.Schedule.MasterSchedule(t.Context(), office, demo.SkerryID, testdb.Year)
	if err != nil {
		t.Fatal(err)
	}
	x := m.Sections[slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == section })]
	if got := p.Said(p.Schedule.RemoveSection(t.Context(), office, demo.SkerryID, testdb.Year, x.ID, x.Rev)); got != "section-taken" {
		t.Errorf("taken away by hand: %s", got)
	}
	files, _ := demo.Skerry(7, apptest.PointStudents)
	again := func() error {
		b, err := bundle.ReadFiles(files)
		if err != nil || len(b.Problems) > 0 {
			t.Fatal(err, b.Problems)
		}
		_, err = p.Imports.Import(t.Context(), b, 0)
		return err
	}
	if err := again(); err != nil || p.Own(1) != section {
		t.Errorf("the same data again: %v, %s", err, p.Own(1))
	}
	for i := range files {
		if f := &files[i]; f.Name == "classes.csv" {
			f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool { return row[0] == section })
		}
	}
	var bad *imports.BadBundle
	if err := again(); !errors.As(err, &bad) || len(bad.Problems) != 1 || !strings.HasPrefix(bad.Problems[0].What, section+" is gone, but students are or were enrolled in it here (1)") || p.Own(1) != section {
		t.Errorf("data without the section: %v", err)
	}
}

// Who asks while someone else is about to take the last seat waits for them, and is told that it is gone.
func TestAskingWhileAnotherTakes(t *testing.T) {
	p := apptest.NewPoint(t)
	section := p.Planted["sk001"][0]
	p.SeatsOf(section, 1)
	tx, err := p.DB.SQL(t).BeginTxx(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, query := range []string{`SELECT 1 FROM section WHERE school_id = $1 AND id = $2 FOR NO KEY UPDATE`,
		`INSERT INTO enrollment (school_id, year, student_id, section_id, at, by_name) VALUES ($1, 2027, 'sk004', $2, now(), 'x')`} {
		if _, err := tx.ExecContext(t.Context(), query, demo.SkerryID, section); err != nil {
			t.Fatal(err)
		}
	}
	said := make(chan string, 1)
	at, who := p.Of(1)
	go func() {
		_, err := p.Seats.TakeSeats(context.Background(), who, at, seats.SeatsChange{Take: []string{section}})
		said <- p.Said(err)
	}()
	for waits := 0; waits == 0 && len(said) == 0; {
		waits = testdb.Value[int](t, p.DB, `SELECT count(*) FROM pg_locks WHERE NOT granted`)
	}
	if err := tx.Commit(); err != nil {
		t.Fatal(err)
	}
	if got := <-said; got != "seat-gone "+section {
		t.Errorf("the second is answered %q", got)
	}
}

// One student in two windows takes two seats at the same time of the week: one is taken, the other is refused.
func TestTwoWindowsOfOneStudent(t *testing.T) {
	p := apptest.NewPoint(t)
	second := p.Second()
	w := p.Week(1)
	var same []string // what meets when English does, of different courses
	english := slices.IndexFunc(w.Sections, func(x schedule.TableSection) bool { return x.ID == p.Planted["sk001"][0] })
	for i, x := range w.Sections {
		if slices.Equal(x.Periods, w.Sections[english].Periods) && len(x.Terms) == 2 && len(x.Days) == 6 && w.Lines[i].May == "" && x.Course != w.Sections[english].Course {
			same = append(same, x.ID)
		}
	}
	for n := 1; n <= 25; n += 3 {
		at, who := p.Of(n)
		var wait sync.WaitGroup
		said := make([]string, 2)
		begin := make(chan struct{})
		for i, service := range []*app.App{p.App, second} {
			section := []string{w.Sections[english].ID, same[0]}[i]
			wait.Go(func() {
				<-begin
				_, err := service.Seats.TakeSeats(context.Background(), who, at, seats.SeatsChange{Take: []string{section}})
				said[i] = string(problem.CodeOf(err))
			})
		}
		close(begin)
		wait.Wait()
		slices.Sort(said)
		if said[0] != "" || said[1] != "seat-clash" {
			t.Errorf("student %d is answered %q; has %s", n, said, p.Own(n))
		}
	}
}

// Submitting ends waiting: what is offered goes to the next in line, and a seat is never offered to someone who has submitted.
func TestSubmittingEndsWaiting(t *testing.T) {
	p := apptest.NewPoint(t)
	mine := p.Planted["sk001"]
	full := p.Week(1).Sections[slices.IndexFunc(p.Week(1).Sections, func(x schedule.TableSection) bool { return !slices.Contains(mine, x.ID) })].ID
	p.SeatsOf(full, 1)
	if got := p.Takes(7, full); got != "" {
		t.Fatal(got)
	}
	if got := p.Takes(1, mine...); got != "" {
		t.Fatal(got)
	}
	at, who := p.Of(1)
	next, other := p.Of(4)
	for place, by := range map[schoolyear.Place]int64{at: who, next: other} {
		if _, err := p.Seats.WaitForSeat(t.Context(), by, place, full, true); err != nil {
			t.Fatal(err)
		}
	}
	p.DB.Exec(t, `UPDATE seat_wait SET at = at - interval '1 hour' WHERE student_id = 'sk001'`)
	counselor := p.Who("ms.torvund")
	if _, err := p.Seats.LookAtSeats(t.Context(), counselor, at); err != nil {
		t.Fatal(err)
	}
	w, err := p.Seats.SubmitSeats(t.Context(), who, at, "")
	if err != nil || len(w.Waits) != 0 {
		t.Fatalf("after submitting: %+v, %v", w.Waits, err)
	}
	list, err := p.Seats.SeatHistory(t.Context(), who, at, 0)
	if err != nil || list[0].Kind != "submit" || !strings.Contains(string(list[0].Detail), full) {
		t.Errorf("what is noted: %+v, %v", list[0], err)
	}
	// One who waits although they have submitted, as one did before submitting ended it, is passed over.
	p.DB.Exec(t, `INSERT INTO seat_wait (school_id, year, student_id, section_id, lot, at) VALUES ($1, $2, $3, $4, 1, now() - interval '1 day')`, at.School, at.Year, at.Student, full)
	if got := p.Takes(7, "-"+full); got != "" {
		t.Fatal(got)
	}
	if x := p.Week(4).Waits; len(x) != 1 || x[0].Until == nil {
		t.Errorf("the next in line: %+v", x)
	}
	if n := testdb.Value[int](t, p.DB, `SELECT count(*) FROM seat_wait WHERE student_id = 'sk001' AND offered_until IS NOT NULL`); n != 0 {
		t.Error("a seat is offered to somebody who has submitted")
	}
}

// TestNoSchoolWaitsForAnother: six hundred sections of a school before it, whose seats no one can take, keep no one of another school from
// an offer, nor its offers from lapsing; neither does one whose data are broken.
func TestNoSchoolWaitsForAnother(t *testing.T) {
	p := apptest.NewPoint(t)
	section, second := p.Planted["sk001"][0], p.Planted["sk001"][1]
	for _, id := range []string{section, second} {
		p.SeatsOf(id, 1)
		if got := p.Takes(1, id); got != "" {
			t.Fatal(got)
		}
	}
	at, who := p.Of(4)
	for _, id := range []string{section, second} {
		if _, err := p.Seats.WaitForSeat(t.Context(), who, at, id, true); err != nil {
			t.Fatal(err)
		}
	}
	p.Crowd("crowded", 600, "")
	p.DB.Exec(t, `INSERT INTO request_window (school_id, year, grade, round, opens, families_close, counselors_close) SELECT 'crowded', year, grade, round, opens, families_close, counselors_close
		FROM request_window WHERE school_id = $1 AND round = 'seats'`, demo.SkerryID)
	p.Crowd("broken", 600, "now() - interval '1 day'")
	p.DB.Exec(t, `UPDATE policy SET text = 'no rules' WHERE school_id = 'broken'`)
	p.DB.Exec(t, `UPDATE school_year SET policy_version = policy_version + 1 WHERE school_id = 'broken'`)
	p.DB.Exec(t, `DELETE FROM enrollment WHERE student_id = 'sk001' AND section_id = $1`, section)
	p.DB.Exec(t, `UPDATE seat_wait SET offered_until = $2 WHERE student_id = 'sk004' AND section_id = $1`, second, testdb.Now.Add(-time.Minute))
	if err := p.Seats.OfferSeats(t.Context()); err != nil {
		t.Fatal(err)
	}
	waits := p.Week(4).Waits
	if len(waits) != 1 || waits[0].Section != section || waits[0].Until == nil {
		t.Errorf("after one round: %+v; want the offer that is over gone, and the free seat offered", waits)
	}
}

// TestOneRoundAtATime: while one process looks for seats to offer, another one does not.
func TestOneRoundAtATime(t *testing.T) {
	p := apptest.NewPoint(t)
	p.DB.Exec(t, `INSERT INTO lease VALUES ('offer seats', 'another process', now() + interval '1 minute')`)
	section := p.Planted["sk001"][0]
	p.SeatsOf(section, 1)
	if got := p.Takes(1, section); got != "" {
		t.Fatal(got)
	}
	at, who := p.Of(4)
	if _, err := p.Seats.WaitForSeat(t.Context(), who, at, section, true); err != nil {
		t.Fatal(err)
	}
	p.DB.Exec(t, `DELETE FROM enrollment WHERE student_id = 'sk001'`)
	if err := p.Seats.OfferSeats(t.Context()); err != nil || p.Week(4).Waits[0].Until != nil {
		t.Errorf("beside another round: %v, %+v", err, p.Week(4).Waits)
	}
	p.DB.Exec(t, `UPDATE lease SET until = now() - interval '1 second'`) // the process is gone
	if err := p.Seats.OfferSeats(t.Context()); err != nil || p.Week(4).Waits[0].Until == nil {
		t.Errorf("when that one is gone: %v, %+v", err, p.Week(4).Waits)
	}
	if n := testdb.Value[int](t, p.DB, `SELECT count(*) FROM lease`); n != 0 {
		t.Errorf("%d leases are left", n)
	}
}

// However a seat has come free, who waits for it is offered it by the next look; but not where they cannot take it any more.
func TestFreeSeatsAreOffered(t *testing.T) {
	p := apptest.NewPoint(t)
	section := p.Planted["sk001"][0]
	p.SeatsOf(section, 1)
	if got := p.Takes(1, section); got != "" {
		t.Fatal(got)
	}
	at, who := p.Of(4)
	if _, err := p.Seats.WaitForSeat(t.Context(), who, at, section, true); err != nil {
		t.Fatal(err)
	}
	offered := func() bool {
		t.Helper()
		if err := p.Seats.OfferSeats(t.Context()); err != nil {
			t.Fatal(err)
		}
		x := p.Week(4).Waits
		return len(x) == 1 && x[0].Until != nil
	}
	if offered() {
		t.Error("a seat is offered that is not free")
	}
	p.DB.Exec(t, `DELETE FROM enrollment WHERE student_id = 'sk001'`)
	p.Opens(testdb.Now.AddDate(0, 0, -3))
	if offered() {
		t.Error("a seat is offered to who cannot take it any more")
	}
	p.Opens(testdb.Now.Add(-time.Hour))
	if !offered() {
		t.Error("a seat that is free is not offered")
	}
	// One that a counselor takes away before the section has begun is offered at once.
	second, account := p.Of(7)
	if got := p.Takes(4, section); got != "" {
		t.Fatal(got)
	}
	if _, err := p.Seats.WaitForSeat(t.Context(), account, second, section, true); err != nil {
		t.Fatal(err)
	}
	if _, err := p.Seats.ChangeOn(t.Context(), p.Who("ms.torvund"), at, seats.DatedChange{Drop: []string{section}, On: "2027-08-30", Reason: "x"}); err != nil {
		t.Fatal(err)
	}
	if x := p.Week(7).Waits; len(x) != 1 || x[0].Until == nil {
		t.Errorf("after a change by the counselor: %+v", x)
	}
}
