package main

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"rubricon/demo"
)

func part(list []time.Duration, percent int) time.Duration {
	if len(list) == 0 {
		return 0
	}
	return list[min(len(list)*percent/100, len(list)-1)].Round(time.Millisecond)
}

func (r *rush) report(began time.Time) {
	took := time.Since(began)
	var heard []time.Duration
	for _, a := range r.arrived { // since the act was answered; what came before that came at once
		heard = append(heard, max(0, a.at.Sub(r.answered[a.round])))
	}
	slices.Sort(r.took)
	slices.Sort(heard)
	fmt.Printf("%d answers in %v, %.0f a second: median %v, 95 %% %v, 99 %% %v, slowest %v (at most 1 s is wanted at 99 %%)\n",
		len(r.took), took.Round(time.Second), float64(len(r.took))/took.Seconds(),
		part(r.took, 50), part(r.took, 95), part(r.took, 99), part(r.took, 100))
	fmt.Printf("a seat that is taken is heard of on %d other screens, %d times, after the answer: median %v, 99 %% %v, "+
		"slowest %v (at most 1 s is wanted at 99 %%)\n",
		r.screens, len(heard), part(heard, 50), part(heard, 99), part(heard, 100))
	fmt.Printf("%d times somebody else had the last seat; %d requests were sent again\n", r.gone.Load(), r.again.Load())
	for _, text := range r.failed[:min(len(r.failed), 10)] {
		fmt.Println("failed:", text)
	}
	fmt.Printf("%d failed\n", len(r.failed))
}

// check compares what was answered with what the database has: no seat sold twice, none lost.
func (r *rush) check(ctx context.Context, db *sqlx.DB, students []*student) error {
	var rows []struct {
		Student string `db:"student_id"`
		Section string `db:"section_id"`
	}
	if err := db.SelectContext(ctx, &rows,
		`SELECT student_id, section_id FROM enrollment WHERE school_id = $1 AND year = $2`, demo.SkerryID, year); err != nil {
		return err
	}
	taken, has := map[string]int{}, map[string][]string{}
	for _, x := range rows {
		taken[x.Section]++
		has[x.Student] = append(has[x.Student], x.Section)
	}
	twice, lost, beyond, collide := 0, 0, 0, 0
	for id, n := range taken {
		if n > r.table[id].Seats {
			twice += n - r.table[id].Seats
		}
	}
	for _, s := range students {
		for _, id := range s.own {
			if !slices.Contains(has[s.id], id) {
				lost++
			}
		}
		for i, id := range has[s.id] {
			if !slices.Contains(s.own, id) {
				beyond++ // answered nothing, and taken even so
			}
			for _, other := range has[s.id][:i] {
				if x, y := r.table[id], r.table[other]; x.clashes(&y) {
					collide++
				}
			}
		}
	}
	fmt.Printf("%d seats are taken; sold twice: %d; answered and lost: %d; taken without an answer: %d; at the same time "+
		"as another of the same student: %d\n",
		len(rows), twice, lost, beyond, collide)
	if twice+lost+collide+len(r.failed) > 0 {
		return errors.New("seats were sold twice or lost, or something failed")
	}
	return nil
}
