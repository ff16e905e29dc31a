package account_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"

	"rubricon/app"
	"rubricon/app/account"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/demo"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

func TestSigningIn(t *testing.T) {
	h := apptest.NewHouse(t)
	first, err := h.Enter("mara.quill", demo.Password, "")
	if err != nil || first.Account != h.Who("mara.quill") || first.Device == "" {
		t.Fatalf("%+v, %v", first, err)
	}
	again, err := h.Enter("mara.quill", demo.Password, first.Device)
	if err != nil || again.Device != first.Device {
		t.Errorf("from the same device: %+v, %v", again, err)
	}
	other, err := h.Enter("mara.quill", demo.Password, "made up")
	if err != nil || other.Device == "made up" || other.Device == first.Device {
		t.Errorf("with a token nobody gave: %+v, %v", other, err)
	}
	for _, c := range [][2]string{{"mara.quill", "wrong"}, {"mara.quill", ""}, {"nobody", demo.Password}, {"", ""}, {"MARA.QUILL", demo.Password}} {
		if _, err := h.Enter(c[0], c[1], ""); problem.CodeOf(err) != problem.SignInFailed {
			t.Errorf("%v: %v", c, err)
		}
	}
	username := testdb.Value[string](t, h.DB, `SELECT username FROM account a WHERE NOT EXISTS (SELECT 1 FROM account_password p WHERE p.account_id = a.id) LIMIT 1`)
	if _, err := h.Enter(username, "", ""); problem.CodeOf(err) != problem.SignInFailed {
		t.Errorf("an account without a password: %v", err)
	}
}

