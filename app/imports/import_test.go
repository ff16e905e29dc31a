package imports_test

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"rubricon/app"
	"rubricon/app/account"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/imports"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/demo"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// An export is what was meant: the demo school as it was made, row by row.
func TestAnExportIsWhatCame(t *testing.T) {
	h := apptest.NewHouse(t)
	got := h.Export()
	for _, f := range testdb.Files() {
		if f.Name == "users.csv" { // without passwords
			at := slices.Index(f.Header, "password")
			f.Header = slices.Delete(slices.Clone(f.Header), at, at+1)
			for i := range f.Rows {
				f.Rows[i] = slices.Delete(slices.Clone(f.Rows[i]), at, at+1)
			}
		}
		want, err := f.Bytes()
		if err != nil {
			t.Fatal(err)
		}
		if f.Name == "requests.csv" { // by student, requests first, with the state
			lines := strings.Split(strings.TrimSpace(string(want)), "\n")
			if n := strings.Count(got[f.Name], "\n"); n != len(lines) || strings.Count(got[f.Name], ",inProgress\n") != len(lines)-1 {
				t.Errorf("%d requests of %d", n, len(lines))
			}
			for _, line := range lines[1:] {
				if !strings.Contains(got[f.Name], "\n"+line) {
					t.Errorf("%s is missing", line)
				}
			}
			continue
		}
		if got[f.Name] != string(want) {
			t.Errorf("%s: %s", f.Name, apptest.FirstDifference(string(want), got[f.Name]))
		}
	}
	if _, _, err := h.Imports.Export(t.Context(), "nowhere", 0); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a school that is not there: %v", err)
	}
	if _, _, err := h.Imports.Export(t.Context(), apptest.Mara.School, 2020); problem.CodeOf(err) != problem.NotFound {
		t.Errorf("a year that is not there: %v", err)
	}
}

func TestImportOfAnExportChangesNothing(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Must(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "confirm", Claim: h.Claim(), Course: "PHY1", SchoolYear: "2025-26", Reason: "Report, seen\r\n\vand \"kept\"."}))
	h.Must(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "waive", Course: "PHY1", Reason: "A\vB,\u200e \x01\x1e\x1f\nΩ"}))
	first := h.Export()
	if !strings.Contains(first["signals.csv"], "s0001,waiver,PHY1,,,k1,\"A\vB,\u200e \x01\x1e\x1f\nΩ\"") {
		t.Errorf("the waiver is not in the export: %s", first["signals.csv"][max(0, len(first["signals.csv"])-200):])
	}
	if !strings.Contains(first["records.csv"], "s0001,ALG1,Algebra I,") {
		t.Error("the record is not in the export")
	}
	view := h.Look("mara.quill")
	result := h.Bring(apptest.Read(t, first))
	if len(result.Kept) != 0 && !slices.Equal(result.Kept, []string{"s0001"}) {
		t.Errorf("kept: %v", result.Kept)
	}
	apptest.Same(t, "imported and exported", first, h.Export())
	h.Bring(apptest.Read(t, first))
	apptest.Same(t, "again", first, h.Export())
	after := h.Look("mara.quill")
	if after.Row.Version != view.Row.Version || apptest.Requests(after) != apptest.Requests(view) || len(after.Known.Records) != len(view.Known.Records) || len(after.Known.Signals) != len(view.Known.Signals) {
		t.Errorf("the sheet changed: %+v", after.Row)
	}
	// Into an empty database the same comes out again.
	other := apptest.HouseOn(t, testdb.Empty(t))
	other.Bring(apptest.Read(t, first))
	apptest.Same(t, "in an empty database", first, other.Export())
}

// What was submitted is exported, not what is being changed since; where nothing was, the sheet as it is.
func TestAnExportHasWhatWasSubmitted(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Submit()
	sent := h.Export()["requests.csv"]
	h.Edit(appsheet.Edit{Act: "remove", Course: "CER1"})
	h.Edit(appsheet.Edit{Act: "alternate", Course: "DRW1"})
	if now := h.Export()["requests.csv"]; now != sent {
		t.Errorf("what is exported follows the draft: %s", apptest.FirstDifference(sent, now))
	}
	if !strings.Contains(sent, "s0001,CER1,request,8,,submitted\n") || !strings.Contains(sent, "s0001,PRI1,alternate,1,CER1,submitted\n") {
		t.Errorf("exported: %s", sent[:600])
	}
	h.Submit()
	if now := h.Export()["requests.csv"]; strings.Contains(now, "s0001,CER1,request") || !strings.Contains(now, "s0001,DRW1,alternate,4,,submitted\n") {
		t.Errorf("after submitting again: %s", now[:600])
	}
	// A course that has left the catalog in the meantime cannot be in a bundle: it is left out and named.
	h.DB.Exec(t, `INSERT INTO course VALUES ('pellworth', 2027, 'GONE1')`)
	h.DB.Exec(t, `INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord) VALUES ('pellworth', 2027, 's0002', 'GONE1', 'request', 90, 9)`)
	list, left, err := h.Imports.Export(t.Context(), apptest.Mara.School, apptest.Mara.Year)
	if err != nil || !slices.Equal(left, []string{"s0002 GONE1"}) || strings.Contains(apptest.Written(t, list)["requests.csv"], "GONE1") {
		t.Errorf("left %v, %v", left, err)
	}
}

