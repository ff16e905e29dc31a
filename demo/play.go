package demo

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"

	"rubricon/bundle"
	"rubricon/school"
)

// Play brings an imported demo school to the middle of its window, through the same use cases that people use: some sheets
// are submitted, some of those signed, asked about, cleared or sent back.
func Play(ctx context.Context, cases *school.Service, b *bundle.Bundle, seed uint64) error {
	r := rand.New(rand.NewPCG(seed, 1))
	byID := map[string]*bundle.User{}
	for i := range b.Users {
		byID[b.Users[i].ID] = &b.Users[i]
	}
	wishes := []string{"A study period in the first semester instead of Film, please.", "We would rather have Spanish than Latin.",
		"Can this be two courses fewer? The bus leaves at three.", "Please keep Choir, she has sung since she was six."}
	returns := []string{"Come and see me about the second language.", "Two of these meet a lot of practice hours; choose one and add it as an alternate.",
		"You have room for one more credit of science."}
	for i := range b.Pupils {
		p := &b.Pupils[i]
		if r.Float64() > 0.8 || p.ID == "s0001" {
			continue
		}
		view, err := cases.Submit(ctx, p.Username, b.SchoolID, p.ID, 1)
		var refused *school.Error
		if errors.As(err, &refused) {
			continue // not ready: stays in progress
		} else if err != nil {
			return fmt.Errorf("submitting for %s: %w", p.Username, err)
		}
		guardian := ""
		for _, id := range p.Agents {
			if g := byID[id]; g != nil {
				guardian = g.Username
			}
		}
		counselor := byID[p.Counselor].Username
		dice := r.Float64()
		switch {
		case guardian == "" || dice < 0.2: // waits for the family
			continue
		case dice < 0.24:
			_, err = cases.AskForChange(ctx, guardian, b.SchoolID, p.ID, view.Version, wishes[r.IntN(len(wishes))])
		case dice < 0.29:
			_, err = cases.SendBack(ctx, counselor, b.SchoolID, p.ID, view.Version, returns[r.IntN(len(returns))])
		default:
			view, err = cases.Sign(ctx, guardian, b.SchoolID, p.ID, view.Version, requested(view))
			if err == nil && dice < 0.6 && len(view.Todo) == 0 {
				_, err = cases.Clear(ctx, counselor, b.SchoolID, p.ID, view.Version)
			}
		}
		if err != nil {
			return fmt.Errorf("playing %s: %w", p.Username, err)
		}
	}
	return nil
}

func requested(view *school.SheetView) (codes []string) {
	for _, e := range view.Requests {
		codes = append(codes, e.Course)
	}
	return codes
}
