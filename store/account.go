package store

import (
	"context"
	"errors"
	"time"
)

// Credentials are an account with its password's hash, which is empty where it has none.
type Credentials struct {
	Account int64      `db:"id"`
	Hash    string     `db:"hash"`
	Once    bool       `db:"once"` // it is for one sign-in
	SetAt   *time.Time `db:"set_at"`
	Epoch   int64      `db:"session_epoch"` // of its sessions, as it is before the password is tried
}

// Credentials returns the account of a username. The error is ErrNotFound where there is none.
func (q AccountQueries) Credentials(ctx context.Context, username string) (c Credentials, err error) {
	return c, q.get(ctx, &c,
		`SELECT a.id, coalesce(p.hash, '') AS hash, coalesce(p.once, false) AS once, p.set_at, a.session_epoch FROM account a LEFT
			JOIN account_password p ON p.account_id = a.id WHERE a.username = $1`,
		username)
}

// Username returns an account's username.
func (q AccountQueries) Username(ctx context.Context, account int64) (username, language string, err error) {
	var row struct{ Username, Language string }
	err = q.get(ctx, &row, `SELECT username, language FROM account WHERE id = $1`, account)
	return row.Username, row.Language, err
}

// SetLanguage sets the language that an account reads, a BCP 47 tag.
func (q AccountQueries) SetLanguage(ctx context.Context, account int64, language string) error {
	return q.exec(ctx, `UPDATE account SET language = $2 WHERE id = $1`, account, language)
}

// SetPassword sets an account's password; once: for one sign-in.
func (q AccountQueries) SetPassword(ctx context.Context, account int64, hash string, once bool, now time.Time) error {
	return q.exec(ctx, `INSERT INTO account_password (account_id, hash, once, set_at) VALUES ($1, $2, $3, $4)
		ON CONFLICT (account_id) DO UPDATE SET hash = $2, once = $3, set_at = $4`, account, hash, once, now)
}

// ReplacePassword sets an account's password in the place of another one, and reports whether that was still there.
func (q AccountQueries) ReplacePassword(ctx context.Context, account int64, old, hash string, now time.Time) (replaced bool, err error) {
	n, err := q.changed(ctx,
		`UPDATE account_password SET hash = $3, once = false, set_at = $4 WHERE account_id = $1 AND hash = $2`, account, old, hash, now)
	return n > 0, err
}

// RaiseHash replaces a password's hash by one of the same password that costs more, unless another has been
// set in the meantime.
func (q AccountQueries) RaiseHash(ctx context.Context, account int64, old, hash string) error {
	return q.exec(ctx, `UPDATE account_password SET hash = $3 WHERE account_id = $1 AND hash = $2`, account, old, hash)
}

// WithoutPassword lists those of some usernames that have an account and no password.
func (q AccountQueries) WithoutPassword(ctx context.Context, usernames []string) (list []Credentials, err error) {
	return list, q.list(ctx, &list,
		`SELECT a.id, a.username AS hash FROM account a JOIN jsonb_array_elements_text($1::jsonb) u ON u = a.username
		WHERE NOT EXISTS (SELECT 1 FROM account_password p WHERE p.account_id = a.id)`, asJSON(usernames))
}

// WithPassword lists those of some usernames whose account has a password.
func (q AccountQueries) WithPassword(ctx context.Context, usernames []string) (list []string, err error) {
	return list, q.list(ctx, &list,
		`SELECT a.username FROM account a JOIN account_password p ON p.account_id = a.id
			WHERE a.username IN (SELECT jsonb_array_elements_text($1::jsonb))`,
		asJSON(usernames))
}

// FirstPassword sets a password where the account has none, so that one school's import cannot change the
// password of a person of another; once: for one sign-in.
func (q AccountQueries) FirstPassword(ctx context.Context, account int64, hash string, once bool, now time.Time) error {
	return q.exec(ctx, `INSERT INTO account_password (account_id, hash, once, set_at) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING`,
		account, hash, once, now)
}

// KnowsDevice reports whether a device has signed in to an account before.
func (q AccountQueries) KnowsDevice(ctx context.Context, username, token string) (known bool, err error) {
	return known, q.get(ctx, &known,
		`SELECT EXISTS (SELECT 1 FROM account_device d JOIN account a ON a.id = d.account_id WHERE a.username = $1 AND d.token = $2)`,
		username, token)
}

// MaxDevices is how many devices an account remembers, the latest.
const MaxDevices = 20