func TestUnknownColumnsSurvive(t *testing.T) {
	h := apptest.NewHouse(t)
	files := h.Export()
	for _, name := range []string{"courses.csv", "users.csv", "signals.csv"} {
		lines := strings.Split(files[name], "\n")
		lines[0] += ",metadata.room"
		for i := 1; i < len(lines)-1; i++ {
			lines[i] += fmt.Sprintf(",\"room, %d\"", i)
		}
		files[name] = strings.Join(lines, "\n")
	}
	h.Bring(apptest.Read(t, files))
	apptest.Same(t, "with a column of its own", files, h.Export())
}

func TestMinimalBundles(t *testing.T) {
	testdb.Parallel(t)
	minimal := map[string]string{
		"academicSessions.csv": "sourcedId,title,type,startDate,endDate,parentSourcedId\ny,2027-28,schoolYear,2027-09-01,2028-06-30,\nt,S1,semester,2027-09-01,2028-01-31,y\n",
		"courses.csv":          "sourcedId,title,courseCode,grades,subjects\n",
		"users.csv":            "sourcedId,enabledUser,orgSourcedIds,role,username,givenName,familyName,grades\n",
		"policy.json":          `{"schoolYear": "2027-28", "periods": 8}`,
	}
	one := map[string]string{"users.csv": minimal["users.csv"] + "s,true,,student,/slash,A,B,09\n"}
	for name, more := range map[string]map[string]string{
		"nothing but headers": nil, "one student": one,
		"one student and empty files": {"users.csv": one["users.csv"], "records.csv": "student,courseCode,schoolYear,credits,outcome\n", "signals.csv": "student,kind\n",
			"requests.csv": "student,courseCode,kind,rank\n", "classes.csv": "sourcedId,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.seats\n"},
		"one course": {"users.csv": one["users.csv"], "courses.csv": minimal["courses.csv"] + "c,A,A1,,X\n", "requests.csv": "student,courseCode,kind,rank\ns,A1,request,1\n"},
	} {
		t.Run(name, func(t *testing.T) {
			h := apptest.HouseOn(t, testdb.Empty(t))
			files := maps.Clone(minimal)
			maps.Copy(files, more)
			result := h.Bring(apptest.Read(t, files))
			if want := strings.Count(files["users.csv"], "student,/"); result.Students != want || result.School != "school" || result.Year != 2027 {
				t.Errorf("%+v", result)
			}
			list, left, err := h.Imports.Export(t.Context(), "school", 0)
			if err != nil || len(left) > 0 {
				t.Fatal(left, err)
			}
			out := apptest.Written(t, list)
			for name, text := range files {
				if name == "requests.csv" && strings.Count(text, "\n") > 1 {
					text = "student,courseCode,kind,rank,state\ns,A1,request,1,inProgress\n"
				}
				if out[name] != text {
					t.Errorf("%s: %q, then %q", name, text, out[name])
				}
			}
			h.Bring(apptest.Read(t, out)) // and once more
			if result.Students == 1 {
				if _, err := h.Sheet.Sheet(t.Context(), h.Who("/slash"), schoolyear.Place{School: "school", Year: 2027, Student: "s"}); err != nil {
					t.Error("the student whose username begins with a slash:", err)
				}
			}
		})
	}
}

func TestAnImportKeepsWhatPeopleEntered(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	mine := h.Look("mara.quill")
	untouched := schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: "s0002"}
	was := h.Must(h.Sheet.Sheet(t.Context(), h.Who("office"), untouched))
	fresh := apptest.BundleWith(t, "requests.csv", "s0001,HLT1,request,6,", "s0001,HLT1,request,66,", "requests.csv", "s0002,", "s0002,")
	result := h.Bring(fresh)
	if !slices.Equal(result.Kept, []string{"s0001"}) || len(result.Beyond) != 0 {
		t.Errorf("import: %+v", result)
	}
	if after := h.Look("mara.quill"); apptest.Requests(after) != apptest.Requests(mine) || apptest.Alternates(after) != apptest.Alternates(mine) || after.Row.Version != mine.Row.Version {
		t.Errorf("the sheet is now %s / %s", apptest.Requests(after), apptest.Alternates(after))
	} else if len(after.Known.Claims) != 0 || len(after.Todo) != 0 {
		t.Errorf("the waiver is gone, or the claim is back: %+v, %+v", after.Known.Claims, after.Todo)
	}
	if after := h.Must(h.Sheet.Sheet(t.Context(), h.Who("office"), untouched)); after.Row.Version != was.Row.Version || after.Row.Facts != was.Row.Facts {
		t.Errorf("a sheet of which nothing changed went from version %d to %d", was.Row.Version, after.Row.Version)
	}
	// A sheet that no one has worked on takes what comes, in a new version.
	drop := was.Row.Entries[len(was.Row.Entries)-1].Course
	h.Bring(apptest.BundleWith(t, "requests.csv", "\ns0002,"+drop+",", "\ns0003,"+apptest.UnusedBy(t, h, "s0003")+","))
	after := h.Must(h.Sheet.Sheet(t.Context(), h.Who("office"), untouched))
	if after.Row.Version != was.Row.Version+1 || len(after.Row.Entries) != len(was.Row.Entries)-1 || after.Row.Touched {
		t.Errorf("the sheet is %s in version %d", apptest.Requests(after), after.Row.Version)
	}
}

