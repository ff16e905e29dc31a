package demo

import (
	"context"
	"fmt"
	"math/rand/v2"

	"rubricon/app"
	"rubricon/app/problem"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bundle"
)

// Play brings an imported demo school to the middle of its window, through the same use cases that people
// use: some sheets are submitted, some of those signed, asked about, cleared or sent back.
func Play(ctx context.Context, cases *app.App, b *bundle.Bundle, seed uint64) error {
	r := rand.New(rand.NewPCG(seed, 1))
	accounts, err := cases.Account.Accounts(ctx, b.SchoolID)
	if err != nil {
		return err
	}
	byID := map[string]*bundle.User{}
	for i := range b.Users {
		byID[b.Users[i].ID] = &b.Users[i]
	}
	if b.SchoolID == SchoolID {
		if err := cases.Caseload.SetLead(ctx, accounts["office"], b.SchoolID, b.Year.Start, "t00", "CHA1", true,
			"Conducts Chamber Voices."); err != nil {
			return fmt.Errorf("giving a course its leader: %w", err)
		}
	}
	wishes := []string{"A study period in the first semester instead of Film, please.", "We would rather have Spanish than Latin.",
		"Can this be two courses fewer? The bus leaves at three.", "Please keep Choir, she has sung since she was six."}
	returns := []string{"Come and see me about the second language.",
		"Two of these meet a lot of practice hours; choose one and add it as an alternate.",
		"You have room for one more credit of science."}
	if b.SchoolID == TarnID {
		wishes = []string{"Could it be Spanish after all?", "Please, no more music; the practice at home is too much.",
			"She would rather cook than sew."}
		returns = []string{"Come and see me about the language.", "Look once more at your exploratory terms; two are much alike."}
	}
	for i := range b.Pupils {
		p := &b.Pupils[i]
		if r.Float64() > 0.8 || p.ID == "s0001" || p.ID == "tr001" { // who are shown while they choose
			continue
		}
		at := schoolyear.Place{School: b.SchoolID, Year: b.Year.Start, Student: p.ID}
		desk, err := cases.Sheet.Submit(ctx, accounts[p.ID], at, 0, "", commitments(b)...)
		if problem.CodeOf(err) != "" {
			continue // not ready: stays in progress
		} else if err != nil {
			return fmt.Errorf("submitting for %s: %w", p.Username, err)
		}
		guardian := ""
		for _, id := range p.Agents {
			if g := byID[id]; g != nil {
				guardian = g.ID
			}
		}
		counselor := accounts[p.Counselor]
		dice := r.Float64()
		switch {
		case guardian == "" || dice < 0.2: // waits for the family
			continue
		case dice < 0.24:
			_, err = cases.Sheet.RequestChange(ctx, accounts[guardian], at, appsheet.ChangeRequest{Message: wishes[r.IntN(len(wishes))]})
		case dice < 0.29:
			_, err = cases.Sheet.SendBack(ctx, counselor, at, 0, returns[r.IntN(len(returns))])
		default:
			desk, err = cases.Sheet.Sign(ctx, accounts[guardian], at, 0, desk.Fees(), "", commitments(b)...)
			if err == nil && dice < 0.6 && desk.Ready {
				_, err = cases.Sheet.Approve(ctx, counselor, at, 0, "")
			}
		}
		if err != nil {
			return fmt.Errorf("playing %s: %w", p.Username, err)
		}
	}
	return nil
}

// commitments are the ids of all that the school wants agreed to.
func commitments(b *bundle.Bundle) (ids []string) {
	for i := range b.Year.Commitments {
		ids = append(ids, b.Year.Commitments[i].ID)
	}
	return ids
}
