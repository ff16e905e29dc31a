package sheet_test

import (
	"errors"
	"slices"
	"strings"
	"testing"

	appcatalog "rubricon/app/catalog"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
	"rubricon/core/acts"
	"rubricon/core/credit"
	"rubricon/core/policy"
	"rubricon/core/sheet"
	"rubricon/demo"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// What is to be agreed to is agreed to one by one, by the student on submitting and by a guardian on signing, and is kept with each.
func TestCommitments(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Bring(apptest.BundleWith(t, "policy.json", `"commitments": [`, `"commitments": [{"id":"stay","grades":[10],"who":"student","text":"I stay."},
		{"id":"both","when":{"of":{"courses":["CER1"]},"min":1},"text":"We both."},{"id":"never","grades":[11],"text":"Not for grade 10."},`))
	d := h.Finish()
	if student, guardian := d.Agree(); !slices.Equal(student, []string{"stay", "both"}) || !slices.Equal(guardian, []string{"both"}) {
		t.Errorf("to be agreed to: %v and %v", student, guardian)
	}
	var known *problem.Error
	for _, agreed := range [][]string{nil, {"both"}, {"never", "both"}} {
		if _, err := h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "", agreed...); !errors.As(err, &known) || known.Code != problem.NeedsCommitment || known.Param != "stay" {
			t.Errorf("submitting with %v gives %v", agreed, err)
		}
	}
	h.Must(h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "", "stay", "both", "never"))
	if _, err := h.Sheet.Sign(t.Context(), h.Who("ilse.quill"), apptest.Mara, 0, apptest.Fees, "", "stay"); !errors.As(err, &known) || known.Code != problem.NeedsCommitment || known.Param != "both" {
		t.Errorf("signing without gives %v", err)
	}
	h.Must(h.Sheet.Sign(t.Context(), h.Who("ilse.quill"), apptest.Mara, 0, apptest.Fees, "", "both"))
	kept := testdb.Value[string](t, h.DB, `SELECT sub.agreed::text || ' ' || si.commitments::text FROM submission sub JOIN signature si USING (school_id, year, student_id, number)`)
	if kept != `["stay", "both"] ["both"]` {
		t.Errorf("kept: %s", kept)
	}
}

// The school agrees to nothing in a family's place.
func TestNobodyAgreesForAFamily(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Bring(apptest.BundleWith(t, "policy.json", `"commitments": [`, `"commitments": [{"id":"both","text":"We both."},`))
	h.Finish()
	h.Must(h.Sheet.Submit(t.Context(), h.Who("office"), apptest.Mara, 0, "By telephone."))
	h.Must(h.Sheet.Sign(t.Context(), h.Who("office"), apptest.Mara, 0, nil, "On paper."))
	if kept := testdb.Value[string](t, h.DB, `SELECT sub.agreed::text || si.commitments::text FROM submission sub JOIN signature si USING (school_id, year, student_id, number)`); kept != "[][]" {
		t.Errorf("kept: %s", kept)
	}
}

func TestSettingsOfAdding(t *testing.T) {
	for _, c := range []struct {
		settings     string
		add, replace problem.Code // by the student
	}{
		{`{}`, "", ""}, {`{"overMaximum": "flag"}`, "", ""}, {`{"overMaximum": "refuse"}`, problem.OverMaximum, ""},
		{`{"exchange": true}`, "", ""}, {`{"exchange": false}`, "", problem.Fixed},
	} {
		t.Run(c.settings, func(t *testing.T) {
			h := apptest.NewHouse(t)
			if c.settings != "{}" {
				h.Settings(c.settings)
			}
			h.Edit(appsheet.Edit{Act: "request", Course: "STU1"})
			over := appsheet.Edit{Act: "request", Course: "DRW1"} // after two more there are more than eight credits
			for _, code := range []string{"TID1", "WEA1"} {
				if d := h.Look("mara.quill"); d.Judgement != nil {
					_, err := h.Sheet.Change(t.Context(), h.Who("mara.quill"), apptest.Mara, appsheet.Edit{Version: d.Row.Version, Act: "request", Course: code})
					if err != nil && problem.CodeOf(err) != problem.OverMaximum {
						t.Fatal(err)
					}
				}
			}
			if c.add != "" {
				h.Refuses(over, c.add)
			} else {
				h.Edit(over)
			}
			exchange := appsheet.Edit{Act: "remove", Course: "ENG10"}
			if c.replace != "" {
				h.Refuses(exchange, c.replace)
			} else {
				h.Edit(exchange)
			}
			// The school is bound by neither.
			d := h.Look("office")
			for _, e := range []appsheet.Edit{{Act: "request", Course: "PHO1"}, {Act: "remove", Course: "WLD2"}} {
				e.Version, e.Reason = d.Row.Version, "So decided."
				var err error
				if d, err = h.Sheet.Change(t.Context(), h.Who("office"), apptest.Mara, e); err != nil {
					t.Errorf("%s by the office: %v", e.Act, err)
				}
			}
		})
	}
}

