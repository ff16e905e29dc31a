package store

import (
	"context"
	"encoding/json"
	"time"
)

// SignOnTry is a try to sign in by an account of the school.
type SignOnTry struct {
	School   string `db:"school_id"`
	Nonce    string `db:"nonce"`
	Verifier string `db:"verifier"`
}

// KeepTry keeps a try until it is answered or over; the state is hashed.
func (q AccountQueries) KeepTry(ctx context.Context, state string, t *SignOnTry, until time.Time) error {
	return q.exec(ctx, `INSERT INTO sign_on_try (state, school_id, nonce, verifier, expires_at) VALUES ($1, $2, $3, $4, $5)`,
		state, t.School, t.Nonce, t.Verifier, until)
}

// TakeTry takes a try that is not over: no one gets it again. The error is ErrNotFound.
func (q AccountQueries) TakeTry(ctx context.Context, state string, now time.Time) (t SignOnTry, err error) {
	return t, q.get(ctx, &t,
		`WITH taken AS (DELETE FROM sign_on_try WHERE state = $1 RETURNING *) SELECT school_id, nonce, verifier FROM taken WHERE expires_at > $2`,
		state, now)
}

// VouchedFor is the account of someone for whom a school's provider vouches.
type VouchedFor struct {
	Account int64 `db:"account_id"`
	Epoch   int64 `db:"session_epoch"` // of its sessions
	Within  bool  // it leads to no one of a school for which the provider does not vouch
}

// AccountFor returns the account of a person of a school. The error is ErrNotFound.
func (q AccountQueries) AccountFor(ctx context.Context, school, person string, schools []string) (v VouchedFor, err error) {
	ctx = Anywhere(ctx) // an account may lead to several schools
	err = q.get(ctx, &v,
		`SELECT p.account_id, a.session_epoch, NOT EXISTS (SELECT 1 FROM person o WHERE o.account_id = p.account_id AND o.present
			AND o.school_id NOT IN (SELECT jsonb_array_elements_text($3::jsonb))) AS within
		FROM person p JOIN account a ON a.id = p.account_id WHERE p.school_id = $1 AND p.id = $2 AND p.present AND p.enabled
		AND p.account_id IS NOT NULL`,
		school, person, asJSON(append([]string{}, schools...)))
	return v, err
}

// Passkey is one of an account.
type Passkey struct {
	ID         string          `db:"id"`
	Name       string          `db:"name"`
	Credential json.RawMessage `db:"credential"`
	MadeAt     time.Time       `db:"made_at"`
	UsedAt     *time.Time      `db:"used_at"`
}

// Passkeys lists an account's passkeys, the oldest first.
func (q AccountQueries) Passkeys(ctx context.Context, account int64) (list []Passkey, err error) {
	return list, q.list(ctx, &list,
		`SELECT id, name, credential, made_at, used_at FROM account_passkey WHERE account_id = $1 ORDER BY made_at, id`, account)
}

// AddPasskey adds a passkey to an account; false where it has so many already, or this one.
func (q AccountQueries) AddPasskey(ctx context.Context, account int64, p *Passkey, most int) (bool, error) {
	n, err := q.changed(ctx, `INSERT INTO account_passkey (account_id, id, name, credential, made_at) SELECT $1, $2, $3, $4::jsonb, $5
		WHERE (SELECT count(*) FROM account_passkey WHERE account_id = $1) < $6 ON CONFLICT DO NOTHING`, account, p.ID,
		p.Name, string(p.Credential), p.MadeAt, most)
	return n > 0, err
}

// UsedPasskey keeps what a passkey has become by being used, such as its counter.
func (q AccountQueries) UsedPasskey(ctx context.Context, account int64, p *Passkey) error {
	return q.exec(ctx, `UPDATE account_passkey SET credential = $3::jsonb, used_at = $4 WHERE account_id = $1 AND id = $2`,
		account, p.ID, string(p.Credential), p.UsedAt)
}

// DropPasskeys takes one of an account's passkeys away, or (id "") all; it tells how many.
func (q AccountQueries) DropPasskeys(ctx context.Context, account int64, id string) (int64, error) {
	return q.changed(ctx, `DELETE FROM account_passkey WHERE account_id = $1 AND ($2 = '' OR id = $2)`, account, id)
}

// Staff reports whether an account leads to someone of the staff of a school, and whether one of those schools
// wants a second step.
func (q AccountQueries) Staff(ctx context.Context, account int64) (staff, second bool, err error) {
	ctx = Anywhere(ctx) // an account may lead to several schools
	var row struct{ Staff, Second bool }
	err = q.get(ctx, &row,
		`SELECT count(*) > 0 AS staff, coalesce(bool_or(s.second_step), false) AS second FROM person p JOIN school s ON s.id = p.school_id
		WHERE p.account_id = $1 AND p.present AND p.enabled AND p.role NOT IN ('student', 'guardian', 'parent', 'relative')`, account)
	return row.Staff, row.Second, err
}

// SecondStep reports whether the staff of a school need a passkey.
func (q AccountQueries) SecondStep(ctx context.Context, school string) (wanted bool, err error) {
	return wanted, q.get(ctx, &wanted, `SELECT second_step FROM school WHERE id = $1`, school)
}

// SetSecondStep sets that, and notes it; false where it was so already.
func (q AccountQueries) SetSecondStep(ctx context.Context, school string, wanted bool, by, reason string,
	at time.Time) (done bool, err error) {
	return done, q.get(ctx, &done, `WITH changed AS (UPDATE school SET second_step = $2 WHERE id = $1 AND second_step <> $2 RETURNING 1),
		noted AS (INSERT INTO office_event (school_id, at, by_name, kind, reason) SELECT $1, $5, $3, CASE WHEN $2 THEN 'second'
		ELSE 'noSecond' END, $4 FROM changed)
		SELECT EXISTS (SELECT 1 FROM changed)`, school, wanted, by, reason, at)
}

// NotePasskeys notes that the office has taken a person's passkeys away.
func (q AccountQueries) NotePasskeys(ctx context.Context, school, person, by, reason string, at time.Time) error {
	return q.exec(ctx, `INSERT INTO office_event (school_id, at, by_name, kind, person_id, reason) VALUES ($1, $5, $3, 'passkeys', $2, $4)`,
		school, person, by, reason, at)
}