func TestBadBundlesChangeNothing(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	before := h.Export()
	for name, c := range map[string]struct {
		b    *bundle.Bundle
		want []string
	}{
		"rows that cannot be read": {apptest.BundleWith(t, "requests.csv", "s0001,HLT1,", "nobody,HLT1,", "requests.csv", "s0001,ROW1,", "s0001,NOPE,"), []string{"student", "courseCode"}},
		"a username twice":         {apptest.BundleWith(t, "users.csv", ",ilse.quill,", ",mara.quill,"), []string{"username"}},
		"a counselor who is none":  {apptest.BundleWith(t, "users.csv", ",k1,", ",g0001,"), nil},
		"a counselor unknown":      {apptest.BundleWith(t, "users.csv", ",k1,", ",k999,"), nil},
		"a counselor, a student":   {apptest.BundleWith(t, "users.csv", ",k1,", ",s0001,"), nil},
		"a course that is asked":   {apptest.WithoutCourse(t, "TID1"), []string{"courseCode"}},
		"a username too long":      {apptest.BundleWith(t, "users.csv", ",mara.quill,", ","+strings.Repeat("ä", 201)+","), []string{"username"}},
	} {
		_, err := h.Imports.Import(t.Context(), c.b, 0)
		var bad *imports.BadBundle
		if !errors.As(err, &bad) {
			t.Errorf("%s: %v", name, err)
			continue
		}
		var columns []string
		for _, p := range bad.Problems {
			columns = append(columns, p.Column)
			if p.File == "users.csv" && p.Line < 2 {
				t.Errorf("%s: %v", name, p)
			}
		}
		slices.Sort(columns)
		want := slices.Sorted(slices.Values(c.want))
		if c.want == nil {
			if want = slices.Repeat([]string{"metadata.counselor"}, testdb.Value[int](t, h.DB, `SELECT count(*) FROM relation WHERE kind = 'counsels' AND person_id = 'k1'`)); len(want) == 0 {
				t.Fatal("nobody has that counselor")
			}
		}
		if !slices.Equal(columns, want) {
			t.Errorf("%s: %v", name, bad.Problems)
		}
	}
	apptest.Same(t, "after refused imports", before, h.Export())
	// A submission holds a course too.
	h.Edit(appsheet.Edit{Act: "alternate", Course: "PHO1"})
	h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
	h.Submit()
	h.Edit(appsheet.Edit{Act: "remove", Course: "TID1"})
	if _, err := h.Imports.Import(t.Context(), apptest.WithoutCourse(t, "TID1"), 0); err == nil {
		t.Error("a course that was submitted may leave")
	}
}

// A kept sheet that is beyond the limits of judging under new rules is named; it breaks neither its own page nor anybody's list, and can
// be mended.
func TestASheetBeyondJudging(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	b := apptest.BundleWith(t)
	var many []string
	for _, c := range b.Courses {
		if (len(c.Grades) == 0 || slices.Contains(c.Grades, 10)) && c.Access == "open" && len(c.Links) == 0 && len(c.Excludes) == 0 && c.VariantOf == "" {
			many = append(many, c.Code)
		}
	}
	for i, code := range many[:min(len(many), 40)] {
		h.DB.Exec(t, `INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord) VALUES ('pellworth', 2027, 's0001', $1, 'request', $2, 1) ON CONFLICT DO NOTHING`, code, 20+i)
	}
	// Loads in odd steps and any of many terms make the ways too many.
	crowd := testdb.Files()
	for i := range crowd {
		f := &crowd[i]
		switch f.Name {
		case "courses.csv":
			code, span, load := slices.Index(f.Header, "courseCode"), slices.Index(f.Header, "metadata.span"), slices.Index(f.Header, "metadata.load")
			for n, row := range f.Rows {
				if slices.Contains(many, row[code]) {
					row[span], row[load] = "any|year", fmt.Sprintf("%d.%02d", 1+n%3, 1+(n*37)%97)
				}
			}
		case "requests.csv":
			f.Rows = nil // nobody else's sheet is in the way
		case "academicSessions.csv":
			for n := range 6 {
				row := slices.Clone(f.Rows[len(f.Rows)-1])
				row[slices.Index(f.Header, "sourcedId")] = fmt.Sprint("more", n)
				row[slices.Index(f.Header, "title")] = fmt.Sprint("Z", n)
				f.Rows = append(f.Rows, row)
			}
		}
	}
	hard, err := bundle.ReadFiles(crowd)
	if err != nil || len(hard.Problems) > 0 {
		t.Fatal(err, hard.Problems)
	}
	result := h.Bring(hard)
	if !slices.Equal(result.Beyond, []string{"s0001"}) {
		t.Fatalf("beyond the limits: %v", result.Beyond)
	}
	d := h.Look("mara.quill")
	if d.Judgement != nil || d.Complete || d.Ready || len(d.Row.Entries) < 30 || d.Cover() != nil {
		t.Errorf("her page: judged %v, %d entries", d.Judgement != nil, len(d.Row.Entries))
	}
	if l := h.Line(); apptest.Waits(l) != "waiting tooComplex changed" {
		t.Errorf("the list: %+v", l)
	}
	if _, err := h.Sheet.Effects(t.Context(), h.Who("mara.quill"), apptest.Mara, ""); problem.CodeOf(err) != problem.TooComplex {
		t.Errorf("effects: %v", err)
	}
	// Whatever is taken off is taken off, until it can be judged again; then it cannot go back beyond.
	for _, code := range many[:min(len(many), 40)] {
		if code != "WLD2" && strings.Contains(apptest.Requests(h.Look("mara.quill"))+" ", code+" ") {
			h.Edit(appsheet.Edit{Act: "remove", Course: code})
		}
	}
	if d = h.Look("mara.quill"); d.Judgement == nil {
		t.Fatal("it is still beyond")
	}
	var refused error
	for _, code := range many[:min(len(many), 40)] {
		if code == "WLD2" {
			continue
		}
		if _, err := h.Sheet.Change(t.Context(), h.Who("mara.quill"), apptest.Mara, appsheet.Edit{Version: h.Look("mara.quill").Row.Version, Act: "request", Course: code}); err != nil {
			refused = err
			break
		}
	}
	if problem.CodeOf(refused) != problem.TooComplex {
		t.Errorf("going back beyond gives %v", refused)
	}
	if h.Look("mara.quill").Judgement == nil {
		t.Error("it went beyond all the same")
	}
}