// A known device is one of this account; it is not locked out by what others do, nor does it unlock another account.
func TestKnownDevices(t *testing.T) {
	h := apptest.NewHouse(t)
	mara, err := h.Enter("mara.quill", demo.Password, "")
	if err != nil {
		t.Fatal(err)
	}
	for range 5 {
		_, _ = h.Enter("mara.quill", "wrong", "")
		_, _ = h.Enter("ilse.quill", "wrong", "")
	}
	var wait *problem.Error
	if _, err := h.Enter("mara.quill", demo.Password, ""); !errors.As(err, &wait) || wait.Code != problem.TooMany || wait.Wait != time.Second {
		t.Errorf("from elsewhere: %v", err)
	}
	if _, err := h.Enter("ilse.quill", demo.Password, mara.Device); problem.CodeOf(err) != problem.TooMany {
		t.Errorf("another account with her device: %v", err)
	}
	if _, err := h.Enter("mara.quill", demo.Password, mara.Device); err != nil {
		t.Errorf("from her device: %v", err)
	}
	// The address is full of others' failures.
	for n := range 70 {
		_, _ = h.Enter(fmt.Sprint("nobody", n), "wrong", "")
	}
	if _, err := h.Enter("ms.arden", demo.Password, ""); problem.CodeOf(err) != problem.TooMany {
		t.Errorf("somebody else at the address: %v", err)
	}
	if _, err := h.Enter("mara.quill", demo.Password, mara.Device); err != nil {
		t.Errorf("from her device, at that address: %v", err)
	}
	// A new password makes every device a stranger.
	if _, err := h.Account.GivePassword(t.Context(), h.Who("office"), "pellworth", testdb.Year, "s0001", false); err != nil {
		t.Fatal(err)
	}
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM account_device WHERE account_id = $1`, h.Who("mara.quill")); n != 0 {
		t.Errorf("%d devices are still known", n)
	}
}

// Success forgets what was counted, for the account and for one attempt of the address.
func TestSuccessForgets(t *testing.T) {
	h := apptest.NewHouse(t)
	for range 30 {
		for range 4 {
			_, _ = h.Enter("mara.quill", "wrong", "")
		}
		if _, err := h.Enter("mara.quill", demo.Password, ""); err != nil {
			if problem.CodeOf(err) == problem.TooMany {
				break // the address, in the end
			}
			t.Fatal(err)
		}
	}
	level := testdb.Value[float64](t, h.DB, `SELECT level FROM sign_in_pressure WHERE key = 'address here'`)
	if level < 59 || level > 61 {
		t.Errorf("the address is at %v", level)
	}
	if keys := testdb.Value[string](t, h.DB, `SELECT string_agg(key, ' ') FROM sign_in_pressure`); strings.Contains(keys, "mara") {
		t.Errorf("what was typed is kept: %s", keys)
	}
}

// Hashes are checked by what is stored with them, and raised when that has become too little.
func TestHashesAreRaised(t *testing.T) {
	h := apptest.NewHouse(t)
	hash := func() string {
		return testdb.Value[string](t, h.DB, `SELECT hash FROM account_password WHERE account_id = $1`, h.Who("mara.quill"))
	}
	was := hash()
	if !strings.HasPrefix(was, "$argon2id$v=19$m=64,t=1,p=1$") {
		t.Fatal(was)
	}
	if _, err := h.Enter("mara.quill", demo.Password, ""); err != nil || hash() != was {
		t.Errorf("as good as wanted it is made anew: %s, %v", hash(), err)
	}
	for _, better := range []argon2id.Params{{Memory: 128, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}, {Memory: 128, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}} {
		strong := app.New(h.DB.Open(t), app.Options{Log: testdb.Quiet, Hashes: better})
		if _, err := strong.Account.SignIn(t.Context(), "mara.quill", "wrong", account.Client{}); problem.CodeOf(err) != problem.SignInFailed || hash() != was {
			t.Errorf("a wrong password raised it: %v", err)
		}
		if in, err := strong.Account.SignIn(t.Context(), "mara.quill", demo.Password, account.Client{}); err != nil || in == nil || in.Account != h.Who("mara.quill") {
			t.Fatalf("signed in %+v: %v", in, err)
		}
		if now := hash(); now == was || !strings.Contains(now, fmt.Sprintf("m=%d,t=%d,", better.Memory, better.Iterations)) {
			t.Errorf("raised to %s", now)
		}
		was = hash()
	}
	if _, err := h.Enter("mara.quill", demo.Password, ""); err != nil || hash() != was {
		t.Errorf("a server that wants less lowered it: %s, %v", hash(), err)
	}
	h.DB.Exec(t, `UPDATE account_password SET hash = 'nonsense'`)
	if _, err := h.Enter("ms.arden", demo.Password, ""); err == nil || problem.CodeOf(err) != "" {
		t.Errorf("a hash that cannot be read: %v", err)
	}
}

// The default is the second recommended setting of RFC 9106, section 4.
func TestTheDefaultHash(t *testing.T) {
	h := apptest.NewHouse(t)
	standard := app.New(h.DB.Open(t), app.Options{Log: testdb.Quiet})
	if _, err := standard.Account.SignIn(t.Context(), "mara.quill", demo.Password, account.Client{}); err != nil {
		t.Fatal(err)
	}
	if hash := testdb.Value[string](t, h.DB, `SELECT hash FROM account_password WHERE account_id = $1`, h.Who("mara.quill")); !strings.HasPrefix(hash, "$argon2id$v=19$m=65536,t=3,p=4$") {
		t.Error(hash)
	}
}

// Anyone who has gone does not wait for a turn to hash.
func TestWaitingForTheHasher(t *testing.T) {
	h := apptest.NewHouse(t)
	slow := app.New(h.DB.Open(t), app.Options{Log: testdb.Quiet, Hashes: argon2id.Params{Memory: 64 << 10, Iterations: 3, Parallelism: 1, SaltLength: 16, KeyLength: 32}})
	var wait sync.WaitGroup
	for n := range 8 {
		wait.Go(func() {
			_, _ = slow.Account.SignIn(context.Background(), fmt.Sprint("nobody", n), "x", account.Client{Address: fmt.Sprint(n)})
		})
	}
	ctx, stop := context.WithCancel(t.Context())
	stop()
	if _, err := slow.Account.SignIn(ctx, "nobody", "x", account.Client{}); !errors.Is(err, context.Canceled) {
		t.Errorf("it gives %v", err)
	}
	wait.Wait()
}

// While too many wait for their passwords to be checked, others are told at once when it is their turn, each at another time, and anyone who asks again keeps the place; those who were not tried are not counted as if they had failed.
func TestTooManySignInAtOnce(t *testing.T) {
	h := apptest.NewHouse(t)
	slow := app.New(h.DB.Open(t), app.Options{Now: func() time.Time { return testdb.Now }, Log: testdb.Quiet, Hashes: argon2id.Params{Memory: 64 << 10, Iterations: 12, Parallelism: 1, SaltLength: 16, KeyLength: 32}})
	ctx, stop := context.WithCancel(t.Context())
	var wait sync.WaitGroup
	type turn struct {
		who  int
		wait time.Duration
	}
	told := make(chan turn, 1000)
	try := func(n int) (turn, bool) {
		_, err := slow.Account.SignIn(ctx, fmt.Sprint("nobody", n), "x", account.Client{Address: fmt.Sprint(n)})
		var busy *problem.Error
		if !errors.As(err, &busy) || busy.Code != problem.Crowded {
			return turn{}, false
		}
		return turn{n, busy.Wait}, true
	}
	for n := range 400 {
		wait.Go(func() {
			if x, ok := try(n); ok {
				told <- x
			}
		})
	}
	seen := map[time.Duration]bool{}
	var last turn
	for range 50 {
		select {
		case last = <-told:
		case <-time.After(2 * time.Minute):
			t.Fatal("400 sign in at once, and fewer than 50 are told to come back")
		}
		if last.wait < time.Second || last.wait > 3*time.Minute || seen[last.wait] {
			t.Errorf("one of those who are too many is told to come back in %v", last.wait)
		}
		seen[last.wait] = true
	}
	if again, ok := try(last.who); !ok || again.wait > last.wait || again.wait < last.wait-10*time.Second {
		t.Errorf("told to come back in %v, and asking again in %v", last.wait, again.wait)
	}
	stop()
	wait.Wait()
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM sign_in_pressure WHERE level > 0 AND key LIKE 'account %'`); n > 4 { // those that were being tried just then
		t.Errorf("%d count as failed", n)
	}
	if _, err := h.Account.SignIn(t.Context(), "mara.quill", demo.Password, account.Client{Address: "1"}); err != nil {
		t.Errorf("afterwards: %v", err)
	}
}

