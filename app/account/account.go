package account

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"time"

	"rubricon/app/actor"
	"rubricon/app/problem"
	"rubricon/app/secret"
	schoolyear "rubricon/app/year"
	"rubricon/core/acts"
	"rubricon/core/policy"
	"rubricon/store"
)

// Failed sign-ins press on the account and on the address they come from. A device that has signed in before
// presses on a key of its own, so that others' guesses never lock it out. Guesses wait longer and longer, but
// no one waits longer than Longest.
var (
	accountPressure = store.Pressure{Free: 5, Decay: 2 * time.Minute, Longest: time.Minute}
	addressPressure = store.Pressure{Free: 60, Decay: 10 * time.Second, Longest: time.Minute}
)

// Client is where a sign-in comes from.
type Client struct {
	Address string // the network address, or the part of it that one household has
	Device  string // the token of a device that has signed in before, or ""
	Agent   string // the browser, as it calls itself
}

// SignedIn is a sign-in that succeeded.
type SignedIn struct {
	Account int64
	Device  string // the token by which this device is known from now on
	Once    bool   // with a password for one sign-in: another is to be chosen first
	Epoch   int64  // of the account's sessions when the sign-in began
}

// onceLife is how long a password for one sign-in is good.
const onceLife = 14 * 24 * time.Hour

// SignIn checks a password. The errors are SignInFailed, the same for an unknown username, TooMany, and
// Crowded while too many sign in.
func (s *Service) SignIn(ctx context.Context, username, password string, from Client) (*SignedIn, error) {
	q := s.base.DB.Queries()
	try, err := s.attempt(ctx, q, username, from)
	if err != nil {
		return nil, err
	}
	c, err := q.Account.Credentials(ctx, username)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	match, raised := false, ""
	err = s.inTurn(ctx, try.user, func() (err error) {
		raise := false
		if c.Hash != "" {
			match, raise, err = s.compare(c.Hash, password)
		}
		if err == nil && (c.Hash == "" || match && raise) { // the same work for an unknown username
			raised, err = s.anew(password)
		}
		return err
	})
	if err != nil { // it was not tried, so it does not count
		aside, stop := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer stop()
		err = errors.Join(err, q.Account.ReleaseOne(aside, try.user))
		if !try.known {
			err = errors.Join(err, q.Account.ReleaseOne(aside, try.host))
		}
		return nil, err
	}
	if match && c.Once && s.base.Now().Sub(schoolyear.Moment(c.SetAt)) > onceLife {
		match = false
	}
	if c.Account != 0 {
		if err := q.Account.NoteSignIn(ctx, c.Account, store.SignIn{At: s.base.Now(), Done: match, Agent: from.Agent}); err != nil {
			return nil, err
		}
	}
	if !match {
		s.base.Log.WarnContext(ctx, "a sign-in failed", "account", c.Account)
		return nil, problem.New(problem.SignInFailed)
	}
	if !try.known {
		from.Device = rand.Text()
	}
	if err := errors.Join(q.Account.Release(ctx, try.user),
		q.Account.RememberDevice(ctx, c.Account, secret.Hashed(from.Device), s.base.Now())); err != nil {
		return nil, err
	}
	if !try.known {
		if err := q.Account.ReleaseOne(ctx, try.host); err != nil {
			return nil, err
		}
	}
	if raised != "" {
		if err := q.Account.RaiseHash(ctx, c.Account, c.Hash, raised); err != nil {
			return nil, err
		}
	}
	s.base.Log.InfoContext(ctx, "a sign-in", "account", c.Account)
	return &SignedIn{Account: c.Account, Device: from.Device, Once: c.Once, Epoch: c.Epoch}, nil
}

// attempt is a try to sign in, by what it is counted under.
type attempt struct {
	user, host string
	known      bool // it comes from a device that has signed in to the account before
}

// attempt counts a try to sign in before it is made, so that many at once are no way around the limit. The error is TooMany.
func (s *Service) attempt(ctx context.Context, q store.Queries, username string, from Client) (try attempt, err error) {
	// What people type as their username can be a password: only its hash is kept.
	try = attempt{user: "account " + secret.Hashed(username), host: "address " + from.Address}
	if from.Device != "" {
		if try.known, err = q.Account.KnowsDevice(ctx, username, secret.Hashed(from.Device)); err != nil {
			return try, err
		}
		if try.known {
			try.user = "device " + secret.Hashed(from.Device+" "+username)
		}
	}
	wait, err := q.Account.Press(ctx, try.user, accountPressure, s.base.Now())
	if err == nil && wait == 0 && !try.known { // others at the same address do not lock out a known device
		wait, err = q.Account.Press(ctx, try.host, addressPressure, s.base.Now())
	}
	if err == nil && wait > 0 {
		s.base.Log.WarnContext(ctx, "a sign-in must wait", "wait", wait)
		err = &problem.Error{Code: problem.TooMany, Wait: wait}
	}
	return try, err
}