// A new school year is opened next to the old one, which stays readable with its submissions.
func TestSchoolYears(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	h.Finish()
	h.Waive()
	h.Submit()
	h.Sign()
	cleared := h.Approve()
	next := func(more ...string) *bundle.Bundle {
		return apptest.BundleWith(t, append([]string{"policy.json", "2027-28", "2028-29", "academicSessions.csv", "2028-", "2029-", "academicSessions.csv", "2027-28", "2028-29",
			"academicSessions.csv", "2027-0", "2028-0"}, more...)...)
	}
	result := h.Bring(next("users.csv", "Mara,Quill", "Mara Ann,Quill", "courses.csv", "Tidal Ecology", "Tides"))
	if result.Year != 2028 || len(result.Kept) != 0 {
		t.Fatalf("%+v", result)
	}
	at := schoolyear.Place{School: apptest.Mara.School, Year: 2028, Student: apptest.Mara.Student}
	fresh := h.Must(h.Sheet.Sheet(ctx, h.Who("mara.quill"), at))
	if fresh.Row.State != "inProgress" || fresh.Row.Submission != 0 || fresh.Row.Touched || fresh.Next != acts.NextWindow || fresh.Year.Start != 2028 || len(fresh.Known.Signals) == 0 {
		t.Errorf("the new year's sheet: %+v", fresh.Row)
	}
	old := h.Look("mara.quill")
	if old.Row.State != "cleared" || *old.Row.Receipt != *cleared.Row.Receipt || apptest.Requests(old) != apptest.Requests(cleared) || old.Year.Start != 2027 || len(old.Row.Signatures.V) != 1 {
		t.Errorf("last year's sheet: %+v", old.Row)
	}
	if i, ok := old.Year.Index("TID1"); !ok || old.Year.Courses[i].Title != "Tidal Ecology" {
		t.Error("last year's catalog changed")
	}
	if old.Pupil.GivenName != "Mara Ann" {
		t.Errorf("she is called %s", old.Pupil.GivenName)
	}
	// What was entered by hand outlives years; what came with last year's data is last year's.
	waived := func(d *appsheet.Desk) (n int) {
		for _, s := range d.Known.Signals {
			if s.Kind == "waiver" {
				n++
			}
		}
		return n
	}
	if waived(fresh) != 1 || waived(old) != 1 || len(fresh.Known.Signals) != len(old.Known.Signals) || len(fresh.Known.Claims) != 0 { // the claim was settled last year
		t.Errorf("%d signals this year, %d last year", len(fresh.Known.Signals), len(old.Known.Signals))
	}
	// Students see the year that concerns them: the newest whose window has opened.
	concerns := func() int {
		me, err := h.Account.Me(ctx, h.Who("mara.quill"))
		if err != nil || len(me.Persons) != 1 || !slices.Equal(me.Persons[0].Years, []int{2028, 2027}) {
			t.Fatalf("%+v, %v", me, err)
		}
		parent, err := h.Account.Me(ctx, h.Who("ilse.quill"))
		if err != nil || parent.Persons[0].Children[0].Year != me.Persons[0].Year {
			t.Errorf("her mother sees %+v, %v", parent, err)
		}
		return me.Persons[0].Year
	}
	if got := concerns(); got != 2027 {
		t.Errorf("before the new window she sees %d", got)
	}
	if err := h.Catalog.SetWindow(ctx, apptest.Mara.School, 2028, appcatalog.Window{Grade: -1, Opens: testdb.Now.AddDate(0, 0, 3), Families: testdb.Now.AddDate(0, 1, 0), Counselors: testdb.Now.AddDate(0, 2, 0)}); err != nil {
		t.Fatal(err)
	}
	if got := concerns(); got != 2027 {
		t.Errorf("with the new window set she sees %d", got)
	}
	h.At(testdb.Now.AddDate(0, 0, 3))
	if got := concerns(); got != 2028 {
		t.Errorf("when it opens she sees %d", got)
	}
	if d := h.Must(h.Sheet.Change(ctx, h.Who("mara.quill"), at, appsheet.Edit{Version: fresh.Row.Version, Act: "alternate", Course: "AST1"})); d.Row.Year != 2028 {
		t.Errorf("a change goes to %d", d.Row.Year)
	}
	if after := h.Look("mara.quill"); after.Row.Version != old.Row.Version {
		t.Error("a change of this year's sheet changed last year's")
	}
	// Corrections of last year change last year alone: neither people nor records.
	was := h.Must(h.Sheet.Sheet(ctx, h.Who("mara.quill"), at))
	h.Bring(apptest.BundleWith(t, "courses.csv", "Tidal Ecology", "Old Tides", "users.csv", "Mara,Quill", "Maria,Quill", "records.csv", "Algebra", "Sums"))
	if d := h.Look("mara.quill"); d.Pupil.GivenName != "Mara Ann" || d.Row.State != "cleared" {
		t.Errorf("after a correction of last year: %+v", d.Pupil)
	} else if i, _ := d.Year.Index("TID1"); d.Year.Courses[i].Title != "Old Tides" {
		t.Error("the correction of last year's catalog is lost")
	}
	now := h.Must(h.Sheet.Sheet(ctx, h.Who("mara.quill"), at))
	if now.Row.Version != was.Row.Version || !reflect.DeepEqual(now.Known.Records, was.Known.Records) || apptest.Requests(now) != apptest.Requests(was) {
		t.Error("a correction of last year changed this year")
	}
	strange := apptest.BundleWith(t, "users.csv", "\ns0002,", "\ns9999,", "requests.csv", "\ns0002,", "\ns9999,")
	if _, err := h.Imports.Import(ctx, strange, 0); err == nil {
		t.Error("people come with last year's data")
	}
	list, _, err := h.Imports.Export(ctx, apptest.Mara.School, 0)
	if err != nil || !strings.Contains(apptest.Written(t, list)["policy.json"], "2028-29") {
		t.Errorf("the newest year is exported: %v", err)
	}
}