// Courses of the summer round are requests of their own: they go on and off, are submitted, and come back with an export.
func TestTheSummerRound(t *testing.T) {
	h := apptest.NewHouse(t)
	d := h.Edit(appsheet.Edit{Act: "request", Course: "SCM1"})
	if len(d.Sheet.Summer) != 1 || len(d.Sheet.Requests) != 8 || len(d.Judgement.Summer) != 1 {
		t.Errorf("the sheet: %+v", d.Sheet)
	}
	h.Refuses(appsheet.Edit{Act: "alternate", Course: "SPE1"}, problem.SummerAlternate)
	d = h.Edit(appsheet.Edit{Act: "request", Course: "CMP1"}) // the same course in the year
	if len(d.Sheet.Summer) != 0 || len(d.Sheet.Requests) != 9 {
		t.Errorf("with the course in the year: %+v", d.Sheet)
	}
	h.Edit(appsheet.Edit{Act: "undo"})
	if d = h.Finish(); len(d.Sheet.Summer) != 1 {
		t.Errorf("finished: %+v", d.Sheet)
	}
	if d = h.Submit(); !d.HandedIn() || d.Changed {
		t.Errorf("submitted: %+v", d.Row)
	}
	if requests := h.Export()["requests.csv"]; !strings.Contains(requests, "\ns0001,SCM1,request,") {
		t.Errorf("SCM1 is not in the export")
	}
}

// The summer round with a window of its own: it is handed in on its own, goes on when the year is closed or cleared, and neither part
// makes the other different from what was handed in.
func TestTheSummerRoundByItself(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	round := appcatalog.Window{Round: appcatalog.OfTheSummer, Grade: -1, Opens: testdb.Now.AddDate(0, 0, 3), Families: testdb.Now.AddDate(0, 2, 0), Counselors: testdb.Now.AddDate(0, 3, 0)}
	h.Must(nil, h.Catalog.SetWindow(ctx, apptest.Mara.School, apptest.Mara.Year, round))
	student := h.Who("mara.quill")
	h.Refuses(appsheet.Edit{Act: "request", Course: "SPE1"}, problem.Code(acts.NotOpenYet))
	h.Finish()
	h.Submit()
	h.Sign()
	h.Waive()
	year := h.Approve()
	h.At(testdb.Now.AddDate(0, 0, 4)) // the year's sheet is cleared, the summer is open
	h.Refuses(appsheet.Edit{Act: "remove", Course: "CER1"}, problem.Code(acts.Locked))
	if got := apptest.Code(h.Sheet.SubmitSummer(ctx, student, apptest.Mara, 0, "")); got != "not-needed" {
		t.Errorf("handing in nothing gives %s", got)
	}
	d := h.Edit(appsheet.Edit{Act: "request", Course: "SPE1"})
	if d.Changed || d.Row.State != "cleared" || !d.Acts[acts.SubmitSummer].Allowed {
		t.Errorf("with a course in summer: %+v", d.Acts[acts.SubmitSummer])
	}
	sent := h.Must(h.Sheet.SubmitSummer(ctx, student, apptest.Mara, d.Row.Version, ""))
	handed := sent.Row.SheetState.Summer
	if handed == nil || !strings.HasPrefix(handed.V.Receipt, "PE-") || handed.V.Receipt == *year.Row.Receipt || !slices.Equal(handed.V.Courses, []string{"SPE1"}) {
		t.Fatalf("handed in: %+v", handed)
	}
	if again := h.Must(h.Sheet.SubmitSummer(ctx, student, apptest.Mara, d.Row.Version, "")); again.Row.Version != sent.Row.Version {
		t.Error("handing in twice makes another version")
	}
	if sent.Row.State != "cleared" || *sent.Row.Receipt != *year.Row.Receipt || sent.Changed {
		t.Errorf("the year's sheet: %+v", sent.Row)
	}
	if requests := h.Export()["requests.csv"]; !strings.Contains(requests, "\ns0001,SPE1,request,") || !strings.Contains(requests, "\ns0001,CER1,request,") {
		t.Error("the export has not what was handed in for the year and for the summer")
	}
	if got := apptest.Code(h.Sheet.SubmitSummer(ctx, h.Who("ilse.quill"), apptest.Mara, sent.Row.Version, "")); got != "forbidden" {
		t.Errorf("a guardian who does not edit gets %s", got)
	}
	if d = h.Edit(appsheet.Edit{Act: "remove", Course: "SPE1"}); d.Changed || !d.Acts[acts.SubmitSummer].Allowed {
		t.Error("what was handed in cannot be taken back")
	}
	h.At(round.Families)
	h.Refuses(appsheet.Edit{Act: "request", Course: "SPE1"}, problem.Code(acts.Closed))
	if got := apptest.Code(h.Sheet.SubmitSummer(ctx, student, apptest.Mara, 0, "")); got != "window-closed" {
		t.Errorf("after the window: %s", got)
	}
	if got := apptest.Code(h.Sheet.SubmitSummer(ctx, h.Who("ms.arden"), apptest.Mara, 0, "")); got != "needs-reason" {
		t.Errorf("the counselor without a reason: %s", got)
	}
	back := h.Must(h.Sheet.SubmitSummer(ctx, h.Who("ms.arden"), apptest.Mara, 0, "By phone."))
	if handed := back.Row.SheetState.Summer; len(handed.V.Courses) != 0 {
		t.Errorf("taken back: %+v", handed)
	}
}