// ChangePassword changes one's own password; all other sessions end. It returns the epoch that one's own
// session must remember. The errors are SignInFailed where the old one is not right, or another has been set
// in the meantime, TooMany and those of weakPassword.
func (s *Service) ChangePassword(ctx context.Context, by int64, session, old, new string) (epoch int64, err error) {
	q := s.base.DB.Queries()
	username, _, err := q.Account.Username(ctx, by)
	if err != nil {
		return 0, problem.AsNotFound(err)
	}
	if wait, err := q.Account.Press(ctx, fmt.Sprint("change ", by), accountPressure, s.base.Now()); err != nil {
		return 0, err
	} else if wait > 0 {
		return 0, &problem.Error{Code: problem.TooMany, Wait: wait}
	}
	c, err := q.Account.Credentials(ctx, username)
	if err != nil {
		return 0, problem.AsNotFound(err)
	}
	if match, err := s.matches(ctx, c.Hash, old); err != nil {
		return 0, err
	} else if !match {
		return 0, problem.New(problem.SignInFailed)
	}
	if new == old {
		return 0, problem.New(problem.BadPassword)
	}
	names := []string{username}
	persons, err := q.People.PersonsOf(ctx, by)
	if err != nil {
		return 0, err
	}
	for _, p := range persons {
		names = append(names, p.GivenName, p.FamilyName, p.SchoolName)
	}
	if why := WeakPassword(new, names...); why != "" {
		return 0, problem.New(why)
	}
	hash, err := s.Hash(ctx, new)
	if err != nil {
		return 0, err
	}
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		replaced, err := q.Account.ReplacePassword(ctx, by, c.Hash, hash, s.base.Now())
		if err != nil {
			return err
		}
		if !replaced { // the office has given another one since
			return problem.New(problem.SignInFailed)
		}
		if epoch, err = q.Account.EndSessions(ctx, by, session); err != nil {
			return err
		}
		return q.Account.ForgetDevices(ctx, by, "")
	})
	if err != nil {
		return 0, err
	}
	s.base.Log.InfoContext(ctx, "a password was changed", "account", by)
	if err := s.ports.Messages.Notice(ctx, by, "password"); err != nil {
		return 0, err
	}
	return epoch, q.Account.Release(ctx, fmt.Sprint("change ", by))
}

// Session is one sign-in of an account.
type Session = store.Session

// Sessions lists an account's sessions, the latest first.
func (s *Service) Sessions(ctx context.Context, by int64) ([]Session, error) {
	return s.base.DB.Queries().Account.Sessions(ctx, by, s.base.Now())
}

// EndSession ends one of an account's sessions.
func (s *Service) EndSession(ctx context.Context, by int64, token string) error {
	ended, err := s.base.DB.Queries().Account.EndSession(ctx, by, token)
	if err == nil && !ended {
		err = problem.New(problem.NotFound)
	}
	return err
}

// EndSessions ends all sessions of an account except one, in one act. It returns the epoch that the one that
// stays must remember.
func (s *Service) EndSessions(ctx context.Context, by int64, except string) (epoch int64, err error) {
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		epoch, err = q.Account.EndSessions(ctx, by, except)
		return err
	})
	return epoch, err
}

