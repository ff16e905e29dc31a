package imports

import (
	"bytes"
	"context"
	"errors"
	"slices"
	"strings"

	"rubricon/app/background"
	"rubricon/app/problem"
	"rubricon/bundle"
	"rubricon/store"
)

// RunImport reads the bundle of an import and checks it, or writes it once someone has agreed.
func (s *Service) RunImport(ctx context.Context, t *store.TaskRow, progress *background.Run) (store.TaskState, background.Outline, error) {
	progress.At(background.StepRead, 0, 0)
	file, err := s.base.DB.Queries().Background.TaskFile(ctx, t.School, t.ID)
	if err != nil {
		return "", background.Outline{}, err
	}
	from := s.Existing(ctx)
	beside := func(school string, year int) ([]bundle.File, error) {
		if school != "" && school != t.School {
			return nil, nil
		}
		return from(t.School, year)
	}
	open := func(options ...bundle.Option) (*bundle.Bundle, error) {
		return bundle.OpenZip(file, append(options, bundle.Foreign, bundle.WithEnrollments, bundle.Fill(beside))...)
	}
	var left []bundle.Problem
	b, err := open()
	if err == nil && len(b.Problems) > 0 {
		if err := s.keepBad(ctx, t, b); err != nil {
			return "", background.Outline{}, err
		}
		if t.LeftOut {
			b, left, err = bundle.LeaveOut(open)
		}
	}
	var missing *bundle.MissingFileError
	switch {
	case errors.Is(err, bundle.ErrNotZip):
		return store.TaskRefused, background.Outline{Why: background.WhyNotZip}, nil
	case errors.As(err, &missing):
		return store.TaskRefused, background.Outline{Why: background.WhyMissingFile, What: missing.Name}, nil
	case err != nil:
		return store.TaskRefused, background.Outline{Why: background.WhyUnreadable, What: err.Error()}, nil
	}
	o := outline(b)
	if len(left) > 0 && len(b.Problems) == 0 {
		o.Bad, o.Problems = len(left), background.First(left)
	}
	if len(b.Problems) > 0 {
		return store.TaskRefused, o, nil
	}
	if b.SchoolID != t.School {
		return store.TaskRefused, background.Outline{Why: background.WhyOtherSchool, What: b.SchoolName}, nil
	}
	if err := ctx.Err(); err != nil {
		return "", o, err
	}
	if !t.Agreed {
		progress.At(background.StepCheck, 0, 0)
		return s.lookBefore(ctx, b, o)
	}
	if err := s.keepBefore(ctx, t, b.Year.Start); err != nil {
		return "", o, err
	}
	progress.At(background.StepWrite, 0, len(b.Pupils))
	seen, err := background.NewTask(*t)
	if err != nil {
		return "", o, err
	}
	removals := 0 // that were agreed to
	if seen.Outcome.Tally != nil {
		removals = seen.Outcome.Tally.Sum().Removed
	}
	result, err := s.takeIn(ctx, b, removals, func(done, total int) { progress.At(background.StepWrite, done, total) })
	var bad *BadBundle
	var much *MuchGoes
	switch {
	case errors.As(err, &bad):
		return store.TaskRefused, background.WithBad(o, bad.Problems), nil
	case errors.As(err, &much): // more than was agreed to: it asks again
		return s.lookBefore(ctx, b, o)
	case problem.CodeOf(err) == problem.Busy:
		o.Why = background.WhyBusy
		return store.TaskFailed, o, nil
	case err != nil:
		return "", o, err
	}
	o.Tally, o.KeptAll, o.Kept = &result.Tally, len(result.Kept), background.First(result.Kept)
	return store.TaskDone, o, nil
}

// lookBefore reports what taking a bundle in would change.
func (s *Service) lookBefore(ctx context.Context, b *bundle.Bundle, o background.Outline) (store.TaskState, background.Outline, error) {
	in := prepare(b)
	newest, err := s.base.DB.Queries().Year.Newest(ctx, b.SchoolID)
	if err != nil {
		return "", o, err
	}
	in.newest = in.year >= newest
	have, err := s.stillThere(ctx, in)
	if problem.CodeOf(err) == problem.Busy {
		o.Why = background.WhyBusy
		return store.TaskFailed, o, nil
	} else if err != nil {
		return "", o, err
	}
	var bad *BadBundle
	if err := s.check(ctx, in, newest); errors.As(err, &bad) {
		return store.TaskRefused, background.WithBad(o, bad.Problems), nil
	} else if err != nil {
		return "", o, err
	}
	tally, err := s.tally(ctx, in, have)
	if err != nil {
		return "", o, err
	}
	o.Tally = &tally
	if err := s.differs(ctx, b, &o); err != nil {
		return "", o, err
	}
	return store.TaskAsking, o, nil
}

