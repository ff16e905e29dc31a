package school

import (
	"context"
	"crypto/rand"
	"fmt"
	"slices"
	"strings"

	"rubricon/core/acts"
	"rubricon/store"
)

// reader tells who an account is in a school year and decides whether an act that concerns the school is allowed.
func (s *Service) reader(ctx context.Context, by int64, school string, year int, act acts.SchoolAct) (*SchoolYear, *actor, error) {
	row, err := s.db.Queries().YearRow(ctx, school, year)
	if err != nil {
		return nil, nil, asNotFound(err)
	}
	a, err := s.actor(ctx, school, year, row.Roster, by)
	if err != nil {
		return nil, nil, err
	}
	if !acts.InSchool(act, a.inSchool()) {
		return nil, nil, problem(Code(acts.NotYours))
	}
	y, err := s.year(ctx, school, year, row.Catalog, row.Policy)
	return y, a, err
}

// Catalog is a school year with who teaches what now.
type Catalog struct {
	*SchoolYear
	Teachers map[string][]string // by course code: names
	Stopped  []NotRunning
}

// Catalog gives a school year to anybody of the school.
func (s *Service) Catalog(ctx context.Context, by int64, school string, year int) (*Catalog, error) {
	y, a, err := s.reader(ctx, by, school, year, acts.SeeCatalog)
	if err != nil {
		return nil, err
	}
	plans, err := s.db.Queries().SectionPlans(ctx, school, year)
	if err != nil {
		return nil, err
	}
	out := &Catalog{SchoolYear: y, Stopped: slices.DeleteFunc(plans, func(p NotRunning) bool { return p.Runs })}
	key := rosterKey{school, year, a.roster}
	var ok bool
	if out.Teachers, ok = s.cache.teachers.Get(key); ok {
		return out, nil
	}
	list, err := s.db.Queries().Teachings(ctx, school, year)
	if err != nil {
		return nil, err
	}
	out.Teachers = map[string][]string{}
	for _, x := range list {
		out.Teachers[x.Course] = append(out.Teachers[x.Course], x.Name)
	}
	s.cache.teachers.Add(key, out.Teachers)
	return out, nil
}

// Window is when sheets are open: of one student, else of a grade, else (grade -1) of every grade without a window of its own.
type Window = store.WindowRow

// Round is what a window is of.
type Round = store.Round

// The rounds.
const (
	OfTheYear   = store.OfTheYear
	OfTheSummer = store.OfTheSummer
	OfSeats     = store.OfSeats
)

// SetWindow sets when sheets are open.
func (s *Service) SetWindow(ctx context.Context, school string, year int, w Window) error {
	return s.setWindow(ctx, school, year, w, func(store.Queries) error { return nil })
}

// setWindow sets a window and notes it, or neither.
func (s *Service) setWindow(ctx context.Context, school string, year int, w Window, note func(store.Queries) error) error {
	if !w.Opens.Before(w.Families) || w.Counselors.Before(w.Families) || w.Student != "" && w.Grade != -1 {
		return problem(BadWindow)
	}
	err := s.db.Tx(ctx, func(q store.Queries) error {
		if _, err := q.YearRow(ctx, school, year); err != nil {
			return asNotFound(err)
		}
		if err := q.SetWindow(ctx, school, year, w); err != nil {
			return err
		}
		return note(q)
	})
	if err == nil {
		s.log.InfoContext(ctx, "a window was set", "school", school, "year", year, "grade", w.Grade, "opens", w.Opens, "families", w.Families, "counselors", w.Counselors)
	}
	return err
}

// NewestYear gives the newest year of a school.
func (s *Service) NewestYear(ctx context.Context, school string) (int, error) {
	year, err := s.db.Queries().Newest(ctx, school)
	if err == nil && year == 0 {
		err = problem(NotFound)
	}
	return year, err
}

// FoundPerson is a person found by name.
type FoundPerson = store.Found

// MaxFound is how many people are found at the most.
const MaxFound = 50

// FindPeople lists people of a school by words of their names.
func (s *Service) FindPeople(ctx context.Context, by int64, school string, year int, text string) ([]FoundPerson, error) {
	if _, _, err := s.reader(ctx, by, school, year, acts.ManagePeople); err != nil {
		return nil, err
	}
	words := strings.Fields(strings.ReplaceAll(text, ",", " "))
	return s.db.Queries().FindPeople(ctx, school, words, MaxFound)
}

// GivePassword gives a person a new password for one sign-in, made up here, to be handed over; it ends their sessions. Where it goes by mail it is
// not given here; the error is then NoAddress where there is none. An account that also leads to
// people of schools that the office does not administer is refused: whoever got the password would be those people too.
func (s *Service) GivePassword(ctx context.Context, by int64, school string, year int, person string, mail bool) (password string, err error) {
	_, a, err := s.reader(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return "", err
	}
	account, reach, err := s.db.Queries().AccountOf(ctx, school, person, by)
	if err != nil {
		return "", asNotFound(err)
	}
	if !reach {
		return "", problem(Elsewhere)
	}
	if mail {
		address, err := s.db.Queries().AddressOf(ctx, school, person)
		if err != nil {
			return "", asNotFound(err)
		}
		if address == "" {
			return "", problem(NoAddress)
		}
	}
	password = madeUp()
	err = s.setPassword(ctx, account, password, func(q store.Queries) error {
		if mail {
			if err := q.WriteLetter(ctx, Place{School: school, Year: year}, person, "code", fmt.Sprint("code/", s.now().UnixNano()), map[string]string{"code": password}, s.now()); err != nil {
				return err
			}
		}
		return q.NoteCode(ctx, school, person, a.name().Name, s.now())
	})
	if err != nil {
		return "", err
	}
	if mail {
		password = ""
	}
	s.log.InfoContext(ctx, "the office gave a password", "school", school, "by", a.account, "account", account)
	return password, nil
}

