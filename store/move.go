package store

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
)

// The errors of Move, next to those of the databases.
var (
	ErrOtherSchema = errors.New("the two databases are of different versions; run rubricon migrate on both with the same program")
	ErrThere       = errors.New("the school is there already")
	ErrBusySchool  = errors.New("a task of the school waits or runs; wait until it is done, or stop it")
)

// KnownAccounts says that accounts with the same usernames are there already.
type KnownAccounts []string

func (k KnownAccounts) Error() string {
	return fmt.Sprintf("there are already accounts named %s; are they the same people?", strings.Join(k, ", "))
}

// Move takes a school with all its rows, history and accounts from one database into another, as the owner of
// both, and out of the first; ids stay as they are, except for those of accounts, which go by their usernames.
// Where someone changes the school in the meantime nothing is done, and the error says so. Same: accounts with the
// same usernames there are the same people; they keep the passwords that they have there. Who is signed in
// signs in again. It tells how many rows moved.
func Move(ctx context.Context, from, to, school string, same bool) (rows int64, err error) {
	source, err := pgx.Connect(ctx, from)
	if err != nil {
		return 0, fmt.Errorf("the database of the school: %w", err)
	}
	defer source.Close(context.WithoutCancel(ctx))
	target, err := pgx.Connect(ctx, to)
	if err != nil {
		return 0, fmt.Errorf("the database to move to: %w", err)
	}
	defer target.Close(context.WithoutCancel(ctx))
	// What someone changes after this moment makes taking the rows away fail.
	out, err := source.BeginTx(ctx, pgx.TxOptions{IsoLevel: pgx.RepeatableRead})
	if err != nil {
		return 0, err
	}
	defer func() { _ = out.Rollback(context.WithoutCancel(ctx)) }()
	in, err := target.Begin(ctx)
	if err != nil {
		return 0, err
	}
	defer func() { _ = in.Rollback(context.WithoutCancel(ctx)) }()
	m := &move{out: out, in: in, school: school}
	if err := m.may(ctx); err != nil {
		return 0, err
	}
	if err := m.accounts(ctx, same); err != nil {
		return 0, err
	}
	tables, err := m.tables(ctx)
	if err != nil {
		return 0, err
	}
	for _, t := range tables {
		n, err := m.copy(ctx, t)
		if err != nil {
			return 0, fmt.Errorf("moving %s: %w", t.name, err)
		}
		rows += n
	}
	if err := m.numbers(ctx, tables); err != nil {
		return 0, err
	}
	slices.Reverse(tables) // what is others' before what they belong to
	for _, t := range tables {
		if t.key == "" {
			continue
		}
		if _, err := out.Exec(ctx, `DELETE FROM `+t.name+` WHERE `+t.key+` = $1`, school); err != nil {
			return 0, fmt.Errorf("taking away %s (was something changed meanwhile? try again): %w", t.name, err)
		}
	}
	if _, err := out.Exec(ctx,
		`DELETE FROM account a WHERE id IN (SELECT old FROM moved) AND NOT EXISTS (SELECT 1 FROM person p
			WHERE p.account_id = a.id)`); err != nil {
		return 0, fmt.Errorf("taking away accounts: %w", err)
	}
	if err := in.Commit(ctx); err != nil {
		return 0, fmt.Errorf("committing where it moves to; nothing has moved: %w", err)
	}
	if err := out.Commit(ctx); err != nil {
		return 0, fmt.Errorf("the school is in both databases now; look at why it could not be taken away here, and take it away: %w", err)
	}
	return rows, nil
}

type move struct {
	out, in pgx.Tx
	school  string
}

// may refuses what cannot move.
func (m *move) may(ctx context.Context) error {
	const version = `SELECT max(version_id) FILTER (WHERE is_applied) FROM goose_db_version`
	var here, there int64
	if err := errors.Join(m.out.QueryRow(ctx, version).Scan(&here), m.in.QueryRow(ctx, version).Scan(&there)); err != nil {
		return fmt.Errorf("asking for the versions: %w", err)
	}
	if here != there {
		return ErrOtherSchema
	}
	var busy, known bool
	err := errors.Join(m.out.QueryRow(ctx,
		`SELECT EXISTS (SELECT 1 FROM school WHERE id = $1), EXISTS (SELECT 1 FROM task WHERE school_id = $1
			AND state IN ('waiting', 'running'))`,
		m.school).Scan(&known, &busy),
		m.in.QueryRow(ctx, `SELECT count(*) FROM school WHERE id = $1`, m.school).Scan(&there))
	switch {
	case err != nil:
		return err
	case !known:
		return ErrNotFound
	case there > 0:
		return ErrThere
	case busy:
		return ErrBusySchool
	}
	return nil
}

