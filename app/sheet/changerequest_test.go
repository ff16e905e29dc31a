package sheet_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	appsheet "rubricon/app/sheet"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
	"rubricon/store"
)

// Each guardian's refusal and request for a change is kept next to the others', with its author, until that guardian withdraws it or the school answers
// it. Another guardian's signature leaves it, and approval asks for the answer.
func TestEachGuardianIsHeard(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	ilse, other, arden := twoGuardians(h)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Must(h.Sheet.RequestChange(ctx, other, apptest.Mara, appsheet.ChangeRequest{Message: "Too heavy, call me.", Decline: true}))
	h.Must(h.Sheet.RequestChange(ctx, other, apptest.Mara, appsheet.ChangeRequest{Message: "One less.", Course: "CER1"}))
	h.Must(h.Sheet.RequestChange(ctx, ilse, apptest.Mara, appsheet.ChangeRequest{Message: "Choir."}))
	if d := h.Sign(); d.Row.State != "signed" {
		t.Fatalf("after one has signed: %s", d.Row.State)
	}
	if got := openRequests(h); got != "g0002 decline Too heavy, call me., g0002 ask One less., g0001 ask Choir." {
		t.Errorf("open: %s", got)
	}
	ids := h.Look("ms.arden").Row.ChangeRequests.V
	if got := apptest.Code(h.Sheet.WithdrawChangeRequest(ctx, ilse, apptest.Mara, ids[0].ID)); got != "not-found" {
		t.Errorf("withdrawing another guardian's refusal: %s", got)
	}
	if got := apptest.Code(h.Sheet.AnswerChangeRequest(ctx, ilse, apptest.Mara, ids[0].ID, "No.")); got != "forbidden" {
		t.Errorf("a guardian answers: %s", got)
	}
	if got := apptest.Code(h.Sheet.AnswerChangeRequest(ctx, arden, apptest.Mara, ids[0].ID, " ")); got != "needs-message" {
		t.Errorf("answering without a word: %s", got)
	}
	if got := apptest.Code(h.Sheet.Approve(ctx, arden, apptest.Mara, 0, "")); got != "needs-reason" {
		t.Errorf("approving past a refusal: %s", got)
	}
	h.Must(h.Sheet.AnswerChangeRequest(ctx, arden, apptest.Mara, ids[0].ID, "We spoke."))
	h.Must(h.Sheet.WithdrawChangeRequest(ctx, other, apptest.Mara, ids[1].ID))
	if got := openRequests(h); got != "g0001 ask Choir." {
		t.Errorf("open after an answer and a withdrawal: %s", got)
	}
	if got := apptest.Code(h.Sheet.AnswerChangeRequest(ctx, arden, apptest.Mara, ids[0].ID, "Again.")); got != "not-found" {
		t.Errorf("answering twice: %s", got)
	}
	d := h.Must(h.Sheet.Approve(ctx, arden, apptest.Mara, 0, "Choir is full."))
	if list := d.Row.ChangeRequests.V; d.Row.State != "cleared" || len(list) != 2 || list[0].Answer != "We spoke." || list[1].Answer != "Choir is full." || list[1].AnsweredBy != "Ms Arden" {
		t.Errorf("approved: %s, %+v", d.Row.State, list)
	}
	if got := h.History(); !strings.HasSuffix(got, "decline ask ask sign reply withdraw clear") {
		t.Errorf("the history: %s", got)
	}
}

// Where requests that are signed approve themselves, a refusal keeps them for a person.
func TestNothingIsApprovedPastARefusal(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	h.Settings(`{"look": "none"}`)
	_, other, arden := twoGuardians(h)
	h.Finish()
	h.Waive()
	h.Submit()
	h.Must(h.Sheet.RequestChange(ctx, other, apptest.Mara, appsheet.ChangeRequest{Message: "No.", Decline: true}))
	if d := h.Sign(); d.Row.State != "signed" {
		t.Errorf("signed past a refusal: %s", d.Row.State)
	}
	if got := apptest.Code(h.Sheet.Approve(ctx, arden, apptest.Mara, 0, "")); got != "needs-reason" {
		t.Errorf("approving: %s", got)
	}
	d := h.Must(h.Sheet.WithdrawChangeRequest(ctx, other, apptest.Mara, h.Look("ms.arden").Row.ChangeRequests.V[0].ID))
	if d.Row.State != "cleared" {
		t.Errorf("after the refusal is withdrawn: %s", d.Row.State)
	}
}

// A guardian who signs after all takes the own refusal back.
func TestSigningEndsTheOwnRefusal(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	h.Finish()
	h.Submit()
	h.Must(h.Sheet.RequestChange(ctx, h.Who("ilse.quill"), apptest.Mara, appsheet.ChangeRequest{Message: "No.", Decline: true}))
	h.Sign()
	if got := openRequests(h); got != "" {
		t.Errorf("open after its author has signed: %s", got)
	}
}

// Only so many change requests are open at once, and of those answered the latest stay.
func TestManyChangeRequests(t *testing.T) {
	h := apptest.NewHouse(t)
	ctx := t.Context()
	ilse, arden := h.Who("ilse.quill"), h.Who("ms.arden")
	h.Finish()
	h.Submit()
	ask := func(i int) (*appsheet.Desk, error) {
		return h.Sheet.RequestChange(ctx, ilse, apptest.Mara, appsheet.ChangeRequest{Message: fmt.Sprint(i)})
	}
	for i := range 20 {
		h.Must(ask(i))
	}
	if got := apptest.Code(ask(20)); got != "at-limit" {
		t.Errorf("the twenty-first: %s", got)
	}
	for _, r := range h.Look("ms.arden").Row.ChangeRequests.V[:12] {
		h.Must(h.Sheet.AnswerChangeRequest(ctx, arden, apptest.Mara, r.ID, "Yes."))
	}
	if list := h.Must(ask(21)).Row.ChangeRequests.V; len(list) != 10+9 || list[0].Text != "2" || list[18].Text != "21" {
		t.Errorf("%d stay, from %s to %s", len(list), list[0].Text, list[len(list)-1].Text)
	}
}