// FindSession, BeginSession, UpdateSession and DropSession are where package web keeps sessions; tokens are hashed.
func (s *Service) FindSession(ctx context.Context, token string) (data []byte, found bool, err error) {
	data, err = s.base.DB.Queries().Account.SessionData(ctx, token, s.base.Now())
	if errors.Is(err, store.ErrNotFound) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// NewSession is a session that begins.
type NewSession = store.NewSession

// BeginSession writes a session, unless the account's sessions have been ended since its sign-in began, and
// reports whether it did.
func (s *Service) BeginSession(ctx context.Context, n *NewSession) (begun bool, err error) {
	return s.base.DB.Queries().Account.BeginSession(ctx, n, s.base.Now())
}

// UpdateSession writes what a session remembers, and reports whether the session still is.
func (s *Service) UpdateSession(ctx context.Context, token string, data []byte, expiry time.Time) (kept bool, err error) {
	return s.base.DB.Queries().Account.UpdateSession(ctx, token, data, s.base.Now(), expiry)
}

// Until returns when something ends that lasts for a time from now.
func (s *Service) Until(life time.Duration) time.Time { return s.base.Now().Add(life) }

// DropSession ends a session, whosever it is, and reports whether there was one.
func (s *Service) DropSession(ctx context.Context, token string) (ended bool, err error) {
	return s.base.DB.Queries().Account.EndSession(ctx, 0, token)
}

// Me is who is signed in.
type Me struct {
	Username string
	Language string   // that the account has chosen, or ""
	Persons  []Person // one for each school the account is someone in
}

// Person is someone's part in one school.
type Person struct {
	store.Person
	Job      string // student, family, counselor, office, teacher: what the person comes for
	Year     int    // the one that concerns the person now; 0: none yet
	Years    []int  // all there are, the newest first
	Children []Child
	Seats    bool // seats are chosen in the school in that year

	leaves bool // a student who enters a grade that the school does not have
}

// Child is a guardian's child.
type Child struct {
	store.Child
	Grade int // the one entered in that year
	Year  int
	Years []int

	leaves bool
}

// Me reports who an account is, and which year concerns each person now.
func (s *Service) Me(ctx context.Context, by int64) (*Me, error) {
	q := s.base.DB.Queries()
	username, language, err := q.Account.Username(ctx, by)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	list, err := q.People.PersonsOf(ctx, by)
	if err != nil {
		return nil, err
	}
	me := &Me{Username: username, Language: language}
	for _, p := range list {
		out := Person{Person: p, Job: job(&p)}
		years, err := q.People.YearsOfSchool(ctx, p.School)
		if out.Job == "student" {
			years, err = q.People.YearsOf(ctx, p.School, p.ID)
		}
		if err != nil {
			return nil, err
		}
		var grade int
		out.Year, grade, out.Years = concerns(years, s.base.Now())
		out.Seats = slices.ContainsFunc(years, func(y store.YearOf) bool { return y.Year == out.Year && y.Seats })
		if out.Job == "student" {
			if out.leaves, err = s.leaves(ctx, p.School, out.Year, grade); err != nil {
				return nil, err
			}
		}
		for _, c := range p.Children.V {
			years, err := q.People.YearsOf(ctx, p.School, c.ID)
			if err != nil {
				return nil, err
			}
			child := Child{Child: c}
			child.Year, child.Grade, child.Years = concerns(years, s.base.Now())
			if child.leaves, err = s.leaves(ctx, p.School, child.Year, child.Grade); err != nil {
				return nil, err
			}
			out.Children = append(out.Children, child)
		}
		me.Persons = append(me.Persons, out)
	}
	me.whereTheyWillBe()
	return me, nil
}

// leaves reports whether a student of a school enters a grade that it does not have.
func (s *Service) leaves(ctx context.Context, school string, year, grade int) (bool, error) {
	if year == 0 {
		return false, nil
	}
	row, err := s.base.DB.Queries().Year.YearRow(ctx, school, year)
	if err != nil {
		return false, err
	}
	y, err := s.base.Years.Year(ctx, school, year, row.Catalog, row.Policy)
	if err != nil {
		return false, err
	}
	return grade > y.Policy.LastGrade, nil
}

// whereTheyWillBe leaves out a student's part in a school that they leave, where they are also a student of
// one that they will attend; and so a guardian's children.
func (me *Me) whereTheyWillBe() {
	stays := map[int64]bool{} // accounts of children
	self := false
	for _, p := range me.Persons {
		self = self || p.Job == "student" && !p.leaves
		for _, c := range p.Children {
			stays[c.Account] = stays[c.Account] || !c.leaves && c.Account != 0
		}
	}
	me.Persons = slices.DeleteFunc(me.Persons, func(p Person) bool { return p.leaves && self })
	for i := range me.Persons {
		p := &me.Persons[i]
		p.Children = slices.DeleteFunc(p.Children, func(c Child) bool { return c.leaves && stays[c.Account] })
	}
}

// SetLanguage sets the language that an account reads. The error is BadAct for what is not a language tag.
func (s *Service) SetLanguage(ctx context.Context, by int64, language string) error {
	if !policy.IsLanguage(language) {
		return problem.New(problem.BadAct)
	}
	return s.base.DB.Queries().Account.SetLanguage(ctx, by, language)
}

// concerns chooses of some years, the newest first, the one that concerns a person now: the newest whose
// window has opened, else the newest.
func concerns(years []store.YearOf, now time.Time) (year, grade int, all []int) {
	chosen := -1
	for i, y := range years {
		all = append(all, y.Year)
		if chosen < 0 && y.Opens != nil && !now.Before(*y.Opens) {
			chosen = i
		}
	}
	if chosen < 0 && len(years) > 0 {
		chosen = 0
	}
	if chosen >= 0 {
		year, grade = years[chosen].Year, years[chosen].Grade
	}
	return year, grade, all
}

func job(p *store.Person) string {
	r := (&actor.Actor{Person: *p}).InSchool()
	switch {
	case p.Role == "student":
		return "student"
	case acts.InSchool(acts.ManagePeople, r) && !r.Counselor:
		return "office"
	case acts.InSchool(acts.SeeCaseload, r):
		return "counselor"
	case Guards(p.Role):
		return "family"
	}
	return "teacher"
}

// Guards reports whether a role is that of a guardian.
func Guards(role string) bool { return role == "guardian" || role == "parent" || role == "relative" }
