package account

import (
	"context"
	"fmt"

	"rubricon/app/problem"
	"rubricon/app/secret"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/store"
)

// GivePassword gives a person a new password for one sign-in, made up here, to be handed over; it ends their
// sessions. Where it goes by mail it is not given here; the error is then NoAddress where there is none. An
// account that also leads to people of schools that the office does not administer is refused: anyone who got
// the password would be those people too.
func (s *Service) GivePassword(ctx context.Context, by int64, school string, year int, person string,
	mail bool) (password string, err error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return "", err
	}
	account, reach, err := s.base.DB.Queries().People.AccountOf(ctx, school, person, by)
	if err != nil {
		return "", problem.AsNotFound(err)
	}
	if !reach {
		return "", problem.New(problem.Elsewhere)
	}
	if mail {
		address, err := s.base.DB.Queries().People.AddressOf(ctx, school, person)
		if err != nil {
			return "", problem.AsNotFound(err)
		}
		if address == "" {
			return "", problem.New(problem.NoAddress)
		}
	}
	password = secret.MadeUp()
	err = s.setPassword(ctx, account, password, func(q store.Queries) error {
		if mail {
			if err := q.Messages.WriteLetter(ctx, schoolyear.Place{School: school, Year: year}, person, "code",
				fmt.Sprint("code/", s.base.Now().UnixNano()), map[string]string{"code": password}, s.base.Now()); err != nil {
				return err
			}
		}
		return q.Office.NoteCode(ctx, school, person, a.Name().Name, s.base.Now())
	})
	if err != nil {
		return "", err
	}
	if mail {
		password = ""
	}
	s.base.Log.InfoContext(ctx, "the office gave a password", "school", school, "by", a.Account, "account", account)
	return password, nil
}

// LetIn gives a person of a school a password for one sign-in, as the operator does where no one of the
// school can: their sessions end, and the school's office reads that it was done. Forget takes their passkeys
// away, which a password alone does not get past. The error is NotFound where no one there has the username.
func (s *Service) LetIn(ctx context.Context, school, username string, forget bool) (password string, err error) {
	person, account, err := s.base.DB.Queries().People.PersonNamed(ctx, school, username)
	if err != nil {
		return "", problem.AsNotFound(err)
	}
	password = secret.MadeUp()
	err = s.setPassword(ctx, account, password, func(q store.Queries) error {
		if forget {
			if _, err := q.Account.DropPasskeys(ctx, account, ""); err != nil {
				return err
			}
		}
		return q.Office.NoteCode(ctx, school, person, operator, s.base.Now())
	})
	if err != nil {
		return "", err
	}
	s.base.Log.InfoContext(ctx, "the operator gave a password", "school", school, "account", account, "passkeys forgotten", forget)
	return password, nil
}

// operator is whom the office reads as the author of what the operator's commands do.
const operator = "rubricon let-in"

// maxSignIns is how many sign-ins of a person are listed.
const maxSignIns = 50

// SignIns lists who tried to sign in to a person's account and when, the latest first.
func (s *Service) SignIns(ctx context.Context, by int64, school string, year int, person string, skip int) ([]store.SignIn, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Account.SignIns(ctx, school, person, skip, maxSignIns)
}

// setPassword sets a password for one sign-in, and ends the account's sessions.
func (s *Service) setPassword(ctx context.Context, account int64, password string, with func(store.Queries) error) error {
	hash, err := s.Hash(ctx, password)
	if err != nil {
		return err
	}
	return s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Account.SetPassword(ctx, account, hash, true, s.base.Now()); err != nil {
			return err
		}
		if _, err := q.Account.EndSessions(ctx, account, ""); err != nil {
			return err
		}
		if err := q.Account.ForgetDevices(ctx, account, ""); err != nil {
			return err
		}
		return with(q)
	})
}

// Tidy takes away what is over.
func (s *Service) Tidy(ctx context.Context) error {
	return s.base.DB.Queries().Account.ForgetOld(ctx, s.base.Now())
}

// Accounts returns the accounts of a school's people, by person.
func (s *Service) Accounts(ctx context.Context, school string) (map[string]int64, error) {
	return s.base.DB.Queries().People.Accounts(ctx, school)
}