func TestChangingAPassword(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, by := t.Context(), h.Who("mara.quill")
	long := strings.Repeat("heron over the sound ", 24)[:500-4] + "tide"
	for _, c := range []struct {
		old, new string
		want     problem.Code
	}{
		{"wrong", "long enough", problem.SignInFailed}, {demo.Password, "nine char", problem.BadPassword}, {demo.Password, demo.Password, problem.BadPassword},
		{demo.Password, "Mara Quill 9", problem.CommonPassword}, {demo.Password, "ten  chars", ""}, {"ten  chars", long, ""},
	} {
		if _, err := h.Account.ChangePassword(ctx, by, "s", c.old, c.new); problem.CodeOf(err) != c.want || (err == nil) != (c.want == "") {
			t.Errorf("%.20q to %.20q: %v", c.old, c.new, err)
		}
	}
	for range 5 {
		_, _ = h.Account.ChangePassword(ctx, by, "s", "wrong", "long enough")
	}
	if _, err := h.Account.ChangePassword(ctx, by, "s", long, "long enough"); problem.CodeOf(err) != problem.TooMany {
		t.Errorf("after five wrong ones: %v", err)
	}
	if _, err := h.Account.ChangePassword(ctx, 0, "s", "x", "y"); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("nobody's: %v", err)
	}
}

