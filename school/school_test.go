package school_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"rubricon/bundle"
	"rubricon/core/credit"
	"rubricon/demo"
	"rubricon/school"
	"rubricon/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

const (
	at   = demo.SchoolID
	mara = "s0001"
)

// code gives the stable code of an error of a use case.
func code(err error) school.Code {
	var known *school.Error
	if errors.As(err, &known) {
		return known.Code
	}
	if err != nil {
		return school.Code(err.Error())
	}
	return ""
}

// desk is a sheet being worked on in a test, by its student.
type desk struct {
	t     *testing.T
	cases *school.Service
	view  *school.SheetView
}

func open(t *testing.T, cases *school.Service) *desk {
	t.Helper()
	view, err := cases.Sheet(t.Context(), "mara.quill", at, mara)
	if err != nil {
		t.Fatal(err)
	}
	return &desk{t, cases, view}
}

func (d *desk) do(e school.Edit) {
	d.t.Helper()
	e.Version = d.view.Version
	view, err := d.cases.Change(d.t.Context(), "mara.quill", at, mara, e)
	if err != nil {
		d.t.Fatalf("%+v: %v", e, err)
	}
	d.view = view
}

func (d *desk) refuse(e school.Edit, want school.Code) {
	d.t.Helper()
	if e.Version == 0 {
		e.Version = d.view.Version
	}
	if _, err := d.cases.Change(d.t.Context(), "mara.quill", at, mara, e); code(err) != want {
		d.t.Errorf("%+v gives %v, want %s", e, err, want)
	}
	now, err := d.cases.Sheet(d.t.Context(), "mara.quill", at, mara)
	if err != nil || now.Version != d.view.Version || !reflect.DeepEqual(now.Requests, d.view.Requests) {
		d.t.Errorf("a refused change changed the sheet (%v)", err)
	}
}

func names(list []school.Entry) string {
	var codes []string
	for _, e := range list {
		codes = append(codes, e.Course)
	}
	return strings.Join(codes, " ")
}

// finish mends Mara's sheet.
func (d *desk) finish() {
	d.t.Helper()
	d.do(school.Edit{Act: "request", Course: "TID1"})
	d.do(school.Edit{Act: "alternate", Course: "PHO1"})
	d.do(school.Edit{Act: "alternate", Course: "AST1"})
}

func TestTheFirstStudentIsAsTheScenarioSays(t *testing.T) {
	d := open(t, storetest.Cases(t))
	var kinds []string
	for _, todo := range d.view.Todo {
		kinds = append(kinds, todo.Kind+" "+todo.Rule+todo.Course+" "+todo.Amount.String())
	}
	if got := strings.Join(kinds, ", "); got != "ruleShort science-10 1, ruleShort alternates 2, entry PHY1 0" {
		t.Errorf("still to do: %s", got)
	}
	assigned, recommended := 0, 0
	for _, e := range d.view.Requests {
		if e.Assigned {
			assigned++
		}
		if e.Recommends != "" {
			recommended++
		}
	}
	if assigned != 2 || recommended != 1 || d.view.Student.Grade != 10 {
		t.Errorf("%d assigned, %d recommended, grade %d", assigned, recommended, d.view.Student.Grade)
	}
}

func TestEditing(t *testing.T) {
	d := open(t, storetest.Cases(t))
	d.do(school.Edit{Act: "request", Course: "ENG10A"}) // a level is exchanged in place
	if got := names(d.view.Requests); got != "ENG10A ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1" {
		t.Errorf("after the exchange: %s", got)
	}
	d.do(school.Edit{Act: "remove", Course: "HLT1"}) // both halves go
	if got := names(d.view.Requests); got != "ENG10A ALG2 WLD2 PHY1 NOR2 CER1" {
		t.Errorf("after removing one half: %s", got)
	}
	d.do(school.Edit{Act: "request", Course: "ROW1"}) // both halves come
	if got := names(d.view.Requests); got != "ENG10A ALG2 WLD2 PHY1 NOR2 CER1 ROW1 HLT1" {
		t.Errorf("after adding the other half: %s", got)
	}
	d.do(school.Edit{Act: "alternate", Course: "CER1"})
	if got := names(d.view.Alternate); got != "PRI1 CER1" || d.view.Alternate[0].StandsFor != "" {
		t.Errorf("alternates %s; the first stands for %q, which is no longer requested", got, d.view.Alternate[0].StandsFor)
	}
	d.do(school.Edit{Act: "order", List: "alternates", Order: []string{"CER1", "PRI1"}})
	if got := names(d.view.Alternate); got != "CER1 PRI1" {
		t.Errorf("after ordering: %s", got)
	}
	d.do(school.Edit{Act: "request", Course: "CER1"})
	if got := names(d.view.Alternate); got != "PRI1" {
		t.Errorf("after turning the alternate into a request: %s", got)
	}
	for range 6 {
		d.do(school.Edit{Act: "undo"})
	}
	if got := names(d.view.Requests) + " / " + names(d.view.Alternate); got != "ENG10 ALG2 WLD2 PHY1 NOR2 HLT1 ROW1 CER1 / PRI1" || d.view.CanUndo {
		t.Errorf("after undoing everything: %s, can undo %v", got, d.view.CanUndo)
	}
	if d.view.Alternate[0].StandsFor != "CER1" {
		t.Error("undoing did not bring back what the alternate stands for")
	}
}

