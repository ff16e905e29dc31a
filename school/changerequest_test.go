package school_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rubricon/school"
	"rubricon/store"
	"rubricon/store/storetest"
)

// Each guardian's refusal and request for a change is kept beside the others', with its author, until that guardian withdraws it or the school answers
// it. Another guardian's signature leaves it, and approval asks for the answer.
func TestEachGuardianIsHeard(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	ilse, other, arden := h.twoGuardians()
	h.finish()
	h.waive()
	h.submit()
	h.must(h.RequestChange(ctx, other, mara, school.ChangeRequest{Message: "Too heavy, call me.", Decline: true}))
	h.must(h.RequestChange(ctx, other, mara, school.ChangeRequest{Message: "One less.", Course: "CER1"}))
	h.must(h.RequestChange(ctx, ilse, mara, school.ChangeRequest{Message: "Choir."}))
	if d := h.sign(); d.Row.State != "signed" {
		t.Fatalf("after one has signed: %s", d.Row.State)
	}
	if got := h.open(); got != "g0002 decline Too heavy, call me., g0002 ask One less., g0001 ask Choir." {
		t.Errorf("open: %s", got)
	}
	ids := h.look("ms.arden").Row.ChangeRequests.V
	if got := code(h.WithdrawChangeRequest(ctx, ilse, mara, ids[0].ID)); got != "not-found" {
		t.Errorf("withdrawing another guardian's refusal: %s", got)
	}
	if got := code(h.AnswerChangeRequest(ctx, ilse, mara, ids[0].ID, "No.")); got != "forbidden" {
		t.Errorf("a guardian answers: %s", got)
	}
	if got := code(h.AnswerChangeRequest(ctx, arden, mara, ids[0].ID, " ")); got != "needs-message" {
		t.Errorf("answering without a word: %s", got)
	}
	if got := code(h.Clear(ctx, arden, mara, 0, "")); got != "needs-reason" {
		t.Errorf("approving past a refusal: %s", got)
	}
	h.must(h.AnswerChangeRequest(ctx, arden, mara, ids[0].ID, "We spoke."))
	h.must(h.WithdrawChangeRequest(ctx, other, mara, ids[1].ID))
	if got := h.open(); got != "g0001 ask Choir." {
		t.Errorf("open after an answer and a withdrawal: %s", got)
	}
	if got := code(h.AnswerChangeRequest(ctx, arden, mara, ids[0].ID, "Again.")); got != "not-found" {
		t.Errorf("answering twice: %s", got)
	}
	d := h.must(h.Clear(ctx, arden, mara, 0, "Choir is full."))
	if list := d.Row.ChangeRequests.V; d.Row.State != "cleared" || len(list) != 2 || list[0].Answer != "We spoke." || list[1].Answer != "Choir is full." || list[1].AnsweredBy != "Ms Arden" {
		t.Errorf("approved: %s, %+v", d.Row.State, list)
	}
	if got := h.history(); !strings.HasSuffix(got, "decline ask ask sign reply withdraw clear") {
		t.Errorf("the history: %s", got)
	}
}

// Where requests that are signed approve themselves, a refusal keeps them for a person.
func TestNothingIsApprovedPastARefusal(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	h.settings(`{"look": "none"}`)
	_, other, arden := h.twoGuardians()
	h.finish()
	h.waive()
	h.submit()
	h.must(h.RequestChange(ctx, other, mara, school.ChangeRequest{Message: "No.", Decline: true}))
	if d := h.sign(); d.Row.State != "signed" {
		t.Errorf("signed past a refusal: %s", d.Row.State)
	}
	if got := code(h.Clear(ctx, arden, mara, 0, "")); got != "needs-reason" {
		t.Errorf("approving: %s", got)
	}
	d := h.must(h.WithdrawChangeRequest(ctx, other, mara, h.look("ms.arden").Row.ChangeRequests.V[0].ID))
	if d.Row.State != "cleared" {
		t.Errorf("after the refusal is withdrawn: %s", d.Row.State)
	}
}

// A guardian who signs after all takes the own refusal back.
func TestSigningEndsTheOwnRefusal(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	h.finish()
	h.submit()
	h.must(h.RequestChange(ctx, h.who("ilse.quill"), mara, school.ChangeRequest{Message: "No.", Decline: true}))
	h.sign()
	if got := h.open(); got != "" {
		t.Errorf("open after its author has signed: %s", got)
	}
}