func TestWhoIsSignedIn(t *testing.T) {
	h := apptest.NewHouse(t)
	if _, err := h.Account.Me(t.Context(), 0); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("nobody: %v", err)
	}
	h.DB.Exec(t, `INSERT INTO school VALUES ('other', 'Other')`)
	h.DB.Exec(t, `INSERT INTO person (school_id, id, ord, role, enabled, username, account_id, given_name, family_name, cells)
		SELECT 'other', 'p', 1, 'parent', true, 'ms.arden', id, 'Ada', 'Arden', '{}' FROM account WHERE username = 'ms.arden'`)
	me, err := h.Account.Me(t.Context(), h.Who("ms.arden"))
	if err != nil || len(me.Persons) != 2 || me.Persons[0].Job != "family" || me.Persons[0].Year != 0 || me.Persons[0].School != "other" || me.Persons[1].Job != "counselor" || me.Persons[1].Year != 2027 || me.Persons[1].SchoolName != "Pellworth Sound Secondary School" {
		t.Errorf("%+v, %v", me, err)
	}
	for role, job := range map[string]string{"teacher": "teacher", "aide": "teacher", "proctor": "teacher", "guardian": "family", "relative": "family", "parent": "family", "student": "student"} {
		h.DB.Exec(t, `UPDATE person SET role = $1 WHERE school_id = 'other'`, role)
		if me, err := h.Account.Me(t.Context(), h.Who("ms.arden")); err != nil || me.Persons[0].Job != job {
			t.Errorf("a %s comes as %+v, %v", role, me.Persons[0], err)
		}
	}
	h.DB.Exec(t, `INSERT INTO relation (school_id, kind, person_id, source) VALUES ('pellworth', 'administers', 'k1', 'office')`)
	if me, err := h.Account.Me(t.Context(), h.Who("ms.arden")); err != nil || me.Persons[1].Job != "counselor" {
		t.Errorf("a counselor who administers comes as %+v, %v", me.Persons[1], err)
	}
}

// Two servers on one database: what one has cached is not what was, however the other changes it.
func TestWhatIsAtHandIsNotStale(t *testing.T) {
	h := apptest.NewHouse(t)
	other := h.Second()
	look := func() string {
		d := h.Must(other.Sheet.Sheet(t.Context(), h.Who("ms.arden"), apptest.Mara))
		i, _ := d.Year.Index("TID1")
		return fmt.Sprint(d.Year.Courses[i].Title, " ", d.Year.Policy.Settings.Look, " ", d.Pupil.GivenName, " ", len(d.Known.Signals), " ", d.Window().Families.Day(), " ", len(d.Row.Entries), " ", d.Acts[acts.SendBack].Why)
	}
	if got := look(); got != "Tidal Ecology 0 Mara 5 12 9 nothing-submitted" {
		t.Fatal(got)
	}
	h.Waive()
	if got := look(); got != "Tidal Ecology 0 Mara 5 12 9 nothing-submitted" { // the claim went, a waiver came
		t.Errorf("after a decision: %s", got)
	}
	h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
	if got := look(); got != "Tidal Ecology 0 Mara 5 12 10 nothing-submitted" {
		t.Errorf("after a change: %s", got)
	}
	h.Window(testdb.Now.AddDate(0, 0, 20))
	if got := look(); got != "Tidal Ecology 0 Mara 5 22 10 nothing-submitted" {
		t.Errorf("after a new window: %s", got)
	}
	h.Bring(apptest.BundleWith(t, "courses.csv", "Tidal Ecology", "Tides", "policy.json", `"settings": {`, `"settings": {"look": "none",`, "users.csv", "Mara,Quill", "Maria,Quill",
		"signals.csv", "s0001,recommendation", "s0002,recommendation"))
	if got := look(); got != "Tides 2 Maria 4 22 10 nothing-submitted" {
		t.Errorf("after an import: %s", got)
	}
	h.DB.Exec(t, `DELETE FROM relation WHERE kind = 'counsels' AND student_id = 's0001'`)
	h.DB.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	if d := h.Must(other.Sheet.Sheet(t.Context(), h.Who("ms.arden"), apptest.Mara)); d.Acts[acts.SendBack].Why != "forbidden" {
		t.Errorf("when she counsels her no longer: %s", d.Acts[acts.SendBack].Why)
	}
}