func TestRefusedEditsChangeNothing(t *testing.T) {
	d := open(t, storetest.Cases(t))
	d.do(school.Edit{Act: "request", Course: "TID1"})
	d.refuse(school.Edit{Act: "remove", Course: "WLD2"}, school.Fixed)
	d.refuse(school.Edit{Act: "alternate", Course: "WLD2"}, school.Fixed)
	d.refuse(school.Edit{Act: "request", Course: "CAL1"}, school.Barred)
	d.refuse(school.Edit{Act: "request", Course: "CHA1"}, school.Barred)
	d.refuse(school.Edit{Act: "request", Course: "NONE"}, school.NotFound)
	d.refuse(school.Edit{Act: "remove", Course: "AST1"}, school.NotOnSheet)
	d.refuse(school.Edit{Act: "alternate", Course: "AST1", StandsFor: "BAK1"}, school.BadStandsFor)
	d.refuse(school.Edit{Act: "order", List: "requests", Order: []string{"ENG10"}}, school.BadOrder)
	d.refuse(school.Edit{Act: "order", List: "alternates", Order: []string{"PHO1"}}, school.BadOrder)
	d.refuse(school.Edit{Act: "dance", Course: "DAN1"}, school.BadInput)
	d.refuse(school.Edit{Act: "request", Course: "AST1", Version: 1}, school.Stale)
}

func TestAStaleChangeIsAnsweredWithTheSheetAsItIs(t *testing.T) {
	d := open(t, storetest.Cases(t))
	d.do(school.Edit{Act: "request", Course: "TID1"})
	_, err := d.cases.Change(t.Context(), "mara.quill", at, mara, school.Edit{Version: 1, Act: "request", Course: "AST1"})
	var known *school.Error
	if !errors.As(err, &known) || known.Sheet == nil || !strings.Contains(names(known.Sheet.Requests), "TID1") {
		t.Fatalf("a stale change gives %v", err)
	}
}

func TestTwoWindowsAtOnceLoseNothing(t *testing.T) {
	d := open(t, storetest.Cases(t))
	add := []string{"AST1", "PHO1", "DRW1", "COO1", "WEB1", "GAR1"}
	var wait sync.WaitGroup
	for _, course := range add {
		wait.Go(func() {
			version := d.view.Version
			for {
				view, err := d.cases.Change(context.Background(), "mara.quill", at, mara, school.Edit{Version: version, Act: "alternate", Course: course})
				var known *school.Error
				if errors.As(err, &known) && known.Code == school.Stale {
					version = known.Sheet.Version
					continue
				}
				if err != nil {
					t.Error(err)
				} else if !strings.Contains(names(view.Alternate), course) {
					t.Errorf("%s is not on the sheet that was answered", course)
				}
				return
			}
		})
	}
	wait.Wait()
	after := open(t, d.cases)
	for _, course := range add {
		if !strings.Contains(names(after.view.Alternate), course) {
			t.Errorf("%s is lost: %s", course, names(after.view.Alternate))
		}
	}
	if after.view.Version != d.view.Version+int64(len(add)) {
		t.Errorf("version %d after %d changes", after.view.Version, len(add))
	}
}