// Only so many change requests are open at once, and of those answered the latest stay.
func TestManyChangeRequests(t *testing.T) {
	h := newHouse(t)
	ctx := t.Context()
	ilse, arden := h.who("ilse.quill"), h.who("ms.arden")
	h.finish()
	h.submit()
	ask := func(i int) (*school.Desk, error) {
		return h.RequestChange(ctx, ilse, mara, school.ChangeRequest{Message: fmt.Sprint(i)})
	}
	for i := range 20 {
		h.must(ask(i))
	}
	if got := code(ask(20)); got != "at-limit" {
		t.Errorf("the twenty-first: %s", got)
	}
	for _, r := range h.look("ms.arden").Row.ChangeRequests.V[:12] {
		h.must(h.AnswerChangeRequest(ctx, arden, mara, r.ID, "Yes."))
	}
	if list := h.must(ask(21)).Row.ChangeRequests.V; len(list) != 10+9 || list[0].Text != "2" || list[18].Text != "21" {
		t.Errorf("%d stay, from %s to %s", len(list), list[0].Text, list[len(list)-1].Text)
	}
}

// In any order of acts what is open is what was asked, less what its author withdrew or signed away and what the school answered, and each has its author's
// name.
func TestNoRefusalIsLost(t *testing.T) {
	for seed := range uint64(6) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			h := newHouse(t)
			ctx, r := t.Context(), rand.New(rand.NewPCG(seed, 24))
			ilse, other, arden := h.twoGuardians()
			if seed%2 == 0 {
				h.settings(`{"signing": "all"}`)
			}
			h.finish()
			h.waive()
			h.submit()
			guardians := map[int64]string{ilse: "g0001", other: "g0002"}
			names := map[string]string{}
			for _, id := range guardians {
				names[id] = storetest.Value[string](t, h.db, `SELECT given_name || ' ' || family_name FROM person WHERE school_id = 'pellworth' AND id = '`+id+`'`)
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
				var d *school.Desk
				var err error
				before := h.look("mara.quill").Row.Version
				switch act := r.IntN(8); act {
				case 0, 1:
					if d, err = h.RequestChange(ctx, by, mara, school.ChangeRequest{Message: text, Decline: act == 1}); err == nil {
						want = append(want, said{guardians[by], []string{"ask", "decline"}[act], text, d.Row.Version})
					}
				case 2:
					if d, err = h.Sign(ctx, by, mara, 0, fees, ""); err == nil && strings.HasSuffix(h.history(), " sign") && d.Row.Version > before {
						drop(func(x said) bool { return x.person == guardians[by] && x.kind == "decline" })
					}
				case 3:
					act := "alternate"
					if slices.ContainsFunc(h.look("mara.quill").Row.Entries, func(e store.EntryRow) bool { return e.Course == "DAN1" }) {
						act = "remove"
					}
					h.edit(school.Edit{Act: act, Course: "DAN1"})
					h.submit()
				case 4:
					if d, err = h.SendBack(ctx, arden, mara, 0, text); err == nil {
						want = nil
					}
				case 5:
					if d, err = h.Clear(ctx, arden, mara, 0, text); err == nil {
						want = nil
						h.must(h.Reopen(ctx, arden, mara, 0, text))
					}
				case 6:
					if len(want) > 0 {
						x := want[r.IntN(len(want))]
						if d, err = h.WithdrawChangeRequest(ctx, by, mara, x.id); (err == nil) != (guardians[by] == x.person) {
							t.Fatalf("%s withdraws what %s said: %v", guardians[by], x.person, err)
						} else if err == nil {
							drop(func(y said) bool { return y == x })
						}
					}
				case 7:
					if len(want) > 0 {
						x := want[r.IntN(len(want))]
						h.must(h.AnswerChangeRequest(ctx, arden, mara, x.id, text))
						drop(func(y said) bool { return y == x })
					}
				}
				var got []said
				for _, x := range h.look("ms.arden").Row.ChangeRequests.V {
					if x.Name != names[x.Person] {
						t.Fatalf("step %d: %q of %s is said to be of %s", step, x.Text, x.Person, x.Name)
					}
					if x.AnsweredAt == nil {
						got = append(got, said{x.Person, x.Kind, x.Text, x.ID})
					}
				}
				if !slices.Equal(got, want) {
					t.Fatalf("step %d: open are %v, want %v", step, got, want)
				}
				if len(want) > 0 && h.look("ms.arden").Row.State == "cleared" {
					t.Fatalf("step %d: approved past %v", step, want)
				}
			}
		})
	}
}