// LetIn gives a person of a school a password for one sign-in, as the operator does where nobody of the school can: their sessions end, and the school's office
// reads that it was done. Forget takes their passkeys away, which a password alone does not get past. The error is NotFound where nobody there has the username.
func (s *Service) LetIn(ctx context.Context, school, username string, forget bool) (password string, err error) {
	person, account, err := s.db.Queries().PersonNamed(ctx, school, username)
	if err != nil {
		return "", asNotFound(err)
	}
	password = madeUp()
	err = s.setPassword(ctx, account, password, func(q store.Queries) error {
		if forget {
			if _, err := q.DropPasskeys(ctx, account, ""); err != nil {
				return err
			}
		}
		return q.NoteCode(ctx, school, person, operator, s.now())
	})
	if err != nil {
		return "", err
	}
	s.log.InfoContext(ctx, "the operator gave a password", "school", school, "account", account, "passkeys forgotten", forget)
	return password, nil
}

// operator is whom the office reads as the author of what the operator's commands do.
const operator = "rubricon let-in"

// madeUp is a password of twelve letters and digits that are not mistaken for each other: 58 bits.
func madeUp() string {
	const letters = "abcdefghjkmnpqrstuvwxyz23456789" // 31
	raw := make([]byte, 0, 12)
	for len(raw) < 12 {
		var b [1]byte
		_, _ = rand.Read(b[:]) // never fails
		if n := int(b[0]) / 8; n < len(letters) {
			raw = append(raw, letters[n])
		}
	}
	return string(raw[:4]) + "-" + string(raw[4:8]) + "-" + string(raw[8:])
}

// SetRight lets a person of the staff administer the school, or takes that back, with a reason. The errors are NeedsReason; AlreadyDone
// where nothing changes, also where the right comes with the school's data, which alone take it; and NotYours for one's own.
func (s *Service) SetRight(ctx context.Context, by int64, school string, year int, person string, give bool, reason string) error {
	_, a, err := s.reader(ctx, by, school, year, acts.ManagePeople)
	if err != nil {
		return err
	}
	if reason = tidy(reason); reason == "" {
		return problem(NeedsReason)
	}
	if person == a.ID {
		return problem(Code(acts.NotYours))
	}
	set := store.Queries.TakeRight
	if give {
		set = store.Queries.GiveRight
	}
	return s.setForRoster(ctx, a, "a right was set", give, school, func(q store.Queries) (bool, error) {
		return set(q, ctx, school, person, a.name().Name, reason, s.now())
	})
}

// setForRoster does what changes who may do what in a school. The error is AlreadyDone where nothing changes.
func (s *Service) setForRoster(ctx context.Context, a *actor, note string, give bool, school string, set func(q store.Queries) (bool, error)) error {
	done := false
	err := s.db.Tx(ctx, func(q store.Queries) (err error) {
		if done, err = set(q); err != nil || !done {
			return err
		}
		return q.RaiseRoster(ctx, school, 0)
	})
	if err == nil && !done {
		err = problem(Code(acts.AlreadyDone))
	}
	if err == nil {
		s.log.InfoContext(ctx, note, "school", school, "account", a.account, "give", give)
	}
	return err
}

// maxActs is how much of what the office did is listed.
const maxActs = 200

// OfficeActs lists what the office has done, the latest first.
func (s *Service) OfficeActs(ctx context.Context, by int64, school string, year, skip int) ([]store.OfficeAct, error) {
	if _, _, err := s.reader(ctx, by, school, year, acts.ManagePeople); err != nil {
		return nil, err
	}
	return s.db.Queries().OfficeActs(ctx, school, skip, maxActs)
}

// maxSignIns is how many sign-ins of a person are listed.
const maxSignIns = 50

// SignIns lists who tried to sign in to a person's account and when, the latest first.
func (s *Service) SignIns(ctx context.Context, by int64, school string, year int, person string, skip int) ([]store.SignIn, error) {
	if _, _, err := s.reader(ctx, by, school, year, acts.ManagePeople); err != nil {
		return nil, err
	}
	return s.db.Queries().SignIns(ctx, school, person, skip, maxSignIns)
}

// setPassword sets a password for one sign-in, and ends the account's sessions.
func (s *Service) setPassword(ctx context.Context, account int64, password string, with func(store.Queries) error) error {
	hash, err := s.hash(ctx, password)
	if err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Queries) error {
		if err := q.SetPassword(ctx, account, hash, true, s.now()); err != nil {
			return err
		}
		if _, err := q.EndSessions(ctx, account, ""); err != nil {
			return err
		}
		if err := q.ForgetDevices(ctx, account, ""); err != nil {
			return err
		}
		return with(q)
	})
}

// Tidy takes away what is over.
func (s *Service) Tidy(ctx context.Context) error { return s.db.Queries().ForgetOld(ctx, s.now()) }

// Accounts gives the accounts of a school's people, by person.
func (s *Service) Accounts(ctx context.Context, school string) (map[string]int64, error) {
	return s.db.Queries().Accounts(ctx, school)
}
