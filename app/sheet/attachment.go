package sheet

import (
	"bytes"
	"context"
	"net/http"
	"path"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"rubricon/app/problem"
	"rubricon/app/text"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// MaxAttachment bounds a file that goes with a claim, in bytes.
const MaxAttachment = 10 << 20

// kindOf reports by a file's content what it is: a PDF, a JPEG, PNG or HEIC picture, or plain text; empty for
// anything else. What its name or its sender says of it is not looked at.
func kindOf(content []byte) string {
	switch kind := http.DetectContentType(content); kind {
	case "application/pdf", "image/jpeg", "image/png":
		return kind
	}
	// ISO/IEC 23008-12: a box “ftyp” with one of these brands (from memory).
	if len(content) >= 12 && string(content[4:8]) == "ftyp" &&
		slices.Contains([]string{"heic", "heix", "heim", "heis", "mif1", "msf1"}, string(content[8:12])) {
		return "image/heic"
	}
	if utf8.Valid(content) && !bytes.ContainsFunc(content, func(r rune) bool { return unicode.IsControl(r) && !unicode.IsSpace(r) }) {
		return "text/plain"
	}
	return ""
}

// fileName is the last part of a name, without what no name should have, and at most 200 characters of it.
func fileName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || r == '"' || r == '/' {
			return -1
		}
		return r
	}, name)
	runes := []rune(strings.TrimSpace(name))
	if name = string(runes[max(0, len(runes)-200):]); name == "" || name == "." {
		return "file"
	}
	return name
}

// MayAttach reports whether someone may send files for a student's claims.
func (f *Papers) MayAttach(ctx context.Context, by int64, at schoolyear.Place) error {
	_, err := f.sheets.OpenFor(ctx, by, at, acts.Edit)
	return err
}

// Attach puts a file next to an open claim, in place of one that is there; who does it for the family says
// why. The errors are NoClaim and BadFile.
func (f *Papers) Attach(ctx context.Context, by int64, at schoolyear.Place, claim int64, name, reason string,
	content []byte) (*Desk, error) {
	file := store.Attachment{Claim: claim, Name: fileName(name), Kind: kindOf(content), Content: content}
	return f.sheets.Act(ctx, by, at, 0, acts.Edit, reason, func(d *Desk) (*store.Change, error) {
		switch {
		case !slices.ContainsFunc(d.Known.Claims, func(c schoolyear.Claim) bool { return c.ID == claim }):
			return nil, problem.New(problem.NoClaim)
		case len(content) == 0 || len(content) > MaxAttachment || file.Kind == "":
			return nil, problem.New(problem.BadFile)
		}
		change := d.Change("attach", text.Tidy(reason), map[string]any{"message": file.Name})
		change.Attachment = &file
		return change, nil
	})
}

// Detach takes the file next to an open claim away; who does it for the family says why. The errors are
// NoClaim, and NotFound where there is no file.
func (f *Papers) Detach(ctx context.Context, by int64, at schoolyear.Place, claim int64, reason string) (*Desk, error) {
	return f.sheets.Act(ctx, by, at, 0, acts.Edit, reason, func(d *Desk) (*store.Change, error) {
		i := slices.IndexFunc(d.Known.Claims, func(c schoolyear.Claim) bool { return c.ID == claim })
		switch {
		case i < 0:
			return nil, problem.New(problem.NoClaim)
		case d.Known.Claims[i].File == "":
			return nil, problem.New(problem.NotFound)
		}
		change := d.Change("detach", text.Tidy(reason), map[string]any{"message": d.Known.Claims[i].File})
		change.Detach = claim
		return change, nil
	})
}

// Attachment returns the file of a claim to the family and to anyone who decides about it. The error is NotFound
// where there is none.
func (f *Papers) Attachment(ctx context.Context, by int64, at schoolyear.Place, claim int64) (*store.Attachment, error) {
	if _, err := f.sheets.OpenFor(ctx, by, at, acts.SeeFiles); err != nil {
		return nil, err
	}
	file, err := f.sheets.base.DB.Queries().Sheet.Attachment(ctx, at, claim)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	return &file, nil
}