// In any order of acts what is open is what was asked, less what its author withdrew or signed away and what the school answered, and each has its author's
// name.
func TestNoRefusalIsLost(t *testing.T) {
	for seed := range uint64(6) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			h := apptest.NewHouse(t)
			ctx, r := t.Context(), rand.New(rand.NewPCG(seed, 24))
			ilse, other, arden := twoGuardians(h)
			if seed%2 == 0 {
				h.Settings(`{"signing": "all"}`)
			}
			h.Finish()
			h.Waive()
			h.Submit()
			guardians := map[int64]string{ilse: "g0001", other: "g0002"}
			names := map[string]string{}
			for _, id := range guardians {
				names[id] = testdb.Value[string](t, h.DB, `SELECT given_name || ' ' || family_name FROM person WHERE school_id = 'pellworth' AND id = '`+id+`'`)
			}
			type said struct {
				person, kind, text string
				id                 int64
			}
			var want []said
			drop := func(f func(said) bool) { want = slices.DeleteFunc(want, f) }
			for step := range 40 {
				by := []int64{ilse, other}[r.IntN(2)]
				text := fmt.Sprint("Text ", step)
				var d *appsheet.Desk
				var err error
				before := h.Look("mara.quill").Row.Version
				switch act := r.IntN(8); act {
				case 0, 1:
					if d, err = h.Sheet.RequestChange(ctx, by, apptest.Mara, appsheet.ChangeRequest{Message: text, Decline: act == 1}); err == nil {
						want = append(want, said{person: guardians[by], kind: []string{"ask", "decline"}[act], text: text, id: d.Row.Version})
					}
				case 2:
					if d, err = h.Sheet.Sign(ctx, by, apptest.Mara, 0, apptest.Fees, ""); err == nil && strings.HasSuffix(h.History(), " sign") && d.Row.Version > before {
						drop(func(x said) bool { return x.person == guardians[by] && x.kind == "decline" })
					}
				case 3:
					act := "alternate"
					if slices.ContainsFunc(h.Look("mara.quill").Row.Entries, func(e store.EntryRow) bool { return e.Course == "DAN1" }) {
						act = "remove"
					}
					h.Edit(appsheet.Edit{Act: act, Course: "DAN1"})
					h.Submit()
				case 4:
					if _, err = h.Sheet.SendBack(ctx, arden, apptest.Mara, 0, text); err == nil {
						want = nil
					}
				case 5:
					if _, err = h.Sheet.Approve(ctx, arden, apptest.Mara, 0, text); err == nil {
						want = nil
						h.Must(h.Sheet.Reopen(ctx, arden, apptest.Mara, 0, text))
					}
				case 6:
					if len(want) > 0 {
						x := want[r.IntN(len(want))]
						if _, err = h.Sheet.WithdrawChangeRequest(ctx, by, apptest.Mara, x.id); (err == nil) != (guardians[by] == x.person) {
							t.Fatalf("%s withdraws what %s said: %v", guardians[by], x.person, err)
						} else if err == nil {
							drop(func(y said) bool { return y == x })
						}
					}
				case 7:
					if len(want) > 0 {
						x := want[r.IntN(len(want))]
						h.Must(h.Sheet.AnswerChangeRequest(ctx, arden, apptest.Mara, x.id, text))
						drop(func(y said) bool { return y == x })
					}
				}
				var got []said
				for _, x := range h.Look("ms.arden").Row.ChangeRequests.V {
					if x.Name != names[x.Person] {
						t.Fatalf("step %d: %q of %s is said to be of %s", step, x.Text, x.Person, x.Name)
					}
					if x.AnsweredAt == nil {
						got = append(got, said{person: x.Person, kind: x.Kind, text: x.Text, id: x.ID})
					}
				}
				if !slices.Equal(got, want) {
					t.Fatalf("step %d: open are %v, want %v", step, got, want)
				}
				if len(want) > 0 && h.Look("ms.arden").Row.State == "cleared" {
					t.Fatalf("step %d: approved past %v", step, want)
				}
			}
		})
	}
}

// twoGuardians makes g0002 a guardian of Mara beside g0001, and returns the two accounts and that of the counselor.
func twoGuardians(h *apptest.House) (ilse, other, arden int64) {
	h.T.Helper()
	h.DB.Exec(h.T, `INSERT INTO relation (school_id, kind, person_id, student_id, source)
		VALUES ('pellworth', 'guards', 'g0002', 's0001', 'office')`)
	h.DB.Exec(h.T, `UPDATE school_year SET roster_version = roster_version + 1`)
	return h.Who("ilse.quill"), testdb.Value[int64](h.T, h.DB,
		`SELECT account_id FROM person WHERE school_id = 'pellworth' AND id = 'g0002'`), h.Who("ms.arden")
}

// openRequests lists the open change requests on Mara's sheet.
func openRequests(h *apptest.House) string {
	h.T.Helper()
	var list []string
	for _, r := range h.Look("mara.quill").Row.ChangeRequests.V {
		if r.AnsweredAt == nil {
			list = append(list, r.Person+" "+r.Kind+" "+r.Text)
		}
	}
	return strings.Join(list, ", ")
}