func TestFromSheetToCleared(t *testing.T) {
	d := open(t, storetest.Cases(t))
	ctx := t.Context()
	_, err := d.cases.Submit(ctx, "mara.quill", at, mara, d.view.Version)
	var known *school.Error
	if !errors.As(err, &known) || known.Code != school.NotReady || len(known.Todo) != 3 {
		t.Fatalf("submitting an unfinished sheet gives %v", err)
	}
	d.finish()
	if !d.view.Status.CanSubmit {
		t.Fatalf("only Physics waits for a counselor, but it cannot be submitted: %+v", d.view.Todo)
	}
	sent, err := d.cases.Submit(ctx, "mara.quill", at, mara, d.view.Version)
	if err != nil || sent.Status.State != "submitted" || sent.Status.Receipt == "" {
		t.Fatalf("submitted: %+v, %v", sent, err)
	}
	again, err := d.cases.Submit(ctx, "mara.quill", at, mara, d.view.Version)
	if err != nil || again.Status.Receipt != sent.Status.Receipt || again.Version != sent.Version {
		t.Errorf("submitting twice gives %v, %v", again, err)
	}
	if _, err := d.cases.Clear(ctx, "ms.arden", at, mara, sent.Version); code(err) != school.WrongState {
		t.Errorf("clearing before the signature gives %v", err)
	}
	if _, err := d.cases.Sign(ctx, "ilse.quill", at, mara, sent.Version, nil); code(err) != school.BadInput {
		t.Errorf("signing without agreeing to the fees gives %v", err)
	}
	signed, err := d.cases.Sign(ctx, "ilse.quill", at, mara, sent.Version, []string{"CER1", "TID1"})
	if err != nil || signed.Status.State != "signed" || signed.Status.SignedBy != "Ilse Quill" {
		t.Fatalf("signed: %+v, %v", signed, err)
	}
	if _, err := d.cases.Clear(ctx, "ms.arden", at, mara, signed.Version); code(err) != school.NotReady {
		t.Errorf("clearing with an open claim gives %v", err)
	}
	claim := signed.Requests[3].Claims[0].ID
	mark := credit.Amount(8300)
	if _, err := d.cases.Decide(ctx, "ms.arden", at, mara, school.Decision{Version: signed.Version, Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &mark}); code(err) != school.BadInput {
		t.Errorf("deciding without a reason gives %v", err)
	}
	decided, err := d.cases.Decide(ctx, "ms.arden", at, mara, school.Decision{Version: signed.Version, Answer: "confirm", Claim: claim, Course: "PHY1", Mark: &mark, Reason: "Report seen."})
	if err != nil || decided.Requests[3].Entry != "met" || len(decided.Todo) != 0 {
		t.Fatalf("decided: %+v, %v", decided, err)
	}
	cleared, err := d.cases.Clear(ctx, "ms.arden", at, mara, decided.Version)
	if err != nil || cleared.Status.State != "cleared" {
		t.Fatalf("cleared: %+v, %v", cleared, err)
	}
	d.view = cleared
	d.refuse(school.Edit{Act: "remove", Course: "CER1"}, school.Locked)
	history, err := d.cases.History(ctx, "mara.quill", at, mara)
	var kinds []string
	for _, e := range slices.Backward(history) {
		kinds = append(kinds, e.Kind)
	}
	if got := strings.Join(kinds, " "); err != nil || got != "change change change submit sign decide clear" {
		t.Errorf("history: %s, %v", got, err)
	}
}

func TestChangingAfterSubmittingVoidsTheSignature(t *testing.T) {
	d := open(t, storetest.Cases(t))
	d.finish()
	sent, err := d.cases.Submit(t.Context(), "mara.quill", at, mara, d.view.Version)
	if err != nil {
		t.Fatal(err)
	}
	if d.view, err = d.cases.Sign(t.Context(), "ilse.quill", at, mara, sent.Version, []string{"CER1", "TID1"}); err != nil {
		t.Fatal(err)
	}
	d.do(school.Edit{Act: "remove", Course: "CER1"})
	if s := d.view.Status; s.State != "submitted" || !s.Changed || s.SignedBy != "" || s.Receipt != sent.Status.Receipt {
		t.Fatalf("status %+v", s)
	}
	if _, err := d.cases.Sign(t.Context(), "ilse.quill", at, mara, d.view.Version, nil); code(err) != school.WrongState {
		t.Errorf("signing a sheet that was changed since gives %v", err)
	}
	second, err := d.cases.Submit(t.Context(), "mara.quill", at, mara, d.view.Version)
	if err != nil || second.Status.Changed || second.Status.Receipt == sent.Status.Receipt {
		t.Errorf("submitting again: %+v, %v", second, err)
	}
}