// accounts makes the school's accounts where it moves to, and keeps which is which (table moved, of the
// transaction here); known are those that were there before.
func (m *move) accounts(ctx context.Context, same bool) error {
	if _, err := m.out.Exec(ctx,
		`CREATE TEMPORARY TABLE moved (old bigint PRIMARY KEY, new bigint, known boolean) ON COMMIT DROP`); err != nil {
		return err
	}
	refs, err := m.columns(ctx,
		`SELECT c.table_name || '.' || c.column_name FROM information_schema.columns c
			JOIN information_schema.columns s USING (table_schema, table_name)
		WHERE c.table_schema = 'public' AND s.column_name = 'school_id' AND c.column_name IN ('account_id', 'by_account')`)
	if err != nil {
		return err
	}
	var usernames []string
	ids := map[string]int64{}
	for _, ref := range refs {
		table, column, _ := strings.Cut(ref, ".")
		rows, err := m.out.Query(ctx, `SELECT DISTINCT a.id, a.username FROM account a JOIN `+table+` t ON t.`+column+
			` = a.id WHERE t.school_id = $1`, m.school)
		if err != nil {
			return err
		}
		var id int64
		var username string
		if _, err := pgx.ForEachRow(rows, []any{&id, &username}, func() error {
			if _, ok := ids[username]; !ok {
				ids[username] = id
				usernames = append(usernames, username)
			}
			return nil
		}); err != nil {
			return err
		}
	}
	slices.Sort(usernames)
	known, err := m.there(ctx, usernames)
	if err != nil {
		return err
	}
	if len(known) > 0 && !same {
		var list KnownAccounts
		for _, username := range usernames {
			if _, ok := known[username]; ok && len(list) < 10 {
				list = append(list, username)
			}
		}
		return list
	}
	if _, err := m.in.Exec(ctx, `INSERT INTO account (username) SELECT unnest($1::text[]) ON CONFLICT DO NOTHING`, usernames); err != nil {
		return fmt.Errorf("making accounts: %w", err)
	}
	all, err := m.there(ctx, usernames)
	if err != nil {
		return err
	}
	list := make([][]any, 0, len(usernames))
	for _, username := range usernames {
		_, before := known[username]
		list = append(list, []any{ids[username], all[username], before})
	}
	_, err = m.out.CopyFrom(ctx, pgx.Identifier{"moved"}, []string{"old", "new", "known"}, pgx.CopyFromRows(list))
	return err
}

// there returns those accounts that are where it moves to, by username.
func (m *move) there(ctx context.Context, usernames []string) (map[string]int64, error) {
	rows, err := m.in.Query(ctx, `SELECT id, username FROM account WHERE username = ANY($1)`, usernames)
	if err != nil {
		return nil, err
	}
	out := map[string]int64{}
	var id int64
	var username string
	_, err = pgx.ForEachRow(rows, []any{&id, &username}, func() error { out[username] = id; return nil })
	return out, err
}

