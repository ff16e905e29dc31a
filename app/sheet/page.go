package sheet

import (
	"context"
	"slices"

	"rubricon/app/problem"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/receipt"
	"rubricon/store"
)

// Papers serves what comes with the requests on paper or as a file: signed pages and evidence for claims.
type Papers struct{ sheets *Service }

// Papers returns the service for papers.
func (s *Service) Papers() *Papers { return &Papers{s} }

// OnPaper is a sheet that comes back signed on paper.
type OnPaper struct {
	*Desk
	Guardians []PaperGuardian
	Boxes     []Agreement // what can be ticked on it
}

// PaperGuardian is a guardian who may have signed it.
type PaperGuardian struct {
	ID, Name string
	Signed   bool // under what stands, on paper or on the screen
}

// FindPaper finds the sheet of a code that was typed or scanned from a printed page. The errors are BadCode
// where it was typed wrong, NotFound, and OldCode, with the receipt that stands, where something newer was
// handed in since.
func (f *Papers) Find(ctx context.Context, by int64, school string, year int, code string) (*OnPaper, error) {
	if _, _, err := f.sheets.base.Years.Guard(ctx, by, school, year, acts.SeeCaseload); err != nil {
		return nil, err
	}
	number, ok := receipt.Parse(code)
	if !ok {
		return nil, problem.New(problem.BadCode)
	}
	found, err := f.sheets.base.DB.Queries().Sheet.FindReceipt(ctx, school, year, number)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	if found.Number != found.Last {
		return nil, &problem.Error{Code: problem.OldCode, Param: found.Latest}
	}
	d, err := f.sheets.Open(ctx, by, found.Place)
	if err != nil {
		return nil, err
	}
	d.Judge(0)
	return f.onPaper(ctx, d)
}

func (f *Papers) onPaper(ctx context.Context, d *Desk) (*OnPaper, error) {
	list, err := f.sheets.base.DB.Queries().Sheet.GuardianIDs(ctx, d.Row.School, d.Row.Student)
	out := &OnPaper{Desk: d, Boxes: d.AsSubmitted().toAgree()}
	for _, g := range list {
		out.Guardians = append(out.Guardians, PaperGuardian{g.ID, g.Name, d.hasSigned(g.ID)})
	}
	return out, err
}

func (d *Desk) hasSigned(person string) bool {
	return slices.ContainsFunc(d.Row.Signatures.V, func(x store.SignatureShow) bool { return x.Person == person })
}

// PaperSignature is the content of a printed page that a guardian has signed.
type PaperSignature struct {
	Code        string   // of the page
	Guardian    string   // who signed
	Agreed      []string // the courses whose fee is ticked
	Commitments []string // the ids of the agreements that are ticked
}

// SignedOnPaper records the signature that a guardian has given on a printed page, with the boxes that are
// ticked on it and no others: it counts like one on the screen. The errors are those of FindPaper, NoGuardian
// where the person is none of the student, AlreadyDone where they have signed, and NotOnSheet where the page
// has no such box.
func (f *Papers) Sign(ctx context.Context, by int64, school string, year int, p PaperSignature) (*OnPaper, error) {
	code, guardian := p.Code, p.Guardian
	found, err := f.Find(ctx, by, school, year, code)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(found.Guardians, func(g PaperGuardian) bool { return g.ID == guardian })
	if at < 0 {
		return nil, problem.New(problem.NoGuardian)
	}
	handed := found.Row.Submission
	d, err := f.sheets.Act(ctx, by, found.Row.Place, 0, acts.Sign, code, func(d *Desk) (*store.Change, error) {
		if d.Row.Submission != handed { // it was handed in again in the meantime
			return nil, &problem.Error{Code: problem.OldCode, Param: *d.Row.Receipt}
		}
		if d.hasSigned(guardian) {
			return nil, problem.New(problem.Code(acts.AlreadyDone))
		}
		boxes := d.toAgree()
		for kind, list := range map[string][]string{AgreeFee: p.Agreed, AgreeCommitment: p.Commitments} {
			for _, ref := range list {
				if !slices.ContainsFunc(boxes, func(a Agreement) bool { return a.Kind == kind && a.Ref == ref }) {
					return nil, &problem.Error{Code: problem.NotOnSheet, Param: ref}
				}
			}
		}
		change := d.Change("signPaper", "", map[string]any{"submission": d.Row.Submission,
			"message": found.Guardians[at].Name, "agreed": p.Agreed, "commitments": p.Commitments})
		change.Signature = &store.Signature{Person: store.Actor{ID: guardian, Name: found.Guardians[at].Name},
			Agreed: p.Agreed, Commitments: p.Commitments}
		d.takeRefusal(&change.State, guardian)
		signed := d.signatures()
		signed.Guardians++
		d.settle(&change.State, signed)
		return change, nil
	})
	if err != nil {
		return nil, err
	}
	return f.onPaper(ctx, d)
}

// MayKeepPages reports whether someone may send pictures of signed pages of a student.
func (f *Papers) MayKeepPages(ctx context.Context, by int64, at schoolyear.Place) error {
	_, err := f.sheets.OpenFor(ctx, by, at, acts.Reply)
	return err
}

// KeepPage keeps a picture of the page that a guardian has signed. The errors are BadFile, and NotFound where
// no such signature is recorded.
func (f *Papers) KeepPage(ctx context.Context, by int64, at schoolyear.Place, guardian string, content []byte) error {
	d, err := f.sheets.OpenFor(ctx, by, at, acts.Reply)
	if err != nil {
		return err
	}
	kind := kindOf(content)
	if len(content) == 0 || len(content) > MaxAttachment || kind == "" || kind == "text/plain" {
		return problem.New(problem.BadFile)
	}
	kept, err := f.sheets.base.DB.Queries().Sheet.KeepPage(ctx, at, guardian,
		&store.PageRow{Kind: kind, Content: content, By: d.Actor.Name().Name, At: f.sheets.base.Now()})
	if err == nil && !kept {
		err = problem.New(problem.NotFound)
	}
	if err == nil {
		f.sheets.base.Log.InfoContext(ctx, "a page was kept", "school", at.School, "year", at.Year, "account", by)
	}
	return err
}

// Page returns the picture of a page that a guardian has signed, to the family and to anyone who decides. The
// error is NotFound.
func (f *Papers) Page(ctx context.Context, by int64, at schoolyear.Place, guardian string) (*store.PageRow, error) {
	if _, err := f.sheets.OpenFor(ctx, by, at, acts.SeeFiles); err != nil {
		return nil, err
	}
	page, err := f.sheets.base.DB.Queries().Sheet.Page(ctx, at, guardian)
	return &page, problem.AsNotFound(err)
}