// Two schools, one sign-in: a guardian has children in both, a counselor counsels in both, a teacher of one is a father in the other;
// a student who goes from one to the other sees the one they will attend.
func TestPeopleOfTwoSchools(t *testing.T) {
	h := apptest.NewHouse(t)
	tarn, err := bundle.ReadFiles(demo.Tarn(testdb.Files(), 7))
	if err != nil || len(tarn.Problems) > 0 {
		t.Fatal(err, tarn.Problems)
	}
	h.Bring(tarn)
	h.Must(nil, h.Catalog.SetWindow(t.Context(), demo.TarnID, apptest.Mara.Year, appcatalog.Window{Grade: -1, Opens: testdb.Now.AddDate(0, 0, -7), Families: testdb.Now.AddDate(0, 0, 10), Counselors: testdb.Now.AddDate(0, 1, 0)}))
	leaver, mother := "", ""
	for i := range tarn.Users {
		u := &tarn.Users[i]
		if u.Role == "student" && u.Grade == 9 && len(u.Agents) > 0 && mother == "" {
			leaver, mother = u.Username, u.Agents[0]
		}
	}
	mother = testdb.Value[string](t, h.DB, `SELECT username FROM person WHERE school_id = 'pellworth' AND id = $1`, mother)
	given := testdb.Value[string](t, h.DB, `SELECT given_name FROM person WHERE school_id = 'pellworth' AND username = $1`, leaver)
	for username, want := range map[string]string{
		"ilse.quill":     "pellworth family Mara, tarnridge family Jonah",
		"ms.bellweather": "pellworth counselor, tarnridge counselor",
		"mr.tolland":     "pellworth teacher, tarnridge family Signe",
		"jonah":          "tarnridge student",
		leaver:           "pellworth student",
	} {
		me, err := h.Account.Me(t.Context(), h.Who(username))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, p := range me.Persons {
			words := p.School + " " + p.Job
			for _, c := range p.Children {
				words += " " + c.Given
			}
			got = append(got, words)
		}
		if strings.Join(got, ", ") != want {
			t.Errorf("%s comes as %v, want %s", username, got, want)
		}
	}
	me, err := h.Account.Me(t.Context(), h.Who(mother))
	if err != nil {
		t.Fatal(err)
	}
	where := ""
	for _, p := range me.Persons {
		for _, c := range p.Children {
			if c.Given == given {
				where += p.School
			}
		}
	}
	if where != "pellworth" {
		t.Errorf("%s finds %s in %q, and should where the child will be", mother, given, where)
	}
	// What one is in one school counts for nothing in the other.
	jonah := schoolyear.Place{School: demo.TarnID, Year: apptest.Mara.Year, Student: "tr001"}
	for username, want := range map[string]problem.Code{"ilse.quill": "", "ms.bellweather": "", "jonah": "", "mr.tolland": problem.NotFound, "mara.quill": problem.NotFound, "ms.arden": problem.NotFound, "office": problem.NotFound} {
		if _, err := h.Sheet.Sheet(t.Context(), h.Who(username), jonah); problem.CodeOf(err) != want {
			t.Errorf("%s reading Jonah's sheet: %v", username, err)
		}
	}
	if d := h.Must(h.Sheet.Sheet(t.Context(), h.Who("ilse.quill"), jonah)); !d.Acts[acts.Edit].Allowed {
		t.Error("where either edits, the guardian cannot")
	}
	// Each school's own rules: exactly 48 units, three exploratory terms with music, nothing above that.
	d := h.Must(h.Sheet.Sheet(t.Context(), h.Who("jonah"), jonah))
	add := appsheet.Edit{Version: d.Row.Version, Act: "request", Course: "XCL"}
	for _, code := range []string{"XPR", "XWO", "XKI", "XCO", "XNE"} {
		if i, _ := d.Year.Index(code); !slices.Contains(codesOf(d), i) {
			add.Course = code
		}
	}
	d = h.Must(h.Sheet.Change(t.Context(), h.Who("jonah"), jonah, add))
	if !d.Ready {
		t.Errorf("with three exploratory terms: %+v", d.Todo)
	}
	add.Version, add.Course = d.Row.Version, "XCH"
	if i, _ := d.Year.Index("XCH"); slices.Contains(codesOf(d), i) {
		add.Course = "XOU"
	}
	if _, err := h.Sheet.Change(t.Context(), h.Who("jonah"), jonah, add); problem.CodeOf(err) != problem.OverMaximum {
		t.Errorf("a fourth: %v", err)
	}
}

