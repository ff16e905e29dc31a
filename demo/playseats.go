package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"time"

	"rubricon/app"
	"rubricon/app/seats"
	schoolyear "rubricon/app/year"
	"rubricon/attendance"
	"rubricon/bundle"
)

// PlaySeats brings an imported Skerry Point to the middle of choosing seats: the two upper grades are
// through, or nearly, the youngest have begun, and Runa Sandaker has some periods open. Planted is a whole
// week by student.
func PlaySeats(ctx context.Context, cases *app.App, b *bundle.Bundle, planted map[string][]string, seed uint64) error {
	r := rand.New(rand.NewPCG(seed, 2))
	accounts, err := cases.Account.Accounts(ctx, b.SchoolID)
	if err != nil {
		return err
	}
	for i := range b.Pupils {
		p := &b.Pupils[i]
		at := schoolyear.Place{School: b.SchoolID, Year: b.Year.Start, Student: p.ID}
		take := planted[p.ID]
		submits := false
		switch dice := r.Float64(); {
		case p.ID == "sk001": // the first electives are open, and the club of the second semester
			take = append(append([]string{}, take[:7]...), take[9], take[11])
		case p.Grade == 10 && dice < 0.5:
			take = nil
		case p.Grade == 10 && dice < 0.8, dice < 0.1:
			take = take[:1+r.IntN(len(take)-1)]
		default:
			submits = dice > 0.3
		}
		if len(take) == 0 {
			continue
		}
		if _, err := cases.Seats.TakeSeats(ctx, accounts[p.ID], at, seats.SeatsChange{Take: take}); err != nil {
			return fmt.Errorf("taking seats for %s: %w", p.Username, err)
		}
		if !submits {
			continue
		}
		if _, err := cases.Seats.LookAtSeats(ctx, accounts[p.Counselor], at); err != nil {
			return fmt.Errorf("looking at the seats of %s: %w", p.Username, err)
		}
		if _, err := cases.Seats.SubmitSeats(ctx, accounts[p.ID], at, ""); err != nil {
			return fmt.Errorf("handing in the seats of %s: %w", p.Username, err)
		}
	}
	return nil
}

// Attendance is that of Runa Sandaker in the first weeks of the school year, in the sections that she has a seat in.
func Attendance(seed uint64) (list []attendance.Mark) {
	_, planted := Skerry(seed, SkerryStudents)
	for day := time.Date(2027, 8, 30, 0, 0, 0, 0, time.UTC); day.Month() < time.November; day = day.AddDate(0, 0, 1) {
		date := day.Format(time.DateOnly)
		if day.Weekday() == time.Saturday || day.Weekday() == time.Sunday || date == "2027-09-06" || date == "2027-10-11" {
			continue
		}
		for i, section := range planted["sk001"][:5] {
			mark := "present"
			switch n := day.YearDay() + 3*i; {
			case n%17 == 0:
				mark = "absent"
			case n%13 == 0:
				mark = "late"
			}
			list = append(list, attendance.Mark{Student: "sk001", Section: section, Date: date, Mark: mark})
		}
	}
	return list
}