// Of many who want a new version at once, one compiles it.
func TestOneCompilation(t *testing.T) {
	h := apptest.NewHouse(t)
	fresh := h.Second()
	accounts, err := h.Account.Accounts(t.Context(), apptest.Mara.School)
	if err != nil {
		t.Fatal(err)
	}
	var wait sync.WaitGroup
	years := make([]*schoolyear.SchoolYear, 32)
	for n := range years {
		wait.Go(func() {
			d, err := fresh.Sheet.Sheet(context.Background(), accounts[fmt.Sprintf("s%04d", 1+n)], schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: fmt.Sprintf("s%04d", 1+n)})
			if err != nil {
				t.Error(err)
				return
			}
			years[n] = d.Year
		})
	}
	wait.Wait()
	for _, y := range years {
		if y != years[0] {
			t.Fatal("it was compiled more than once")
		}
	}
}

func TestWhatIsOverIsTakenAway(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `INSERT INTO session (token, data, expiry) VALUES ('over', 'x', $1), ('not', 'x', $2)`, testdb.Now.Add(-time.Hour), testdb.Now.Add(time.Hour))
	h.DB.Exec(t, `INSERT INTO task (school_id, year, kind, name, by_name, state, made_at, ended_at) SELECT $1, 2027, 'export', 'x.zip', 'x', 'done', $2::timestamptz, $2::timestamptz - a * interval '1 day' FROM generate_series(6, 8, 2) a`, demo.SchoolID, testdb.Now)
	h.DB.Exec(t, `INSERT INTO task (school_id, year, kind, name, by_name, state, made_at) VALUES ($1, 2027, 'import', 'x.zip', 'x', 'asking', $2::timestamptz - interval '8 days')`, demo.SchoolID, testdb.Now)
	h.DB.Exec(t, `INSERT INTO task_file SELECT school_id, id, 'x' FROM task`)
	if err := h.Account.Tidy(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got := testdb.Value[string](t, h.DB, `SELECT string_agg(token, ' ') FROM session`); got != "not" {
		t.Errorf("the sessions left are %s", got)
	}
	if got := testdb.Value[string](t, h.DB, `SELECT string_agg(t.ended_at::date::text || ' ' || state || ' ' || (f.task_id IS NOT NULL), ', ' ORDER BY ended_at) FROM task t LEFT JOIN task_file f ON f.task_id = t.id`); got !=
		"2027-02-22 stopped false, 2027-02-22 done false, 2027-02-24 done true" && got != "2027-02-22 done false, 2027-02-22 stopped false, 2027-02-24 done true" {
		t.Errorf("the tasks are %s", got)
	}
}