// RememberDevice notes that a device has signed in.
func (q AccountQueries) RememberDevice(ctx context.Context, account int64, token string, now time.Time) error {
	if err := q.exec(ctx,
		`INSERT INTO account_device (account_id, token, seen_at) VALUES ($1, $2, $3) ON CONFLICT (account_id, token) DO UPDATE SET seen_at = $3`,
		account, token, now); err != nil {
		return err
	}
	return q.exec(ctx, `DELETE FROM account_device WHERE account_id = $1 AND token NOT IN
		(SELECT token FROM account_device WHERE account_id = $1 ORDER BY seen_at DESC LIMIT $2)`, account, MaxDevices)
}

// ForgetDevices forgets all devices of an account, except for one.
func (q AccountQueries) ForgetDevices(ctx context.Context, account int64, but string) error {
	return q.exec(ctx, `DELETE FROM account_device WHERE account_id = $1 AND token <> $2`, account, but)
}

// Pressure is how failed sign-ins are counted: Free may follow each other at once; after that each waits
// about twice as long as the one before, a second first, at most Longest. One is forgotten every Decay.
type Pressure struct {
	Free    int
	Decay   time.Duration
	Longest time.Duration
}

// nextLevel is the level with one more attempt, what has been forgotten since the last taken away.
const nextLevel = `(greatest(0, s.level - greatest(0, extract(epoch FROM $2::timestamptz - s.at)::float8) / $4::float8) + 1)`

// Press counts an attempt for a key, in one statement, so that attempts at the same time are counted one
// after the other. Where it comes too early it is not counted, and wait is how long to wait.
func (q AccountQueries) Press(ctx context.Context, key string, p Pressure, now time.Time) (wait time.Duration, err error) {
	var row struct {
		Until time.Time
		Level float64
	}
	// A row comes back only where the attempt was counted.
	err = q.get(ctx, &row, `INSERT INTO sign_in_pressure AS s (key, level, at, until) VALUES ($1, 1, $2, $2)
		ON CONFLICT (key) DO UPDATE SET at = $2, level = `+nextLevel+`, until = $2::timestamptz + make_interval(secs =>
			CASE WHEN `+nextLevel+` < $3::float8 THEN 0 ELSE least($5::float8, power(2, least(30, round(`+nextLevel+` - $3::float8)))) END)
		WHERE s.until <= $2 RETURNING until, level`, key, now, float64(p.Free), p.Decay.Seconds(), p.Longest.Seconds())
	if !errors.Is(err, ErrNotFound) {
		return 0, err
	}
	var until time.Time
	if err := q.get(ctx, &until, `SELECT until FROM sign_in_pressure WHERE key = $1`, key); err != nil && !errors.Is(err, ErrNotFound) {
		return 0, err
	}
	return max(until.Sub(now), time.Second), nil
}

// Release takes back all that was counted for a key.
func (q AccountQueries) Release(ctx context.Context, key string) error {
	return q.exec(ctx, `DELETE FROM sign_in_pressure WHERE key = $1`, key)
}

// ReleaseOne takes back one attempt counted for a key.
func (q AccountQueries) ReleaseOne(ctx context.Context, key string) error {
	return q.exec(ctx, `UPDATE sign_in_pressure SET level = greatest(0, level - 1), until = at WHERE key = $1`, key)
}

// SignIn is one that someone tried.
type SignIn struct {
	At    time.Time `db:"at"`
	Done  bool      `db:"done"`  // false: the password was wrong
	Agent string    `db:"agent"` // the browser, as it calls itself
}

// maxAgent is how much of a browser's name is kept, in characters.
const maxAgent = 200

// NoteSignIn keeps that someone tried to sign in to an account.
func (q AccountQueries) NoteSignIn(ctx context.Context, account int64, x SignIn) error {
	return q.exec(ctx, `INSERT INTO sign_in (account_id, at, done, agent) VALUES ($1, $2, $3, left($4, $5))`, account,
		x.At, x.Done, x.Agent, maxAgent)
}

// signInsKept is for how long that is known.
const signInsKept = 120 * 24 * time.Hour

// SignIns lists the tries to sign in to the account of a person, the latest first.
func (q AccountQueries) SignIns(ctx context.Context, school, person string, skip, limit int) (list []SignIn, err error) {
	return list, q.list(ctx, &list, `SELECT i.at, i.done, i.agent FROM sign_in i JOIN person p ON p.account_id = i.account_id
		WHERE p.school_id = $1 AND p.id = $2 AND p.present ORDER BY i.at DESC, i.id DESC OFFSET $3 LIMIT $4`, school, person, skip, limit)
}