func codesOf(d *appsheet.Desk) (list []int32) {
	for _, e := range slices.Concat(d.Sheet.Requests, d.Sheet.Alternates) {
		list = append(list, e.Course)
	}
	return list
}

// Who teaches a student now comes from the records in progress.
func TestTeachersOfNow(t *testing.T) {
	h := apptest.NewHouse(t)
	teaches := func() string {
		return testdb.Value[string](t, h.DB, `SELECT coalesce(string_agg(person_id || ' ' || course_code, ', ' ORDER BY course_code), '') FROM relation WHERE kind = 'teaches' AND student_id = 's0001'`)
	}
	if got := teaches(); !strings.Contains(got, "t00 GEO1") && !strings.Contains(got, " GEO1") {
		t.Errorf("taught by %s", got)
	}
	before := teaches()
	h.Bring(apptest.BundleWith(t, "records.csv", "s0001,GEO1,", "s0001,GEO9,"))
	if got := teaches(); got == before || strings.Contains(got, " GEO1") || !strings.Contains(got, " GEO9") {
		t.Errorf("after another course: %s", got)
	}
}

// A family says where something was met: it waits for a counselor, and holds up nothing.
func TestAClaimIsMade(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Edit(appsheet.Edit{Act: "request", Course: "BAK1"}) // asks for Cooking, of which nothing is on record but this year's course
	h.Edit(appsheet.Edit{Act: "undo"})
	d := h.Edit(appsheet.Edit{Act: "request", Course: "CMP2"})
	claim := appsheet.Claiming{Course: "CMP2", Kind: "passed", Name: "CMP1", Note: " At the harbour school, mark 90. ", SchoolYear: "2024-25", Term: "S2", Mark: "90"}
	for _, c := range []struct {
		who    string
		change func(*appsheet.Claiming)
		want   string
	}{
		{"mara.quill", func(c *appsheet.Claiming) { c.Note = "  " }, "needs-message"},
		{"mara.quill", func(c *appsheet.Claiming) { c.SchoolYear = "grade 8" }, "bad-record"},
		{"mara.quill", func(c *appsheet.Claiming) { c.SchoolYear = "2028-29" }, "bad-record"}, // it is still to come
		{"mara.quill", func(c *appsheet.Claiming) { c.Course = "CMP3" }, "not-on-sheet"},
		{"mara.quill", func(c *appsheet.Claiming) { c.Name = "GEO1" }, "no-such-claim"},
		{"mara.quill", func(c *appsheet.Claiming) { c.Kind = "alongside" }, "no-such-claim"},
		{"mara.quill", func(c *appsheet.Claiming) { c.Course, c.Name = "NOR2", "NOR1" }, "no-such-claim"}, // it is being taken
		{"mara.quill", func(c *appsheet.Claiming) { c.Version = 1 }, "stale-version"},
		{"ilse.quill", func(*appsheet.Claiming) {}, "forbidden"}, // who only looks on
	} {
		wrong := claim
		c.change(&wrong)
		if got := apptest.Code(h.Sheet.MakeClaim(t.Context(), h.Who(c.who), apptest.Mara, wrong)); got != c.want {
			t.Errorf("%+v by %s gives %s, want %s", wrong, c.who, got, c.want)
		}
	}
	before := len(d.Known.Claims)
	d = h.Must(h.Sheet.MakeClaim(t.Context(), h.Who("mara.quill"), apptest.Mara, claim))
	if len(d.Known.Claims) != before+1 || d.Known.Claims[before].Note != "At the harbour school, mark 90." {
		t.Errorf("claims: %+v", d.Known.Claims)
	}
	for _, todo := range d.Todo {
		if todo.Course >= 0 && d.Year.Codes[todo.Course] == "CMP2" && !todo.Waits() {
			t.Errorf("it still holds the sheet up: %+v", todo)
		}
	}
	if got := apptest.Code(h.Sheet.MakeClaim(t.Context(), h.Who("mara.quill"), apptest.Mara, claim)); got != "already-done" {
		t.Errorf("the same once more gives %s", got)
	}
	if signals := h.Export()["signals.csv"]; !strings.Contains(signals, "s0001,claim,CMP1,,,s0001,\"At the harbour school, mark 90.\"") {
		t.Error("the claim is not in the export")
	}
	// Confirmed, it is on record when and as the family said, except for what the report has otherwise.
	mark := 88 * credit.One
	d = h.Must(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "confirm", Claim: d.Known.Claims[before].ID, Course: "CMP2", Mark: &mark, Credits: "0.75", Reason: "Report seen."}))
	if r := d.Known.Records[len(d.Known.Records)-1]; r.Code != "CMP1" || r.Year != 2024 || r.Term != "S2" || r.Credits != 75 || r.Mark != mark || r.Outcome != "transfer" {
		t.Errorf("on record: %+v", r)
	}
	if records := h.Export()["records.csv"]; !strings.Contains(records, "s0001,CMP1,Computing Foundations,Computing,2024-25,S2,0.75,88,transfer") {
		t.Error("the record is not in the export as it was confirmed")
	}
}