func TestSendingBackAndAsking(t *testing.T) {
	d := open(t, storetest.Cases(t))
	ctx := t.Context()
	d.finish()
	view, err := d.cases.Submit(ctx, "mara.quill", at, mara, d.view.Version)
	if err != nil {
		t.Fatal(err)
	}
	if view, err = d.cases.AskForChange(ctx, "ilse.quill", at, mara, view.Version, " Not Ceramics, please. "); err != nil || view.Status.Asked != "Not Ceramics, please." {
		t.Fatalf("asked: %+v, %v", view, err)
	}
	load, err := d.cases.Caseload(ctx, "ms.arden", at, false)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range load.Students {
		if row.ID == mara && (row.Stage != "waiting" || row.Reason != "asked") {
			t.Errorf("in the caseload: %+v", row)
		}
	}
	if view, err = d.cases.SendBack(ctx, "ms.arden", at, mara, view.Version, "Talk it over at home."); err != nil || view.Status.State != "sentBack" {
		t.Fatalf("sent back: %+v, %v", view, err)
	}
	d.view = view
	d.do(school.Edit{Act: "remove", Course: "CER1"})
	if view, err = d.cases.Submit(ctx, "mara.quill", at, mara, d.view.Version); err != nil || view.Status.State != "submitted" || view.Status.Message != "" {
		t.Errorf("submitted again: %+v, %v", view, err)
	}
}

func TestTheWindow(t *testing.T) {
	for _, c := range []struct {
		name    string
		now     time.Time
		want    school.Code
		counsel school.Code
	}{
		{"before it opens", storetest.Now.AddDate(0, 0, -8), school.NotOpenYet, school.WrongState},
		{"the last moment", storetest.Now.AddDate(0, 0, 10).Add(-time.Nanosecond), "", school.WrongState},
		{"when it closes", storetest.Now.AddDate(0, 0, 10), school.Closed, school.WrongState},
		{"closed for counselors too", storetest.Now.AddDate(0, 1, 0), school.Closed, school.Closed},
	} {
		t.Run(c.name, func(t *testing.T) {
			cases := school.New(storetest.Open(t, storetest.URL(t)), func() time.Time { return c.now })
			view, err := cases.Sheet(t.Context(), "mara.quill", at, mara)
			if err != nil {
				t.Fatalf("the sheet must stay visible: %v", err)
			}
			if _, err = cases.Change(t.Context(), "mara.quill", at, mara, school.Edit{Version: view.Version, Act: "request", Course: "TID1"}); code(err) != c.want {
				t.Errorf("a change gives %v, want %q", err, c.want)
			}
			if _, err = cases.SendBack(t.Context(), "ms.arden", at, mara, view.Version, "x"); c.want != "" && code(err) != c.counsel {
				t.Errorf("sending back gives %v, want %q", err, c.counsel)
			}
		})
	}
}

func TestThrottledSignIn(t *testing.T) {
	cases := storetest.Cases(t)
	if err := cases.SignIn(t.Context(), "mara.quill", demo.Password, "here"); err != nil {
		t.Fatal(err)
	}
	for range 5 {
		if err := cases.SignIn(t.Context(), "mara.quill", "wrong", "here"); code(err) != school.SignInFailed {
			t.Fatalf("a wrong password gives %v", err)
		}
	}
	if err := cases.SignIn(t.Context(), "mara.quill", demo.Password, "there"); code(err) != school.TooMany {
		t.Errorf("after five wrong passwords the right one gives %v", err)
	}
	if err := cases.SignIn(t.Context(), "ms.arden", demo.Password, "here"); err != nil {
		t.Errorf("somebody else cannot sign in: %v", err)
	}
	if err := cases.SignIn(t.Context(), "nobody", "x", "here"); code(err) != school.SignInFailed {
		t.Errorf("an unknown username gives %v", err)
	}
}

