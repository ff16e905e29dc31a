package account

import (
	"context"
	"fmt"
	"slices"

	"github.com/alexedwards/argon2id"

	"rubricon/app/secret"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// CodeLetter is a person with a code for a first sign-in.
type CodeLetter struct {
	store.CodeRow
	Code string
}

// Codes are the letters with which a grade signs in for the first time.
type Codes struct {
	Year    *schoolyear.SchoolYear
	Letters []CodeLetter // by the name of the student
	Left    int          // who are left out, since their account leads to another school too
}

// codeHash is for passwords that are made up here: they have 58 bits, so that guessing is hopeless whatever a
// guess costs, and a whole grade gets them at once. What people choose themselves costs more.
var codeHash = argon2id.Params{Memory: 4 << 10, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// maxCodes is how many get a code at once.
const maxCodes = 2000

// CodesFor gives every student who enters a grade, or their guardians, a code for a first sign-in, in place
// of one that was not used yet. Who has chosen a password keeps it.
func (s *Service) CodesFor(ctx context.Context, by int64, school string, year, grade int, guardians bool) (*Codes, error) {
	y, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return nil, err
	}
	rows, err := s.base.DB.Queries().Office.WithoutSignIn(ctx, school, year, grade, guardians, by)
	if err != nil {
		return nil, err
	}
	out := &Codes{Year: y}
	var hashes []store.HashRow
	for _, row := range rows {
		if !row.Reach || len(hashes) == maxCodes {
			out.Left++
			continue
		}
		l := CodeLetter{row, secret.MadeUp()}
		hash, err := argon2id.CreateHash(l.Code, &codeHash)
		if err != nil {
			return nil, err
		}
		hashes = append(hashes, store.HashRow{Account: row.Account, Hash: hash})
		out.Letters = append(out.Letters, l)
	}
	if len(hashes) == 0 {
		return out, nil
	}
	set, err := s.base.DB.Queries().Office.SetCodes(ctx, school, hashes, fmt.Sprint(grade), a.Name().Name, s.base.Now())
	if err != nil {
		return nil, err
	}
	// who has chosen a password in the meantime
	out.Letters = slices.DeleteFunc(out.Letters, func(l CodeLetter) bool { return !slices.Contains(set, l.Account) })
	s.base.Log.InfoContext(ctx, "the office made codes", "school", school, "by", by, "codes", len(set))
	return out, nil
}