// What was earned elsewhere counts in the school year in which it was earned, also where the list to graduate wants credits of each year.
func TestEarnedElsewhereCountsInItsYear(t *testing.T) {
	for earned, short := range map[string][]int{"2026-27": nil, "2025-26": {2026}} {
		t.Run(earned, func(t *testing.T) { earnedIn(t, earned, short) })
	}
}

func earnedIn(t *testing.T, earned string, short []int) {
	h := apptest.NewHouse(t)
	h.DB.Exec(t, `DELETE FROM record WHERE student_id = 's0001' AND course_code = 'ENG09'`)
	h.DB.Exec(t, `INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells) VALUES ('pellworth', 's0001', 90, 'claim', 'ENG09', '', 0, '', '', '{}')`)
	h.DB.Exec(t, `UPDATE sheet SET facts_version = facts_version + 1`)
	claim := testdb.Value[int64](t, h.DB, `SELECT id FROM signal WHERE course_code = 'ENG09' AND kind = 'claim'`)
	d := h.Must(h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "confirm", Claim: claim, Course: "ENG10", SchoolYear: earned, Reason: "Report seen."}))
	entry := slices.IndexFunc(d.Year.Policy.Audits[0].Entries, func(e policy.Requirement) bool { return e.ID == "english" })
	var got []int
	for _, x := range d.Known.Audit(0, &d.Sheet)[entry].EachShort {
		got = append(got, x.Year)
	}
	if !slices.Equal(got, short) {
		t.Errorf("earned in %s: credits of English are short in %v, want %v", earned, got, short)
	}
}

