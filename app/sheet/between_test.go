package sheet_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"rubricon/app/problem"
	"rubricon/app/seats"
	appsheet "rubricon/app/sheet"
	"rubricon/core/acts"
	"rubricon/core/receipt"
	"rubricon/internal/apptest"
	"rubricon/internal/testdb"
)

// A page that was found and is submitted again before its signature is recorded is a page of before: no one has signed the new one.
func TestSubmittedAgainWhileAPageIsRecorded(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	d := h.Submit()
	code := receipt.Code(*d.Row.Receipt)
	got := h.Between(1, func() string {
		_, err := h.Sheet.Papers().Sign(context.Background(), h.Who("office"), apptest.Mara.School, apptest.Mara.Year, appsheet.PaperSignature{Code: code, Guardian: "g0001", Agreed: apptest.Fees})
		return string(problem.CodeOf(err))
	}, `INSERT INTO submission (school_id, year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement, agreed)
		SELECT school_id, year, student_id, number + 1, 'PE-777777', at, actor, actor_name, catalog_version, policy_version, entries, judgement, agreed FROM submission WHERE student_id = 's0001'`,
		`UPDATE sheet SET submission = submission + 1, version = version + 1 WHERE student_id = 's0001' AND year = 2027`)
	if got[0] != string(problem.OldCode) {
		t.Errorf("recording it gives %q", got[0])
	}
	if n := testdb.Value[int](t, h.DB, `SELECT count(*) FROM signature`); n != 0 {
		t.Errorf("%d signatures", n)
	}
}

// A claim that is settled stays so, also where anyone who settles it once more has not heard of it.
func TestAClaimIsSettledOnce(t *testing.T) {
	h := apptest.NewHouse(t)
	claim := h.Claim()
	h.DB.Exec(t, `UPDATE signal SET settled = 'declined', answer = 'No report.' WHERE kind = 'claim' AND student_id = 's0001'`) // the facts that are known here are older
	_, _ = h.Sheet.Decide(t.Context(), h.Who("ms.arden"), apptest.Mara, appsheet.Decision{Answer: "waive", Claim: claim, Course: "PHY1", Reason: "Report seen."})
	if got := testdb.Value[string](t, h.DB, `SELECT settled || ': ' || answer FROM signal WHERE kind = 'claim' AND student_id = 's0001'`); got != "declined: No report." {
		t.Errorf("the claim is %s", got)
	}
}

// The guardians on file decide what is waited for: a signature, or that the school finds someone to sign.
func TestGuardiansOnFileAreCounted(t *testing.T) {
	h := apptest.NewHouse(t)
	h.Finish()
	if d := h.Submit(); d.Next != acts.NextSign {
		t.Errorf("with a guardian on file comes %s", d.Next)
	}
	h.DB.Exec(t, `INSERT INTO relation (school_id, kind, person_id, student_id, source) VALUES ('pellworth', 'guards', 'g0002', 's0001', 'office')`)
	h.Settings(`{"signing": "all"}`)
	if d := h.Sign(); d.Row.State != "submitted" || d.Next != acts.NextSign {
		t.Errorf("signed by one of two, it is %s, and %s comes", d.Row.State, d.Next)
	}
}

func TestNoGuardianOnFile(t *testing.T) {
	other := apptest.NewHouse(t)
	other.DB.Exec(t, `DELETE FROM relation WHERE kind = 'guards' AND student_id = 's0001'`)
	other.DB.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	other.Finish()
	if d := other.Submit(); d.Next != acts.NextSignFor {
		t.Errorf("without a guardian on file comes %s", d.Next)
	}
}

// Seats are not taken in a choice that is submitted elsewhere at that moment.
func TestSeatsWhileTheChoiceIsSubmitted(t *testing.T) {
	p := apptest.NewPoint(t)
	sections := p.Planted["sk001"]
	if got := p.Takes(1, sections[0]); got != "" {
		t.Fatal(got)
	}
	at, who := p.Of(1)
	got := p.Between(1, func() string {
		_, err := p.Seats.TakeSeats(context.Background(), who, at, seats.SeatsChange{Take: sections[1:2]})
		return string(problem.CodeOf(err))
	}, `UPDATE seat_choice SET state = 'submitted', version = version + 1 WHERE student_id = 'sk001'`)
	if got[0] != string(acts.Locked) || p.Own(1) != sections[0] {
		t.Errorf("answered %q; has %s", got[0], p.Own(1))
	}
}

// On the day on which a section begins no seat is taken in it any more; on the day before it is.
func TestASectionThatBeginsToday(t *testing.T) {
	p := apptest.NewPoint(t)
	section := p.Planted["sk001"][0]
	at, _ := p.Of(1)
	e, err := p.Seats.Enrolled(t.Context(), p.Who("ms.torvund"), at)
	if err != nil {
		t.Fatal(err)
	}
	first, err := time.ParseInLocation(time.DateOnly, e.Days[0], p.Week(1).Year.Zone())
	if err != nil {
		t.Fatal(err)
	}
	p.Opens(first.AddDate(0, 0, -2))
	p.At(first.Add(-time.Minute))
	if got := p.Takes(1, section); got != "" {
		t.Errorf("on the evening before the first day: %s", got)
	}
	p.Opens(first.AddDate(0, 0, -1))
	p.At(first)
	if got := p.Takes(2, p.Planted["sk002"][0]); got != "section-begun "+p.Planted["sk002"][0] {
		t.Errorf("on the first day: %q", got)
	}
}

// Two who read a calendar for the first time at once both have it, and its dates are written once.
func TestACalendarIsReadTwiceAtOnce(t *testing.T) {
	h := apptest.NewHouse(t)
	d := h.Look("mara.quill")
	answers := h.Between(2, func() string {
		dates, err := h.Seats.ErrandDates(context.Background(), d)
		return fmt.Sprint(len(dates), dates[0].Sequence, err)
	}, `SELECT 1 FROM sheet WHERE student_id = 's0001' FOR UPDATE`)
	for _, got := range answers {
		if got != "3 0 <nil>" {
			t.Errorf("one is answered %s", got)
		}
	}
	if n := testdb.Value[int](t, h.DB, `SELECT sum(1 + sequence) FROM calendar_date`); n != 3 {
		t.Errorf("%d dates were written", n)
	}
}