// ForgetOld takes away sessions that are over, what was counted long ago, old sign-ins, what other systems
// were told long ago, and the files of old tasks.
func (q AccountQueries) ForgetOld(ctx context.Context, now time.Time) error {
	if err := q.exec(ctx, `DELETE FROM session WHERE expiry < $1`, now); err != nil {
		return err
	}
	if err := q.exec(ctx, `DELETE FROM sign_on_try WHERE expires_at < $1`, now); err != nil {
		return err
	}
	if err := q.exec(ctx, `DELETE FROM sign_in_pressure WHERE at < $1`, now.Add(-24*time.Hour)); err != nil {
		return err
	}
	if err := q.exec(ctx, `DELETE FROM sign_in WHERE at < $1`, now.Add(-signInsKept)); err != nil {
		return err
	}
	if err := q.exec(ctx, `DELETE FROM hook_message WHERE made_at < $1`, now.Add(-messagesKept)); err != nil {
		return err
	}
	return q.all().Background.forgetTasks(ctx, now.Add(-taskKept))
}

// Session is one sign-in of an account.
type Session struct {
	Token   string    `db:"token"` // hashed
	BegunAt time.Time `db:"begun_at"`
	SeenAt  time.Time `db:"seen_at"`
	Agent   string    `db:"agent"` // the browser, as it calls itself
}

// SessionData returns what is kept of a session. The error is ErrNotFound where there is none, or it is over.
func (q AccountQueries) SessionData(ctx context.Context, token string, now time.Time) (data []byte, err error) {
	return data, q.get(ctx, &data, `SELECT data FROM session WHERE token = $1 AND expiry > $2`, token, now)
}

// NewSession is a session that begins.
type NewSession struct {
	Token   string // hashed
	Account int64  // 0: no one has signed in to it
	Epoch   int64  // of the account's sessions when the sign-in began
	Data    []byte
	Agent   string // the browser, as it calls itself
	Expiry  time.Time
}

// BeginSession writes a session, and reports whether it did: one of an account does not begin where that
// account's sessions have been ended since its sign-in began. The lock makes it wait for an end that is under
// way.
func (q AccountQueries) BeginSession(ctx context.Context, s *NewSession, now time.Time) (begun bool, err error) {
	if s.Account == 0 {
		return true, q.exec(ctx,
			`INSERT INTO session (token, data, begun_at, seen_at, agent, expiry) VALUES ($1, $2, $3, $3, $4, $5)`, s.Token,
			s.Data, now, s.Agent, s.Expiry)
	}
	n, err := q.changed(ctx, `INSERT INTO session (token, account_id, data, begun_at, seen_at, agent, expiry)
		SELECT $1, a.id, $2, $3, $3, $4, $5 FROM account a WHERE a.id = $6 AND a.session_epoch = $7 FOR SHARE`, s.Token,
		s.Data, now, s.Agent, s.Expiry, s.Account, s.Epoch)
	return n > 0, err
}

// UpdateSession writes what a session remembers, and reports whether the session still is. One that has ended
// stays ended.
func (q AccountQueries) UpdateSession(ctx context.Context, token string, data []byte, now, expiry time.Time) (kept bool, err error) {
	n, err := q.changed(ctx, `UPDATE session SET data = $2, seen_at = $3, expiry = $4 WHERE token = $1`, token, data, now, expiry)
	return n > 0, err
}

// EndSession ends one session of an account, or any where the account is 0. It reports whether there was one.
func (q AccountQueries) EndSession(ctx context.Context, account int64, token string) (ended bool, err error) {
	n, err := q.changed(ctx, `DELETE FROM session WHERE token = $1 AND ($2 = 0 OR account_id = $2)`, token, account)
	return n > 0, err
}

// EndSessions ends all sessions of an account except one, those too whose sign-in is under way, in a
// transaction. It returns the epoch of the sessions to come, which the one that stays must remember. The
// update comes first: its lock makes sign-ins wait, and the deletion then sees all that began before.
func (q AccountQueries) EndSessions(ctx context.Context, account int64, except string) (epoch int64, err error) {
	if err := q.get(ctx, &epoch,
		`UPDATE account SET session_epoch = session_epoch + 1 WHERE id = $1 RETURNING session_epoch`, account); err != nil {
		return 0, err
	}
	return epoch, q.exec(ctx, `DELETE FROM session WHERE account_id = $1 AND token <> $2`, account, except)
}

// Sessions lists the sessions of an account, the latest first.
func (q AccountQueries) Sessions(ctx context.Context, account int64, now time.Time) (list []Session, err error) {
	return list, q.list(ctx, &list,
		`SELECT token, begun_at, seen_at, agent FROM session WHERE account_id = $1 AND expiry > $2 ORDER BY seen_at DESC, token`, account, now)
}