func (m *move) columns(ctx context.Context, query string, args ...any) ([]string, error) {
	rows, err := m.out.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// table is one whose rows move: those of the school (key names the column), or of the accounts that are new
// where it moves to (no key).
type table struct {
	name, key string
	needs     []string // other tables that its rows refer to
}

// notMoved are tables of accounts that stay: who is signed in signs in again.
var notMoved = []string{"session"}

// tables lists the tables whose rows move, each after those that its rows refer to.
func (m *move) tables(ctx context.Context) (list []table, err error) {
	rows, err := m.out.Query(ctx, `SELECT t.table_name, coalesce((SELECT CASE WHEN t.table_name = 'school' THEN 'id' ELSE 'school_id' END
				FROM information_schema.columns c WHERE c.table_schema = 'public' AND c.table_name = t.table_name
				AND (c.column_name = 'school_id' OR t.table_name = 'school' AND c.column_name = 'id')), ''),
			ARRAY(SELECT DISTINCT f.relname::text FROM pg_constraint k JOIN pg_class f ON f.oid = k.confrelid WHERE k.contype = 'f'
			AND k.conrelid = t.table_name::regclass AND k.confrelid <> k.conrelid)
		FROM information_schema.tables t WHERE t.table_schema = 'public' AND t.table_type = 'BASE TABLE' AND EXISTS (SELECT 1
		FROM information_schema.columns c
			WHERE c.table_schema = 'public' AND c.table_name = t.table_name AND (c.column_name IN ('school_id', 'account_id')
			OR t.table_name = 'school')) ORDER BY 1`)
	if err != nil {
		return nil, err
	}
	var waiting []table
	var t table
	if _, err := pgx.ForEachRow(rows, []any{&t.name, &t.key, &t.needs}, func() error {
		if !slices.Contains(notMoved, t.name) {
			waiting = append(waiting, table{t.name, t.key, slices.Clone(t.needs)})
		}
		return nil
	}); err != nil {
		return nil, err
	}
	for len(waiting) > 0 {
		var later []table
		for _, t := range waiting {
			if slices.ContainsFunc(waiting, func(o table) bool { return slices.Contains(t.needs, o.name) }) {
				later = append(later, t)
			} else {
				list = append(list, t)
			}
		}
		if len(later) == len(waiting) {
			return nil, fmt.Errorf("the tables %v refer to each other in a circle", waiting)
		}
		waiting = later
	}
	return list, nil
}

// copy copies the rows of a table, without holding them in memory.
func (m *move) copy(ctx context.Context, t table) (int64, error) {
	columns, err := m.columns(ctx,
		`SELECT column_name FROM information_schema.columns WHERE table_schema = 'public' AND table_name = $1
			AND is_generated = 'NEVER' ORDER BY ordinal_position`,
		t.name)
	if err != nil {
		return 0, err
	}
	var what, into []string
	for _, c := range columns {
		quoted := pgx.Identifier{c}.Sanitize()
		into = append(into, quoted)
		if c == "account_id" || c == "by_account" {
			what = append(what, `(SELECT new FROM moved WHERE old = t.`+quoted+`)`)
		} else {
			what = append(what, `t.`+quoted)
		}
	}
	where := `account_id IN (SELECT old FROM moved WHERE NOT known)`
	if t.key != "" {
		where = t.key + ` = '` + strings.ReplaceAll(m.school, `'`, `''`) + `'` // a copy takes no arguments
	}
	reader, writer := io.Pipe()
	sent := make(chan error, 1)
	go func() {
		_, err := m.out.Conn().PgConn().CopyTo(ctx, writer,
			`COPY (SELECT `+strings.Join(what, ", ")+` FROM `+t.name+` t WHERE `+where+`) TO STDOUT (FORMAT binary)`)
		writer.CloseWithError(err)
		sent <- err
	}()
	tag, err := m.in.Conn().PgConn().CopyFrom(ctx, reader, `COPY `+t.name+` (`+strings.Join(into, ", ")+`) FROM STDIN (FORMAT binary)`)
	reader.CloseWithError(err)
	if sentErr := <-sent; err == nil {
		err = sentErr
	}
	return tag.RowsAffected(), err
}

// numbers lets what is numbered where it moves to go on after what has come.
func (m *move) numbers(ctx context.Context, tables []table) error {
	for _, t := range tables {
		columns, err := m.columns(ctx,
			`SELECT column_name FROM information_schema.columns WHERE table_schema = 'public' AND table_name = $1 AND is_identity = 'YES'`, t.name)
		if err != nil {
			return err
		}
		for _, c := range columns {
			if _, err := m.in.Exec(ctx, `SELECT setval(s, greatest(coalesce((SELECT max(`+c+`) FROM `+t.name+
				`), 1), nextval(s))) FROM (SELECT pg_get_serial_sequence($1, $2)::regclass AS s) x`, t.name, c); err != nil {
				return fmt.Errorf("numbers of %s: %w", t.name, err)
			}
		}
	}
	var receipt int64
	if err := m.out.QueryRow(ctx, `SELECT last_value FROM receipt_number`).Scan(&receipt); err != nil {
		return err
	}
	_, err := m.in.Exec(ctx, `SELECT setval('receipt_number', greatest($1, nextval('receipt_number')))`, receipt)
	return err
}