func TestPeopleComeAndGo(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	enter := func(username string) string {
		_, err := h.Account.SignIn(ctx, username, demo.Password, account.Client{Address: "here"})
		if err != nil {
			return string(problem.CodeOf(err))
		}
		me, err := h.Account.Me(ctx, h.Who(username))
		if err != nil {
			t.Fatal(err)
		}
		var who []string
		for _, p := range me.Persons {
			who = append(who, p.ID+" "+p.Job)
		}
		return strings.Join(who, ", ")
	}
	if got := enter("ilse.quill"); !strings.HasSuffix(got, " family") {
		t.Errorf("at first: %s", got)
	}
	// Usernames that pass from one person to another take no sign-in along.
	passed := apptest.BundleWith(t, "users.csv", ",mara.quill,", ",tmp,", "users.csv", ",office,", ",mara.quill,", "users.csv", ",tmp,", ",office,", "users.csv", demo.Password, "")
	h.Bring(passed)
	if got := enter("mara.quill"); got != "sign-in-failed" {
		t.Errorf("with the password of whoever had the name before: %s", got)
	}
	if got := enter("office"); got != "sign-in-failed" {
		t.Errorf("the student with the office's password: %s", got)
	}
	if got := enter("ilse.quill"); !strings.HasSuffix(got, " family") {
		t.Errorf("somebody else: %s", got)
	}
	me, err := h.Account.Me(ctx, h.Who("mara.quill"))
	if err != nil || len(me.Persons) != 1 || me.Persons[0].ID != "office" {
		t.Errorf("the name leads to %+v, %v", me, err)
	}
	h.Bring(apptest.BundleWith(t)) // back, with passwords for those who have none
	if got := enter("mara.quill"); got != "s0001 student" {
		t.Errorf("back again: %s", got)
	}
	// Anyone who the data no longer names cannot come in, and comes back with it.
	files := apptest.Written(t, testdb.Files())
	lines := strings.Split(files["users.csv"], "\n")
	files["users.csv"] = strings.Join(slices.DeleteFunc(lines, func(l string) bool { return strings.Contains(l, ",ilse.quill,") }), "\n")
	h.Bring(apptest.Read(t, files))
	if got := enter("ilse.quill"); got != "" {
		t.Errorf("one who has left is %s", got)
	}
	if d := h.Look("mara.quill"); d.Pupil.Guardians != 0 {
		t.Errorf("she has %d guardians", d.Pupil.Guardians)
	}
	if text := h.Export()["users.csv"]; strings.Contains(text, "ilse.quill") {
		t.Error("one who has left is exported")
	}
	h.Bring(apptest.BundleWith(t))
	if got := enter("ilse.quill"); !strings.HasSuffix(got, " family") {
		t.Errorf("back again: %s", got)
	}
	h.Bring(apptest.BundleWith(t, "users.csv", "office,active,true,pellworth,administrator", "office,active,true,pellworth,teacher"))
	if got := enter("office"); got != "office teacher" {
		t.Errorf("no longer an administrator: %s", got)
	}
	h.Bring(apptest.BundleWith(t, "users.csv", "s0001,active,true", "s0001,active,false"))
	if got := enter("mara.quill"); got != "" {
		t.Errorf("a disabled student is %s", got)
	}
}

