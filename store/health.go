package store

import (
	"context"
	"time"
)

// Ping reports whether the database answers. The error is why not.
func (db *DB) Ping(ctx context.Context) error {
	var one int
	return db.Aside().get(ctx, &one, `SELECT 1`)
}

// PoolStats is how the connections of this process are used.
type PoolStats struct {
	Open, Used, Most int
	Waited           int64         // how often someone had to wait for one
	WaitedFor        time.Duration // in all
}

// PoolStats reports how the connections of this process are used.
func (db *DB) PoolStats() PoolStats {
	s := db.pool.Stat()
	return PoolStats{Open: int(s.TotalConns()), Used: int(s.AcquiredConns()), Most: int(s.MaxConns()),
		Waited: s.EmptyAcquireCount(), WaitedFor: s.EmptyAcquireWaitTime()}
}

// Backlog counts the work that waits in the whole database.
type Backlog struct {
	Letters      int     `db:"letters"`       // mails that wait to be sent and are due
	LetterAge    float64 `db:"letter_age"`    // seconds for which the oldest of them has been due
	LettersLost  int     `db:"letters_lost"`  // mails of the last day that were not sent, or perhaps not
	Tasks        int     `db:"tasks"`         // imports, exports, placements and so on that wait or run
	JobsWaiting  int     `db:"jobs_waiting"`  // jobs of the queue that could run now
	JobsGivenUp  int     `db:"jobs_given_up"` // jobs of the last day that were given up
	SeatsOffered int     `db:"seats_offered"` // offers of seats that stand
}

// Backlog counts what waits at a moment.
func (q OfficeQueries) Backlog(ctx context.Context, now time.Time) (b Backlog, err error) {
	return b, q.get(ctx, &b, `SELECT (SELECT count(*) FROM letter WHERE state IN ('waiting', 'taken') AND next_at <= $1) AS letters,
		coalesce((SELECT extract(epoch FROM $1 - min(next_at)) FROM letter WHERE state = 'waiting' AND next_at <= $1), 0)::float8 AS letter_age,
		(SELECT count(*) FROM letter WHERE state IN ('failed', 'unsure') AND done_at > $1::timestamptz - interval '1 day') AS letters_lost,
		(SELECT count(*) FROM task WHERE state IN ('waiting', 'running')) AS tasks,
		(SELECT count(*) FROM river.river_job WHERE state = 'available') AS jobs_waiting,
		(SELECT count(*) FROM river.river_job WHERE state = 'discarded' AND finalized_at > $1::timestamptz - interval '1 day') AS jobs_given_up,
		(SELECT count(*) FROM seat_wait WHERE offered_until > $1) AS seats_offered`, now)
}

// SetUp is how a database is set up, as far as the application depends on it.
type SetUp struct {
	Version        int       `db:"version"` // server_version_num
	Encoding       string    `db:"encoding"`
	Superuser      bool      `db:"superuser"`
	Owns           bool      `db:"owns"`     // the role owns tables, so that it could change what has happened
	Rewrites       bool      `db:"rewrites"` // the role may change or delete events, submissions or signatures
	Fsync          bool      `db:"fsync"`
	Synchronous    string    `db:"synchronous"`
	Archiving      bool      `db:"archiving"`
	Standbys       int       `db:"standbys"`
	MaxConnections int       `db:"max_connections"`
	Connections    int       `db:"connections"`
	Replica        bool      `db:"replica"` // it only reads
	Clock          time.Time `db:"clock"`
	Encrypted      bool      `db:"encrypted"`
	Local          bool      `db:"local"` // over a socket, or on this machine
}

// SetUp reports how the database is set up.
func (q OfficeQueries) SetUp(ctx context.Context) (s SetUp, err error) {
	return s, q.get(ctx, &s, `SELECT current_setting('server_version_num')::int AS version, pg_encoding_to_char(d.encoding) AS encoding,
			(SELECT rolsuper FROM pg_roles WHERE rolname = current_user) AS superuser,
			EXISTS (SELECT 1 FROM pg_tables WHERE schemaname = 'public' AND tableowner = current_user) AS owns,
			has_table_privilege('event', 'UPDATE, DELETE') OR has_table_privilege('submission', 'UPDATE, DELETE')
			OR has_table_privilege('signature', 'UPDATE, DELETE') AS rewrites,
			current_setting('fsync') = 'on' AS fsync, current_setting('synchronous_commit') AS synchronous,
			current_setting('archive_mode') <> 'off' AS archiving,
			(SELECT count(*) FROM pg_stat_replication) AS standbys, current_setting('max_connections')::int AS max_connections,
			(SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'client backend') AS connections,
			pg_is_in_recovery() AS replica, clock_timestamp() AS clock,
			coalesce((SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()), false) AS encrypted,
			coalesce(inet_server_addr() << '127.0.0.0/8' OR inet_server_addr() = '::1', true) AS local
		FROM pg_database d WHERE d.datname = current_database()`)
}
