package store

import (
	"context"
	"time"
)

// TokenRow is what another system has to say who it is; the token itself is kept hashed.
type TokenRow struct {
	ID      int64      `db:"id"`
	School  string     `db:"school_id"`
	Name    string     `db:"name"` // of the system
	Purpose string     `db:"purpose"`
	By      string     `db:"by_name"`
	MadeAt  time.Time  `db:"made_at"`
	Expires time.Time  `db:"expires_at"`
	UsedAt  *time.Time `db:"used_at"`
	EndedAt *time.Time `db:"ended_at"`
	EndedBy string     `db:"ended_by"`
}

const tokenColumns = `id, school_id, name, purpose, by_name, made_at, expires_at, used_at, ended_at, ended_by`

// Tokens lists the tokens of a school, first those that were not ended, the latest first; at most so many.
func (q TokenQueries) Tokens(ctx context.Context, school string, most int) (list []TokenRow, err error) {
	return list, q.list(ctx, &list, `SELECT `+tokenColumns+
		` FROM access_token WHERE school_id = $1 ORDER BY ended_at IS NOT NULL, id DESC LIMIT $2`, school, most)
}

// GoodTokens counts the tokens of a school that are good.
func (q TokenQueries) GoodTokens(ctx context.Context, school string, now time.Time) (n int, err error) {
	return n, q.get(ctx, &n, `SELECT count(*) FROM access_token WHERE school_id = $1 AND ended_at IS NULL AND expires_at > $2`, school, now)
}

// MakeToken keeps a token by its hash.
func (q TokenQueries) MakeToken(ctx context.Context, t *TokenRow, hash string) (id int64, err error) {
	return id, q.get(ctx, &id,
		`INSERT INTO access_token (school_id, name, purpose, hash, by_name, made_at, expires_at)
			VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id`,
		t.School, t.Name, t.Purpose, hash, t.By, t.MadeAt, t.Expires)
}

// EndToken ends a token; false where there is none that is not over.
func (q TokenQueries) EndToken(ctx context.Context, school string, id int64, by string, now time.Time) (bool, error) {
	n, err := q.changed(ctx,
		`UPDATE access_token SET ended_at = $4, ended_by = $3 WHERE school_id = $1 AND id = $2 AND ended_at IS NULL`, school, id, by, now)
	return n > 0, err
}

// UseToken returns the token with a hash, where it is not over, and notes that it is used, at most every five
// minutes. The error is ErrNotFound.
func (q TokenQueries) UseToken(ctx context.Context, hash string, now time.Time) (t TokenRow, err error) {
	if err := q.get(ctx, &t, `SELECT `+tokenColumns+
		` FROM access_token WHERE hash = $1 AND ended_at IS NULL AND expires_at > $2`, hash, now); err != nil {
		return t, err
	}
	if t.UsedAt == nil || now.Sub(*t.UsedAt) > 5*time.Minute {
		err = q.exec(ctx, `UPDATE access_token SET used_at = $3 WHERE school_id = $1 AND id = $2`, t.School, t.ID, now)
	}
	return t, err
}

// RosterRow is a row that other systems read.
type RosterRow struct {
	Cells    JSON[Cells]
	Modified time.Time // when it was last changed
}

// rostered are the rows of the files that other systems read from tables, with when each was last changed.
var rostered = map[string]string{
	"users.csv":   `SELECT cells, modified_at AS modified FROM person WHERE school_id = $1 AND present AND $2 > 0 ORDER BY ord`,
	"classes.csv": `SELECT cells, modified_at AS modified FROM section WHERE school_id = $1 AND year = $2 ORDER BY ord`,
	"enrollments.csv": `SELECT ` + enrollmentCells + ` AS cells, e.modified_at AS modified
		FROM enrollment e JOIN person p ON p.school_id = e.school_id AND p.id = e.student_id WHERE e.school_id = $1
		AND e.year = $2 AND p.present ORDER BY p.ord, e.id`,
}

// RosterRows are the rows of users.csv, classes.csv or enrollments.csv.
func (q TokenQueries) RosterRows(ctx context.Context, file, school string, year int) (list []RosterRow, err error) {
	return list, q.list(ctx, &list, rostered[file], school, year)
}

// CatalogFile is a file of a year's catalog as one of its versions has it.
type CatalogFile struct {
	At   time.Time // since when it was in force
	File *JSON[Sheetful]
}

// CatalogFiles are a file in all versions of a year's catalog up to one, the oldest first; nil where the
// version has none.
func (q TokenQueries) CatalogFiles(ctx context.Context, school string, year int, version int64,
	file string) (list []CatalogFile, err error) {
	return list, q.list(ctx, &list,
		`SELECT at, files->$4 AS file FROM catalog WHERE school_id = $1 AND year = $2 AND version <= $3 ORDER BY version`,
		school, year, version, file)
}