// A guardian is one whom either row names, if the role is that of a guardian.
func TestWhoGuards(t *testing.T) {
	h := apptest.NewHouse(t)
	guardian := testdb.Value[string](t, h.DB, `SELECT person_id FROM relation WHERE kind = 'guards' AND student_id = 's0001'`)
	children := testdb.Value[int](t, h.DB, `SELECT count(*) FROM relation WHERE kind = 'guards' AND person_id = $1`, guardian)
	h.Bring(apptest.BundleWith(t, "users.csv", guardian+",active,true,pellworth,guardian", guardian+",active,true,pellworth,teacher"))
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM relation WHERE kind = 'guards' AND person_id = $1`, guardian); n != 0 {
		t.Errorf("an agent who is a teacher guards %d", n)
	}
	if got := apptest.Code(h.Sheet.Sheet(t.Context(), h.Who("ilse.quill"), apptest.Mara)); got != "not-found" {
		t.Errorf("she sees the sheet: %s", got)
	}
	h.Bring(apptest.BundleWith(t, "users.csv", guardian+",active,true,pellworth,guardian", guardian+",active,true,pellworth,relative"))
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM relation WHERE kind = 'guards' AND person_id = $1`, guardian); n != children {
		t.Errorf("a relative guards %d of %d", n, children)
	}
}

// While a school is imported students edit, submit and sign; no answered change is lost, and none is refused except for what it is.
func TestImportingWhileStudentsWork(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `DELETE FROM signal WHERE kind = 'claim'`)
	ctx := context.Background()
	type worker struct {
		at       schoolyear.Place
		who, mum int64
		on       bool
		version  int64
	}
	accounts, err := h.Account.Accounts(ctx, apptest.Mara.School)
	if err != nil {
		t.Fatal(err)
	}
	var workers []*worker
	for n := 2; n <= testdb.Students; n++ {
		at := schoolyear.Place{School: apptest.Mara.School, Year: apptest.Mara.Year, Student: fmt.Sprintf("s%04d", n)}
		w := &worker{at: at, who: accounts[at.Student]}
		d, err := h.Sheet.Sheet(ctx, w.who, at)
		if err != nil {
			t.Fatal(err)
		}
		i, _ := d.Year.Index("GTR1")
		if d.Pupil.Guardians == 0 || !d.Complete || d.Known.Barred(i) || d.Known.AlreadyEarned(i) || strings.Contains(apptest.Requests(d)+apptest.Alternates(d), "GTR1") {
			continue
		}
		w.mum = accounts[testdb.Value[string](t, h.DB, `SELECT person_id FROM relation WHERE kind = 'guards' AND student_id = $1 ORDER BY id LIMIT 1`, at.Student)]
		w.version = d.Row.Version
		workers = append(workers, w)
	}
	if len(workers) < 8 {
		t.Fatalf("%d students can work", len(workers))
	}
	services := []*app.App{h.App, h.Second()}
	var over atomic.Bool
	var wait sync.WaitGroup
	for n, w := range workers {
		cases := services[n%2]
		wait.Go(func() {
			r := rand.New(rand.NewPCG(uint64(n), 3))
			for !over.Load() {
				switch r.IntN(4) {
				case 0, 1:
					act := "alternate"
					if w.on {
						act = "remove"
					}
					d, err := cases.Sheet.Change(ctx, w.who, w.at, appsheet.Edit{Version: w.version, Act: act, Course: "GTR1"})
					var known *problem.Error
					if errors.As(err, &known) && known.Code == "stale-version" && w.version == 2 {
						w.version = known.Now.(*appsheet.Desk).Row.Version // what came replaced a sheet that no one had worked on
						continue
					}
					if err != nil {
						t.Errorf("%s: a change: %v", w.at.Student, err)
						return
					}
					w.version, w.on = d.Row.Version, !w.on
				case 2:
					if d, err := cases.Sheet.Submit(ctx, w.who, w.at, 0, "", "boats"); err != nil && problem.CodeOf(err) != "not-ready" {
						t.Errorf("%s: submitting: %v", w.at.Student, err)
						return
					} else if err == nil {
						w.version = d.Row.Version
					}
				case 3:
					d, err := cases.Sheet.Sheet(ctx, w.mum, w.at)
					if err == nil && d.Acts[acts.Sign].Allowed {
						if d, err = cases.Sheet.Sign(ctx, w.mum, w.at, 0, d.Fees(), "", "boats", "advanced"); err == nil {
							w.version = d.Row.Version
						}
					}
					if err != nil {
						t.Errorf("%s: signing: %v", w.at.Student, err)
						return
					}
				}
			}
		})
	}
	for n := range 2 {
		text := fmt.Sprintf("Algebra no. %d", n)
		// Records, signals, the catalog, names and the entries of untouched sheets change, every time.
		b := apptest.BundleWith(t, "records.csv", "Algebra", text, "courses.csv", "Tidal Ecology", fmt.Sprint("Tides ", n))
		if _, err := h.Imports.Import(t.Context(), b, 0); err != nil {
			t.Errorf("import %d: %v", n, err)
		}
	}
	over.Store(true)
	wait.Wait()
	for _, w := range workers {
		d, err := h.Sheet.Sheet(ctx, w.who, w.at)
		if err != nil {
			t.Fatal(err)
		}
		if d.Row.Version != w.version || strings.Contains(apptest.Alternates(d)+" ", "GTR1 ") != w.on {
			t.Errorf("%s: version %d was answered (on %v), version %d is there: %s", w.at.Student, w.version, w.on, d.Row.Version, apptest.Alternates(d))
		}
	}
}

