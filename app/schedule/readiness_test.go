package schedule_test

import (
	"slices"
	"strings"
	"testing"

	appcaseload "rubricon/app/caseload"
	"rubricon/app/schedule"
	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// readied is a school that places what has come so far, in which one student each has a request submitted, signed and approved.
func readied(t *testing.T, take string) *apptest.House {
	t.Helper()
	h := apptest.NewHouse(t)
	h.Classes([]string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher",
		"cer1-1,active,Ceramics,c-cer1,scheduled,pellworth,sy27-1,7,,5,Ms A"}, apptest.Takes(take))
	for student, state := range map[string]string{"s0003": "submitted", "s0004": "signed", "s0005": "cleared"} {
		h.HandsIn(student, []string{"CER1"}, nil)
		h.DB.Exec(t, `UPDATE sheet SET state = $2 WHERE student_id = $1`, student, state)
	}
	return h
}

func pupils(list []schedule.ReadyPupil) string {
	var out []string
	for _, p := range list {
		out = append(out, p.Student+" "+p.Stood)
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// TestWhoseRequestsArePlaced: as the school has it; who is left out or not approved is named before a run and before publishing, and publishing
// makes no one's requests signed or approved.
func TestWhoseRequestsArePlaced(t *testing.T) {
	for take, want := range map[string]struct{ placed, left, unapproved string }{
		"approved":  {"s0005", "s0003 submitted, s0004 signed", ""},
		"signed":    {"s0004 s0005", "s0003 submitted", "s0004 signed"},
		"submitted": {"s0003 s0004 s0005", "", "s0003 submitted, s0004 signed"},
	} {
		t.Run(take, func(t *testing.T) {
			h := readied(t, take)
			ctx, office := t.Context(), h.Who("office")
			before, err := h.Schedule.PlacingReadiness(ctx, office, apptest.Mara.School, apptest.Mara.Year)
			if err != nil || before.Take.String() != take || pupils(before.Left) != want.left || pupils(before.Unapproved) != want.unapproved || before.Students != len(strings.Fields(want.placed)) {
				t.Errorf("before: %+v, %v", before, err)
			}
			r := h.Placed(ctx)
			if got := testdb.Value[string](t, h.DB, `SELECT string_agg(student_id, ' ' ORDER BY student_id) FROM placement_given`); got != want.placed {
				t.Errorf("placed: %s, want %s", got, want.placed)
			}
			shows, err := h.Schedule.PublishingReadiness(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, -1)
			if err != nil || pupils(shows.Left) != want.left || pupils(shows.Unapproved) != want.unapproved || shows.Students != len(strings.Fields(want.placed)) || shows.Complete != shows.Students {
				t.Errorf("publishing would: %+v, %v", shows, err)
			}
			if none, err := h.Schedule.PublishingReadiness(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, 99); err != nil || none.Students+len(none.Left) != 0 {
				t.Errorf("to a grade of nobody: %+v, %v", none, err)
			}
			if n, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, -1); err != nil || n != shows.Students {
				t.Fatalf("%d are shown it, %v", n, err)
			}
			after, err := h.Schedule.PublishingReadiness(ctx, office, apptest.Mara.School, apptest.Mara.Year, r.ID, -1)
			if err != nil || pupils(after.Unapproved) != want.unapproved {
				t.Errorf("publishing has made others approved: %+v, %v", after, err)
			}
		})
	}
}

// TestWhatWasPlacedUnsigned can still be signed and then approved, and counts in the caseload as what it is.
func TestWhatWasPlacedUnsigned(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Scheduled()
	h.Edit(appsheet.Edit{Act: "request", Course: "TID1"})
	h.Edit(appsheet.Edit{Act: "alternate", Course: "PHO1"})
	h.Edit(appsheet.Edit{Act: "alternate", Course: "AST1"})
	h.Submit()
	ctx, office := t.Context(), h.Who("office")
	if _, err := h.Schedule.Publish(ctx, office, apptest.Mara.School, apptest.Mara.Year, h.Placed(ctx).ID, -1); err != nil {
		t.Fatal(err)
	}
	stage := func() string {
		t.Helper()
		page, err := h.Caseload.Caseload(ctx, h.Who("ms.arden"), apptest.Mara.School, apptest.Mara.Year, appcaseload.Filter{})
		if err != nil {
			t.Fatal(err)
		}
		for _, x := range page.Lines {
			if x.Student == apptest.Mara.Student {
				return string(x.Stage)
			}
		}
		return "nowhere"
	}
	if got := stage(); got == "cleared" {
		t.Errorf("in the caseload it is %s", got)
	}
	h.At(h.Clock().AddDate(0, 2, 0)) // long after the window
	d := h.Look("ilse.quill")
	if !d.Acts[acts.Sign].Allowed || d.Acts[acts.Edit].Allowed {
		t.Fatalf("signing: %+v", d.Acts[acts.Sign])
	}
	d = h.Must(h.Sheet.Sign(ctx, h.Who("ilse.quill"), apptest.Mara, d.Row.Version, d.Fees(), ""))
	if d.Row.State != "placed" || d.Row.Before != "signed" || len(d.Row.Signatures.V) != 1 {
		t.Errorf("after signing: %s, before %s, %d signatures", d.Row.State, d.Row.Before, len(d.Row.Signatures.V))
	}
	if again := h.Look("ilse.quill"); again.Acts[acts.Sign].Allowed {
		t.Errorf("signing again: %+v", again.Acts[acts.Sign])
	}
}
