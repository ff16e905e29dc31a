package placement

import (
	"cmp"
	"context"
	"slices"
)

// Help is a change of the sections, with what placing again those whom it concerns makes of the placement:
// Value and Complete are what it is worth, and how many students have as much as they asked for, after the
// change. The placement that shows it was found, so that it is worth at least that much.
type Help struct {
	Kind     HelpKind
	Section  int32   // Move: the section; OneSeat: the section; OneSection: one like it
	To       []int32 // Move, OneSection: the cells
	Value    int64
	Complete int
}

// HelpKind is what is changed.
type HelpKind string

// The kinds of changes.
const (
	MoveSection HelpKind = "move"    // a section meets at another time
	OneSeat     HelpKind = "seat"    // a section has one seat more
	OneSection  HelpKind = "section" // a course has one section more, like one that it has, at the time given
)

// Helps lists the single changes that help most, the best first: a seat more in a full section, a section at
// another time, a section more. Each was placed again, for those whom it concerns. The error is a
// *ProblemError.
func Helps(ctx context.Context, p *Problem, rooms []Room, found *Placement, o Options, most int) ([]Help, error) {
	if len(rooms) != len(p.Sections) {
		return nil, wrong("%d rooms for %d sections", len(rooms), len(p.Sections))
	}
	if _, err := p.Check(found.Given); err != nil {
		return nil, err
	}
	now := *p
	now.Sections = slices.Clone(p.Sections)
	w := newWorkshop(&now, rooms, found, o)
	tries := w.moves()
	for i := range p.Sections {
		s := &p.Sections[i]
		lacking := w.lacking[s.Course]
		if lacking == 0 {
			continue
		}
		if w.taken[i] >= s.Seats {
			tries = append(tries, Help{Kind: OneSeat, Section: int32(i)})
		}
		if i == w.firstOf[s.Course] {
			for _, to := range rooms[i].Patterns {
				tries = append(tries, Help{Kind: OneSection, Section: int32(i), To: to})
			}
		}
	}
	// Where most is lacking is looked at first, should the time be short.
	slices.SortStableFunc(tries, func(a, b Help) int {
		return cmp.Compare(w.lacking[p.Sections[b.Section].Course], w.lacking[p.Sections[a.Section].Course])
	})
	list := w.tryAll(ctx, tries)
	// Of the changes of a kind to one course the best alone: the others say the same again.
	seen := map[[2]any]bool{}
	list = slices.DeleteFunc(list, func(h Help) bool {
		key := [2]any{h.Kind, p.Sections[h.Section].Course}
		if h.Value <= found.Value || seen[key] {
			return true
		}
		seen[key] = true
		return false
	})
	return list[:min(len(list), most)], nil
}