// written is a bundle's files as they are written, by name.
func written(t *testing.T, list []bundle.File) map[string]string {
	t.Helper()
	dir := t.TempDir()
	if err := bundle.Write(dir, list); err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	entries, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		text, err := os.ReadFile(dir + "/" + e.Name())
		if err != nil {
			t.Fatal(err)
		}
		out[e.Name()] = string(text)
	}
	return out
}

func read(t *testing.T, files map[string]string) *bundle.Bundle {
	t.Helper()
	fsys := fstest.MapFS{}
	for name, text := range files {
		fsys[name] = &fstest.MapFile{Data: []byte(text)}
	}
	b, err := bundle.Read(fsys)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func export(t *testing.T, cases *school.Service) map[string]string {
	t.Helper()
	list, err := cases.Export(t.Context(), at)
	if err != nil {
		t.Fatal(err)
	}
	return written(t, list)
}

func TestImportOfAnExportChangesNothing(t *testing.T) {
	d := open(t, storetest.Cases(t))
	d.finish()
	view, err := d.cases.Decide(t.Context(), "ms.arden", at, mara, school.Decision{Version: d.view.Version, Answer: "waive", Claim: d.view.Requests[3].Claims[0].ID, Course: "PHY1", Reason: "Report, seen."})
	if err != nil {
		t.Fatal(err)
	}
	first := export(t, d.cases)
	if strings.Contains(first["users.csv"], demo.Password) {
		t.Error("the export has a password in it")
	}
	if !strings.Contains(first["signals.csv"], `s0001,waiver,PHY1,,,k1,"Report, seen."`) {
		t.Error("the waiver is not in the export")
	}
	b := read(t, first)
	result, err := d.cases.Import(t.Context(), b)
	if err != nil || result.Kept != 0 {
		t.Fatalf("import: %+v, %v", result, err)
	}
	second := export(t, d.cases)
	for name := range first {
		if first[name] != second[name] {
			t.Errorf("%s changed:\n%s", name, firstDifference(first[name], second[name]))
		}
	}
	after := open(t, d.cases)
	if after.view.Version != view.Version || names(after.view.Requests) != names(view.Requests) || after.view.Requests[3].Entry != "met" {
		t.Error("the sheet changed")
	}
}

func firstDifference(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range x {
		if i >= len(y) || x[i] != y[i] {
			return fmt.Sprintf("line %d: %q, then %q", i+1, x[i], append(y, "")[min(i, len(y))])
		}
	}
	return "lines were added"
}

func TestUnknownColumnsSurvive(t *testing.T) {
	cases := storetest.Cases(t)
	files := export(t, cases)
	lines := strings.Split(files["courses.csv"], "\n")
	lines[0] += ",metadata.room"
	for i := 1; i < len(lines)-1; i++ {
		lines[i] += fmt.Sprintf(",\"room, %d\"", i)
	}
	files["courses.csv"] = strings.Join(lines, "\n")
	if _, err := cases.Import(t.Context(), read(t, files)); err != nil {
		t.Fatal(err)
	}
	if got := export(t, cases)["courses.csv"]; got != files["courses.csv"] {
		t.Error(firstDifference(files["courses.csv"], got))
	}
}

func TestAnImportKeepsWhatPeopleEntered(t *testing.T) {
	d := open(t, storetest.Cases(t))
	fresh, err := storetest.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	d.finish()
	result, err := d.cases.Import(t.Context(), fresh)
	if err != nil || result.Kept != 1 {
		t.Fatalf("import: %+v, %v", result, err)
	}
	if after := open(t, d.cases); names(after.view.Requests) != names(d.view.Requests) || names(after.view.Alternate) != names(d.view.Alternate) {
		t.Errorf("the sheet is now %s / %s", names(after.view.Requests), names(after.view.Alternate))
	}
}

func TestABadBundleChangesNothing(t *testing.T) {
	cases := storetest.Cases(t)
	before := export(t, cases)
	files := export(t, cases)
	files["requests.csv"] += "s0001,NOPE,request,99,,\nnobody,ENG10,request,1,,\n"
	b := read(t, files)
	_, err := cases.Import(t.Context(), b)
	var bad *school.BadBundle
	if !errors.As(err, &bad) || len(bad.Problems) != 2 || bad.Problems[0].Column != "courseCode" || bad.Problems[1].Column != "student" {
		t.Fatalf("import gives %v", err)
	}
	if !reflect.DeepEqual(before, export(t, cases)) {
		t.Error("a refused import changed something")
	}
}