func TestOneImportAtATime(t *testing.T) {
	h := apptest.NewHouse(t)
	b := apptest.BundleWith(t)
	var wait sync.WaitGroup
	var done, busy atomic.Int32
	for range 4 {
		wait.Go(func() {
			switch _, err := h.Imports.Import(context.Background(), b, 0); problem.CodeOf(err) {
			case "":
				if err != nil {
					t.Error(err)
				}
				done.Add(1)
			case problem.Busy:
				busy.Add(1)
			default:
				t.Error(err)
			}
		})
	}
	wait.Wait()
	if done.Load() == 0 || done.Load()+busy.Load() != 4 {
		t.Errorf("%d done, %d busy", done.Load(), busy.Load())
	}
	h.Bring(b)
}

// An import that was broken off is made whole by importing again.
func TestAnImportBrokenOff(t *testing.T) {
	h := apptest.NewHouse(t)
	before := h.Export()
	b := apptest.BundleWith(t, "records.csv", "Algebra", "Sums")
	ctx, stop := context.WithCancel(t.Context())
	go func() {
		time.Sleep(time.Duration(rand.IntN(60)) * time.Millisecond)
		stop()
	}()
	_, _ = h.Imports.Import(ctx, b, 0)
	h.Look("mara.quill") // is readable
	h.Bring(b)
	after := h.Export()
	if !strings.Contains(after["records.csv"], "Sums") || strings.Contains(after["records.csv"], "Algebra") {
		t.Error("it is not whole")
	}
	h.Bring(apptest.BundleWith(t))
	apptest.Same(t, "and back", before, h.Export())
}

// A bundle of a new year that would take people out of a year that runs still is refused as a whole; after its last day it is taken in.
func TestANewYearTakesNobodyOut(t *testing.T) {
	h := apptest.NewHouse(t)
	next := func() *bundle.Bundle {
		users := ""
		for _, f := range testdb.Files() {
			if f.Name == "users.csv" {
				text, err := f.Bytes()
				if err != nil {
					t.Fatal(err)
				}
				for _, line := range strings.SplitAfter(string(text), "\n") {
					if strings.Contains(line, ",ilse.quill,") {
						users = line
					}
				}
			}
		}
		return apptest.BundleWith(t, "policy.json", "2027-28", "2028-29", "academicSessions.csv", "2028-", "2029-", "academicSessions.csv", "2027-28", "2028-29", "academicSessions.csv", "2027-0", "2028-0", "users.csv", users, "")
	}
	for _, day := range []string{"2027-03-02", "2028-06-01"} {
		now, err := time.Parse(time.DateOnly, day)
		if err != nil {
			t.Fatal(err)
		}
		h.At(now)
		_, err = h.Imports.Import(t.Context(), next(), 0)
		var bad *imports.BadBundle
		if !errors.As(err, &bad) || len(bad.Problems) != 1 || !strings.HasPrefix(bad.Problems[0].String(), "users.csv: people of 2027-28 are missing: 1. They could no longer sign in, and that year runs until 2028-06-") {
			t.Errorf("%s: %v %v", day, err, bad)
		}
	}
	h.At(time.Date(2028, 7, 20, 12, 0, 0, 0, time.UTC))
	if result, err := h.Imports.Import(t.Context(), next(), 0); err != nil || result.Tally.Sum().Removed != 0 {
		t.Errorf("after the last day: %v, %+v", err, result)
	}
}

// A first password that comes with the data is one that someone could choose, and is changed at the first sign-in.
func TestFirstPasswords(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `DELETE FROM account_password WHERE account_id IN (SELECT id FROM account WHERE username IN ('mara.quill', 'ilse.quill'))`)
	with := func(password string) *bundle.Bundle {
		files := testdb.Files()
		for i := range files {
			if f := &files[i]; f.Name == "users.csv" {
				at, name := slices.Index(f.Header, "password"), slices.Index(f.Header, "username")
				for _, row := range f.Rows {
					row[at] = map[string]string{"mara.quill": password, "ms.arden": "short"}[row[name]] // hers is set already
				}
			}
		}
		b, err := bundle.ReadFiles(files)
		if err != nil {
			t.Fatal(err)
		}
		return b
	}
	for _, password := range []string{"short", "password123", "Mara Quill 1", strings.Repeat("x", 501)} {
		_, err := h.Imports.Import(t.Context(), with(password), 0)
		var bad *imports.BadBundle
		if !errors.As(err, &bad) || len(bad.Problems) != 1 || bad.Problems[0].Column != "password" || strings.Contains(bad.Problems[0].What, password) {
			t.Errorf("%.12q: %v, %v", password, err, bad)
		}
	}
	h.Bring(with("nine kelp forests"))
	if in, err := h.Account.SignIn(t.Context(), "mara.quill", "nine kelp forests", account.Client{}); err != nil || !in.Once {
		t.Errorf("signing in: %+v, %v", in, err)
	}
	if in, err := h.Account.SignIn(t.Context(), "ms.arden", demo.Password, account.Client{}); err != nil || in.Once {
		t.Errorf("hers has changed: %+v, %v", in, err)
	}
}