// The right to administer is given to staff with a reason, and taken back; what comes with the school's data stays with them, and no one
// takes their own.
func TestRights(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx, office := t.Context(), h.Who("office")
	set := func(by int64, person string, give bool, reason string) string {
		return string(problem.CodeOf(h.People.SetRight(ctx, by, apptest.Mara.School, apptest.Mara.Year, person, give, reason)))
	}
	self := testdb.Value[string](t, h.DB, `SELECT id FROM person WHERE username = 'office'`)
	tolland := h.Who("mr.tolland")
	for _, c := range []struct {
		by           int64
		person       string
		give         bool
		reason, want string
	}{
		{office, "t00", true, " ", "needs-reason"}, {office, "s0001", true, "x", "already-done"}, {office, "nobody", true, "x", "already-done"}, {office, self, false, "x", "forbidden"},
		{tolland, "t01", true, "x", "forbidden"}, {office, "t00", false, "x", "already-done"}, {office, "t00", true, "While I am away.", ""}, {office, "t00", true, "x", "already-done"},
		{tolland, self, false, "x", "already-done"}, {tolland, "t01", true, "x", ""}, {office, "t00", false, "I am back.", ""}, {tolland, "t02", true, "x", "forbidden"},
	} {
		if got := set(c.by, c.person, c.give, c.reason); got != c.want {
			t.Errorf("%d, %s, %v, %q: %q, want %q", c.by, c.person, c.give, c.reason, got, c.want)
		}
	}
	list, err := h.Office.OfficeActs(ctx, office, apptest.Mara.School, apptest.Mara.Year, 0)
	if err != nil || len(list) != 3 {
		t.Fatalf("%+v, %v", list, err)
	}
	kinds := map[string]string{}
	for _, a := range list {
		kinds[a.Kind+" "+a.About] = a.By + ": " + a.Reason
	}
	if kinds["give Mr Tolland"] != "Dagny Westerdale: While I am away." || kinds["take Mr Tolland"] != "Dagny Westerdale: I am back." {
		t.Errorf("%v", kinds)
	}
	if _, err := h.Office.OfficeActs(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, 0); problem.CodeOf(err) != "forbidden" {
		t.Errorf("a counselor reads %v", err)
	}
}

// A code is good for two weeks.
func TestAnOldCode(t *testing.T) {
	h := apptest.NewHouse(t)
	code, err := h.Account.GivePassword(t.Context(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, "s0001", false)
	if err != nil {
		t.Fatal(err)
	}
	h.At(testdb.Now.AddDate(0, 0, 13))
	if in, err := h.Enter("mara.quill", code, ""); err != nil || !in.Once {
		t.Errorf("after 13 days: %+v, %v", in, err)
	}
	h.At(testdb.Now.AddDate(0, 0, 15))
	if _, err := h.Enter("mara.quill", code, ""); problem.CodeOf(err) != problem.SignInFailed {
		t.Errorf("after 15 days: %v", err)
	}
}

// Who tried to sign in is listed for the office, the latest first, whether it was let in, and forgotten after four months.
func TestSignInsAreListed(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	try := func(password string) {
		_, _ = h.Account.SignIn(ctx, "mara.quill", password, account.Client{Address: "here", Agent: strings.Repeat("é", 300)})
	}
	list := func() string {
		t.Helper()
		list, err := h.Account.SignIns(ctx, h.Who("office"), apptest.Mara.School, apptest.Mara.Year, apptest.Mara.Student, 0)
		if err != nil {
			t.Fatal(err)
		}
		out := ""
		for _, x := range list {
			if len([]rune(x.Agent)) != 200 {
				t.Errorf("%d letters are kept of what a browser calls itself", len([]rune(x.Agent)))
			}
			out += fmt.Sprintf("%s %v; ", x.At.UTC().Format("01-02 15:04"), x.Done)
		}
		return out
	}
	try("wrong")
	h.At(testdb.Now.Add(time.Hour))
	try(demo.Password)
	if _, err := h.Account.SignIn(ctx, "nobody.here", "x", account.Client{Address: "here"}); problem.CodeOf(err) != problem.SignInFailed {
		t.Error(err)
	}
	if got := list(); got != "03-02 11:42 true; 03-02 10:42 false; " {
		t.Errorf("the sign-ins: %s", got)
	}
	h.At(testdb.Now.Add(120*24*time.Hour + time.Minute))
	if err := h.Account.Tidy(ctx); err != nil {
		t.Fatal(err)
	}
	if got := list(); got != "03-02 11:42 true; " {
		t.Errorf("after four months: %s", got)
	}
}