// What an untouched sheet lacks and only one course can answer may be filled in by its family, once; a counselor does not do so by looking.
func TestFillingIn(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Bring(apptest.BundleWith(t, "policy.json", `{ "id": "study",`, `{ "id": "shore", "label": "The shore", "grades": [10], "of": { "courses": ["TID1"] }, "min": 1 }, { "id": "study",`))
	only := func(username string) (codes []string) {
		d := h.Look(username)
		for _, o := range d.Only() {
			codes = append(codes, d.Year.Rules[o.Rule].ID+" "+d.Year.Codes[o.Course])
		}
		return codes
	}
	if got := only("mara.quill"); !slices.Equal(got, []string{"shore TID1"}) {
		t.Errorf("may be filled in: %v", got)
	}
	if got := only("ms.arden"); got != nil {
		t.Errorf("the counselor may fill in %v", got)
	}
	if d := h.Edit(appsheet.Edit{Act: "fill"}); !strings.HasSuffix(apptest.Requests(d), " TID1") || d.Only() != nil {
		t.Errorf("filled in: %s, and still %v", apptest.Requests(d), d.Only())
	}
	if d := h.Edit(appsheet.Edit{Act: "undo"}); strings.HasSuffix(apptest.Requests(d), " TID1") || d.Only() != nil {
		t.Errorf("after undoing: %s, and again %v", apptest.Requests(d), d.Only())
	}
}

// Effects in the place of a course are what replacing it does.
func TestEffectsInstead(t *testing.T) {
	h := apptest.NewHouse(t)
	e, err := h.Sheet.Effects(t.Context(), h.Who("mara.quill"), apptest.Mara, "CER1")
	if err != nil {
		t.Fatal(err)
	}
	at := slices.IndexFunc(e.Effects, func(x sheet.Effect) bool { return e.Desk.Year.Codes[x.Course] == "TID1" })
	cer, _ := e.Desk.Year.Index("CER1")
	if x := &e.Effects[at]; !slices.Equal(x.Swaps, []int32{cer}) || !x.Fits {
		t.Errorf("in the place of ceramics tidal ecology does %+v", x)
	}
	for _, instead := range []string{"TID1", "PRI1", "NOSUCH"} {
		if _, err := h.Sheet.Effects(t.Context(), h.Who("mara.quill"), apptest.Mara, instead); problem.CodeOf(err) != problem.NotOnSheet {
			t.Errorf("in the place of %s: %v", instead, err)
		}
	}
}

// What a school lets through when it is known to the family is acknowledged one by one, and kept with the submission.
func TestAcknowledging(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Bring(apptest.BundleWith(t, "policy.json", `{ "id": "study",`, `{ "id": "clay", "label": "Clay", "stance": "acknowledge", "of": { "courses": ["CER1"] }, "max": 0 }, { "id": "study",`))
	d := h.Finish()
	if got := d.Acknowledge(); !slices.Equal(got, []appsheet.Acknowledgement{{Rule: "clay"}}) {
		t.Fatalf("to be acknowledged: %v", got)
	}
	var known *problem.Error
	if _, err := h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, ""); !errors.As(err, &known) || known.Code != problem.NeedsCommitment || known.Param != "rule:clay" {
		t.Errorf("submitting without acknowledging gives %v", err)
	}
	h.Must(h.Sheet.Submit(t.Context(), h.Who("mara.quill"), apptest.Mara, 0, "", "rule:clay"))
	var agreed string
	if err := h.DB.SQL(t).Get(&agreed, `SELECT agreed::text FROM submission WHERE student_id = 's0001'`); err != nil || agreed != `["rule:clay"]` {
		t.Errorf("kept with the submission: %s, %v", agreed, err)
	}
}