// What someone changes between the reading of a bundle and its writing is not undone by a file that the bundle does not have.
func TestAnAbsentFileUndoesNothing(t *testing.T) {
	h := apptest.NewHouse(t)
	office := h.Who("office")
	catalog := func() int64 {
		return testdb.Value[int64](t, h.DB, `SELECT catalog_version FROM school_year WHERE school_id = 'pellworth'`)
	}
	courses := h.Without("courses.csv", "errands.csv", "orgs.csv", "academicSessions.csv")
	all := h.Without()
	row := h.Look("mara.quill").Row
	if _, err := h.Catalog.Revise(t.Context(), office, apptest.Mara.School, apptest.Mara.Year, appcatalog.Revision{Catalog: row.Catalog, Policy: row.Policy, Reason: "Next year's list.",
		Courses: []appcatalog.CourseEdit{{Code: "AST1", Cells: map[string]string{"title": "The Night Sky"}}}}); err != nil {
		t.Fatal(err)
	}
	before := catalog()
	if _, err := h.Imports.Import(t.Context(), courses, 0); problem.CodeOf(err) != problem.Busy || catalog() != before {
		t.Errorf("with a catalog of before: %v, version %d of %d", err, catalog(), before)
	}
	if _, err := h.Imports.Import(t.Context(), all, 0); err != nil || catalog() != before+1 {
		t.Errorf("what the bundle has is what holds: %v, version %d of %d", err, catalog(), before)
	}
	// A section that was made in the meantime stays.
	sections := h.Without("classes.csv", "users.csv")
	h.DB.Exec(t, `INSERT INTO section (school_id, year, id, ord, course_code, seats, cells) VALUES ('pellworth', 2027, 'new', 1, 'AST1', 20, '{"sourcedId": "new", "title": "One", "courseSourcedId": "c-ast1", "classType": "scheduled", "schoolSourcedId": "pellworth", "termSourcedIds": "sy27-1", "metadata.seats": "20"}')`)
	if _, err := h.Imports.Import(t.Context(), sections, 0); err != nil || testdb.Value[int](t, h.DB, `SELECT count(*) FROM section WHERE id = 'new'`) != 1 {
		t.Errorf("with sections of before: %v", err)
	}
	// Someone who came in the meantime would be marked as gone.
	people := h.Without("users.csv")
	h.DB.Exec(t, `UPDATE person SET cells = cells || '{"phone": "1"}' WHERE id = 'k1'`)
	if _, err := h.Imports.Import(t.Context(), people, 0); problem.CodeOf(err) != problem.Busy {
		t.Errorf("with people of before: %v", err)
	}
}

// A policy that no longer has the names of marks changes no mark of records that the bundle does not have; an errand goes with its course.
func TestAnAbsentFileIsNotReadAnew(t *testing.T) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `UPDATE record SET mark = 8500, cells = cells || '{"mark": "B"}' WHERE id = (SELECT min(id) FROM record WHERE student_id = 's0001')`)
	marks := func() string {
		return testdb.Value[string](t, h.DB, `SELECT string_agg(concat_ws(' ', student_id, course_code, mark, cells), '|' ORDER BY id) FROM record`)
	}
	before, signals := marks(), testdb.Value[int](t, h.DB, `SELECT count(*) FROM signal`)
	files, _, err := h.Imports.Export(t.Context(), apptest.Mara.School, apptest.Mara.Year)
	if err != nil {
		t.Fatal(err)
	}
	if !slices.ContainsFunc(files, func(f bundle.File) bool {
		return f.Name == "errands.csv" && slices.ContainsFunc(f.Rows, func(row []string) bool { return row[0] == "TUT1" })
	}) {
		t.Fatal("the course that goes has no errand")
	}
	files = slices.DeleteFunc(files, func(f bundle.File) bool { return f.Name != "policy.json" && f.Name != "courses.csv" })
	for i := range files {
		switch f := &files[i]; f.Name {
		case "policy.json":
			f.Text = regexp.MustCompile(`"marks": \{[^}]*\}`).ReplaceAll(f.Text, []byte(`"marks": {}`))
		case "courses.csv":
			code := slices.Index(f.Header, "courseCode")
			f.Rows = slices.DeleteFunc(f.Rows, func(row []string) bool { return row[code] == "TUT1" })
		}
	}
	b, err := bundle.ReadFiles(files, bundle.Fill(h.Imports.Existing(t.Context())))
	if err != nil || len(b.Problems) > 0 {
		t.Fatal(err, b.Problems)
	}
	h.Bring(b)
	if got := marks(); got != before || testdb.Value[int](t, h.DB, `SELECT count(*) FROM signal`) != signals {
		t.Error("records or signals have changed")
	}
	if d := h.Look("mara.quill"); d.Judgement == nil {
		t.Error("the new catalog does not hold together")
	}
}
