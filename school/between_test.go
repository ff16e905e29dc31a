package school_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"rubricon/core/acts"
	"rubricon/core/receipt"
	"rubricon/school"
	"rubricon/store/storetest"
)

// A page that was found and is submitted again before its signature is recorded is a page of before: nobody has signed the new one.
func TestSubmittedAgainWhileAPageIsRecorded(t *testing.T) {
	h := newHouse(t)
	h.finish()
	d := h.submit()
	code := receipt.Code(*d.Row.Receipt)
	got := h.between(1, func() string {
		_, err := h.SignedOnPaper(context.Background(), h.who("office"), mara.School, mara.Year, school.PaperSignature{Code: code, Guardian: "g0001", Agreed: fees})
		return string(school.CodeOf(err))
	}, `INSERT INTO submission (school_id, year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement, agreed)
		SELECT school_id, year, student_id, number + 1, 'PE-777777', at, actor, actor_name, catalog_version, policy_version, entries, judgement, agreed FROM submission WHERE student_id = 's0001'`,
		`UPDATE sheet SET submission = submission + 1, version = version + 1 WHERE student_id = 's0001' AND year = 2027`)
	if got[0] != string(school.OldCode) {
		t.Errorf("recording it gives %q", got[0])
	}
	if n := storetest.Value[int](t, h.db, `SELECT count(*) FROM signature`); n != 0 {
		t.Errorf("%d signatures", n)
	}
}

// A claim that is settled stays so, also where whoever settles it once more has not heard of it.
func TestAClaimIsSettledOnce(t *testing.T) {
	h := newHouse(t)
	claim := h.claim()
	h.db.Exec(t, `UPDATE signal SET settled = 'declined', answer = 'No report.' WHERE kind = 'claim' AND student_id = 's0001'`) // the facts that are known here are older
	_, _ = h.Decide(t.Context(), h.who("ms.arden"), mara, school.Decision{Answer: "waive", Claim: claim, Course: "PHY1", Reason: "Report seen."})
	if got := storetest.Value[string](t, h.db, `SELECT settled || ': ' || answer FROM signal WHERE kind = 'claim' AND student_id = 's0001'`); got != "declined: No report." {
		t.Errorf("the claim is %s", got)
	}
}

// The guardians on file decide what is waited for: a signature, or that the school finds somebody to sign.
func TestGuardiansOnFileAreCounted(t *testing.T) {
	h := newHouse(t)
	h.finish()
	if d := h.submit(); d.Next != acts.NextSign {
		t.Errorf("with a guardian on file comes %s", d.Next)
	}
	h.db.Exec(t, `INSERT INTO relation (school_id, kind, person_id, student_id, source) VALUES ('pellworth', 'guards', 'g0002', 's0001', 'office')`)
	h.settings(`{"signing": "all"}`)
	if d := h.sign(); d.Row.State != "submitted" || d.Next != acts.NextSign {
		t.Errorf("signed by one of two, it is %s, and %s comes", d.Row.State, d.Next)
	}
}

func TestNoGuardianOnFile(t *testing.T) {
	other := newHouse(t)
	other.db.Exec(t, `DELETE FROM relation WHERE kind = 'guards' AND student_id = 's0001'`)
	other.db.Exec(t, `UPDATE school_year SET roster_version = roster_version + 1`)
	other.finish()
	if d := other.submit(); d.Next != acts.NextSignFor {
		t.Errorf("without a guardian on file comes %s", d.Next)
	}
}

// Seats are not taken in a choice that is submitted elsewhere at that moment.
func TestSeatsWhileTheChoiceIsSubmitted(t *testing.T) {
	p := newPoint(t)
	sections := p.planted["sk001"]
	if got := p.takes(1, sections[0]); got != "" {
		t.Fatal(got)
	}
	at, who := p.of(1)
	got := p.between(1, func() string {
		_, err := p.TakeSeats(context.Background(), who, at, school.SeatsChange{Take: sections[1:2]})
		return string(school.CodeOf(err))
	}, `UPDATE seat_choice SET state = 'submitted', version = version + 1 WHERE student_id = 'sk001'`)
	if got[0] != string(acts.Locked) || p.own(1) != sections[0] {
		t.Errorf("answered %q; has %s", got[0], p.own(1))
	}
}

// On the day on which a section begins no seat is taken in it any more; on the day before it is.
func TestASectionThatBeginsToday(t *testing.T) {
	p := newPoint(t)
	section := p.planted["sk001"][0]
	at, _ := p.of(1)
	e, err := p.Enrolled(t.Context(), p.who("ms.torvund"), at)
	if err != nil {
		t.Fatal(err)
	}
	first, err := time.ParseInLocation(time.DateOnly, e.Days[0], p.week(1).Year.Zone())
	if err != nil {
		t.Fatal(err)
	}
	p.opens(first.AddDate(0, 0, -2))
	p.at(first.Add(-time.Minute))
	if got := p.takes(1, section); got != "" {
		t.Errorf("on the evening before the first day: %s", got)
	}
	p.opens(first.AddDate(0, 0, -1))
	p.at(first)
	if got := p.takes(2, p.planted["sk002"][0]); got != "section-begun "+p.planted["sk002"][0] {
		t.Errorf("on the first day: %q", got)
	}
}

// Two who read a calendar for the first time at once both have it, and its dates are written once.
func TestACalendarIsReadTwiceAtOnce(t *testing.T) {
	h := newHouse(t)
	d := h.look("mara.quill")
	answers := h.between(2, func() string {
		dates, err := h.ErrandDates(context.Background(), d)
		return fmt.Sprint(len(dates), dates[0].Sequence, err)
	}, `SELECT 1 FROM sheet WHERE student_id = 's0001' FOR UPDATE`)
	for _, got := range answers {
		if got != "3 0 <nil>" {
			t.Errorf("one is answered %s", got)
		}
	}
	if n := storetest.Value[int](t, h.db, `SELECT sum(1 + sequence) FROM calendar_date`); n != 3 {
		t.Errorf("%d dates were written", n)
	}
}
