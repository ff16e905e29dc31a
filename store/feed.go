package store

import (
	"context"
	"time"
)

// Feed is a secret address of a student's calendar, for one account.
type Feed struct {
	Place
	Account  int64     `db:"account_id"`
	Language string    `db:"language"`
	MadeAt   time.Time `db:"made_at"`
}

// PutFeed makes an address, in place of the account's own for the student; token is hashed.
func (q MessagesQueries) PutFeed(ctx context.Context, token string, f Feed) error {
	return q.exec(ctx, `INSERT INTO feed (token, account_id, school_id, year, student_id, language, made_at)
		VALUES ($1, $2, $3, $4, $5, $6, $7)
		ON CONFLICT (school_id, year, student_id, account_id) DO UPDATE
		SET token = EXCLUDED.token, language = EXCLUDED.language, made_at = EXCLUDED.made_at`,
		token, f.Account, f.School, f.Year, f.Student, f.Language, f.MadeAt)
}

// Feed returns whose calendar an address is of. The error is ErrNotFound.
func (q MessagesQueries) Feed(ctx context.Context, token string) (f Feed, err error) {
	return f, q.get(ctx, &f, `SELECT school_id, year, student_id, account_id, language, made_at FROM feed WHERE token = $1`, token)
}

// FeedOf reports when an account's address of a student's calendar was made. The error is ErrNotFound.
func (q MessagesQueries) FeedOf(ctx context.Context, account int64, at Place) (made time.Time, err error) {
	return made, q.get(ctx, &made,
		`SELECT made_at FROM feed WHERE account_id = $1 AND school_id = $2 AND year = $3 AND student_id = $4`, account,
		at.School, at.Year, at.Student)
}

// DropFeed takes an account's address away.
func (q MessagesQueries) DropFeed(ctx context.Context, account int64, at Place) error {
	return q.exec(ctx, `DELETE FROM feed WHERE account_id = $1 AND school_id = $2 AND year = $3 AND student_id = $4`,
		account, at.School, at.Year, at.Student)
}