// shownDiff is how many rows of a file are shown with what changes.
const shownDiff = 60

// differs reports what changes, file by file and cell by cell.
func (s *Service) differs(ctx context.Context, b *bundle.Bundle, o *background.Outline) error {
	have, _, err := s.Export(ctx, b.SchoolID, b.Year.Start)
	if problem.CodeOf(err) == problem.NotFound {
		return nil // all of it is new
	} else if err != nil {
		return err
	}
	asked, err := s.base.DB.Queries().Caseload.Asked(ctx, b.SchoolID, b.Year.Start)
	if err != nil {
		return err
	}
	by := map[string]int{}
	for _, x := range asked {
		by[x.Course] = x.N
	}
	for _, f := range have {
		o.Policy = o.Policy || f.Name == "policy.json" && !bytes.Equal(bytes.TrimSpace(f.Text), bytes.TrimSpace(b.PolicyText))
	}
	codes := map[string]string{} // by sourcedId, of what is there and what comes
	for _, f := range have {
		if id, code := slices.Index(f.Header, "sourcedId"), slices.Index(f.Header,
			"courseCode"); f.Name == "courses.csv" && id >= 0 && code >= 0 {
			for _, row := range f.Rows {
				codes[row[id]] = row[code]
			}
		}
	}
	for _, d := range bundle.Diff(have, b, shownDiff) {
		out := background.FileDiff{FileDiff: d}
		if d.Name == "courses.csv" {
			for _, row := range d.Rows {
				out.Asked = append(out.Asked, by[codes[row.Key]])
			}
		}
		o.Diffs = append(o.Diffs, out)
	}
	return nil
}

// keepBefore keeps what is there before an import is taken in, unless that is kept already or nothing is there.
func (s *Service) keepBefore(ctx context.Context, t *store.TaskRow, year int) error {
	if t.HasWas {
		return nil
	}
	files, _, err := s.Export(ctx, t.School, year)
	if problem.CodeOf(err) == problem.NotFound {
		return nil
	} else if err != nil {
		return err
	}
	var out bytes.Buffer
	if err := bundle.WriteZip(&out, files); err != nil {
		return err
	}
	return s.base.DB.Queries().Background.PutBeside(ctx, t.School, t.ID, store.TaskBefore, out.Bytes())
}

// keepBad keeps the bad rows of an import as a file.
func (s *Service) keepBad(ctx context.Context, t *store.TaskRow, b *bundle.Bundle) error {
	text, err := b.BadRows()
	if err != nil {
		return err
	}
	return s.base.DB.Queries().Background.PutBeside(ctx, t.School, t.ID, store.TaskBad, text)
}

func outline(b *bundle.Bundle) background.Outline {
	o := background.Outline{Students: len(b.Pupils), Notices: background.First(b.Notices)}
	if b.Year != nil {
		o.Year = b.Year.Start
	}
	for _, name := range append(bundle.Names(), "enrollments.csv") {
		if t := b.Tables[name]; b.Has(name) {
			o.Files = append(o.Files, background.FileRows{Name: name, Rows: len(t.Rows)})
		}
	}
	if len(b.Problems) > 0 {
		o = background.WithBad(o, b.Problems)
	}
	return o
}

// RunExport writes a school year into the file of its task.
func (s *Service) RunExport(ctx context.Context, t *store.TaskRow, progress *background.Run) (store.TaskState, background.Outline, error) {
	progress.At(background.StepRead, 0, 0)
	files, left, err := s.Export(ctx, t.School, t.Year)
	if err != nil {
		return "", background.Outline{}, err
	}
	o := background.Outline{Year: t.Year, Left: background.First(left)}
	rows := 0
	for _, f := range files {
		rows += len(f.Rows)
		if f.Header != nil {
			o.Files = append(o.Files, background.FileRows{Name: f.Name, Rows: len(f.Rows)})
		}
	}
	progress.At(background.StepWrite, 0, rows)
	var out bytes.Buffer
	write := bundle.WriteZip
	if strings.HasSuffix(t.Name, ".xlsx") {
		write = bundle.WriteWorkbook
	}
	if err := write(&out, files); err != nil {
		return "", o, err
	}
	if err := s.base.DB.Queries().Background.PutTaskFile(ctx, t.School, t.ID, out.Bytes()); err != nil {
		return "", o, err
	}
	progress.At(background.StepWrite, rows, rows)
	return store.TaskDone, o, nil
}
