package store

import (
	"context"
	"time"
)

// messagesKept is how long what other systems were told is kept.
const messagesKept = 30 * 24 * time.Hour

// HookRow is another system that is told of what happens.
type HookRow struct {
	ID      int64          `db:"id"`
	School  string         `db:"school_id"`
	Name    string         `db:"name"` // of the system
	URL     string         `db:"url"`
	Kinds   JSON[[]string] `db:"kinds"` // of what it is told
	Salt    string         `db:"salt"`
	By      string         `db:"by_name"`
	MadeAt  time.Time      `db:"made_at"`
	EndedAt *time.Time     `db:"ended_at"`
	EndedBy string         `db:"ended_by"`

	Arrived int        `db:"arrived"` // how many messages, of those that are kept
	Waiting int        `db:"waiting"`
	Failed  int        `db:"failed"`
	LastAt  *time.Time `db:"last_at"` // when one arrived
	Fault   string     `db:"fault"`   // why the latest that did not, did not
	NextAt  *time.Time `db:"next_at"` // when the next is tried, where one waits
}

// Hooks lists the systems of a school that are told of what happens, also those that are told no longer, the
// latest first; at most so many.
func (q MessagesQueries) Hooks(ctx context.Context, school string, most int) (list []HookRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT h.id, h.school_id, h.name, h.url, h.kinds, h.salt,
			h.by_name, h.made_at, h.ended_at, h.ended_by, m.arrived, m.waiting, m.failed, m.last_at, m.fault,
			CASE WHEN m.waiting > 0 THEN greatest(m.next_at, h.rests_until) END AS next_at
		FROM hook h CROSS JOIN LATERAL (SELECT count(*) FILTER (WHERE state = 'arrived') AS arrived,
		count(*) FILTER (WHERE state = 'waiting') AS waiting, count(*) FILTER (WHERE state = 'failed') AS failed,
				max(done_at) FILTER (WHERE state = 'arrived') AS last_at, min(next_at) FILTER (WHERE state = 'waiting') AS next_at,
				coalesce((array_agg(fault ORDER BY id DESC) FILTER (WHERE state <> 'arrived' AND fault <> ''))[1], '') AS fault
			FROM hook_message m WHERE m.school_id = h.school_id AND m.hook_id = h.id) m
		WHERE h.school_id = $1 ORDER BY h.id DESC LIMIT $2`, school, most)
}

// MakeHook adds a system that is told of what happens; false where the school has so many already that are.
func (q MessagesQueries) MakeHook(ctx context.Context, h *HookRow, most int) (made bool, err error) {
	return made, q.get(ctx, &made,
		`WITH made AS (INSERT INTO hook (school_id, name, url, kinds, salt, by_name, made_at) SELECT $1, $2, $3, $4::jsonb, $5, $6, $7
			WHERE (SELECT count(*) FROM hook WHERE school_id = $1 AND ended_at IS NULL) < $8 RETURNING 1)
		SELECT EXISTS (SELECT 1 FROM made)`, h.School, h.Name, h.URL, asJSON(h.Kinds.V), h.Salt, h.By, h.MadeAt, most)
}

// EndHook tells a system nothing any more, also not what it has not been told yet; false where there is none
// that is told.
func (q MessagesQueries) EndHook(ctx context.Context, school string, id int64, by string, now time.Time) (done bool, err error) {
	return done, q.get(ctx, &done,
		`WITH over AS (UPDATE hook SET ended_at = $4, ended_by = $3 WHERE school_id = $1 AND id = $2 AND ended_at IS NULL RETURNING 1),
			left_out AS (UPDATE hook_message SET state = 'failed', done_at = $4 WHERE school_id = $1 AND hook_id = $2
			AND state = 'waiting' AND EXISTS (SELECT 1 FROM over))
		SELECT EXISTS (SELECT 1 FROM over)`, school, id, by, now)
}

// TryHook puts a message that says nothing on its way, at once; false where the system is told nothing.
func (q MessagesQueries) TryHook(ctx context.Context, school string, year int, id int64, now time.Time) (done bool, err error) {
	return done, q.get(ctx, &done,
		`WITH at AS (UPDATE hook SET fails = 0, rests_until = NULL WHERE school_id = $1 AND id = $3 AND ended_at IS NULL RETURNING 1),
			put AS (INSERT INTO hook_message (school_id, hook_id, year, kind, made_at, next_at) SELECT $1, $3, $2, 'tried', $4, $4 FROM at)
		SELECT EXISTS (SELECT 1 FROM at)`, school, year, id, now)
}

// SendAgain puts what a system has not been told for good on its way again, and what waits, at once; false
// where the system is told nothing.
func (q MessagesQueries) SendAgain(ctx context.Context, school string, id int64, now time.Time) (done bool, err error) {
	return done, q.get(ctx, &done,
		`WITH at AS (UPDATE hook SET fails = 0, rests_until = NULL WHERE school_id = $1 AND id = $2 AND ended_at IS NULL RETURNING 1),
			put AS (UPDATE hook_message SET state = 'waiting', tries = 0, next_at = $3, done_at = NULL WHERE school_id = $1
			AND hook_id = $2 AND state <> 'arrived' AND EXISTS (SELECT 1 FROM at))
		SELECT EXISTS (SELECT 1 FROM at)`, school, id, now)
}

// Notice is what other systems are told of a change.
type Notice struct {
	Kind   string
	Detail any
}

// addHookMessages puts a message to each system of a school $1 that is told of a kind $3, about a year $2 and a
// student $4 ("" where it is about the school as a whole), on its way at a time $6.
const addHookMessages = `
	INSERT INTO hook_message (school_id, hook_id, year, kind, student_id, detail, made_at, next_at)
	SELECT $1, h.id, $2, $3::text, nullif($4, ''), $5::jsonb, $6::timestamptz, $6::timestamptz
	FROM hook h WHERE h.school_id = $1 AND h.ended_at IS NULL AND h.kinds ? $3::text`

// TellOthers tells other systems of what concerns a student, or (none) a school as a whole.
func (q MessagesQueries) TellOthers(ctx context.Context, at Place, x Notice, now time.Time) error {
	return q.exec(ctx, addHookMessages, at.School, at.Year, x.Kind, at.Student, asJSON(x.Detail), now)
}

// MessageRow is what a system is told.
type MessageRow struct {
	School  string               `db:"school_id"`
	ID      int64                `db:"id"`
	Hook    int64                `db:"hook_id"`
	URL     string               `db:"url"`
	Salt    string               `db:"salt"`
	Year    int                  `db:"year"`
	Kind    string               `db:"kind"`
	Student *string              `db:"student_id"`
	Detail  JSON[map[string]any] `db:"detail"`
	MadeAt  time.Time            `db:"made_at"`
	Tries   int                  `db:"tries"`
}

// TakeMessages takes messages that are due, the oldest first: no one else takes them before the time until.
// Those to a system that rests are left, and those to one that is told no longer, which were written in the
// moment in which it was ended.
func (q MessagesQueries) TakeMessages(ctx context.Context, limit int, until, now time.Time) (list []MessageRow, err error) {
	return list, q.list(ctx, &list,
		`WITH due AS (SELECT m.school_id, m.id, h.url, h.salt FROM hook_message m JOIN hook h ON h.school_id = m.school_id AND h.id = m.hook_id
				WHERE m.state = 'waiting' AND m.next_at <= $1 AND h.ended_at IS NULL AND (h.rests_until IS NULL OR h.rests_until <= $1)
				ORDER BY m.next_at, m.id LIMIT $2 FOR UPDATE OF m SKIP LOCKED),
			taken AS (UPDATE hook_message m SET tries = m.tries + 1, next_at = $3 FROM due WHERE m.school_id = due.school_id AND m.id = due.id
				RETURNING m.school_id, m.id, m.hook_id, due.url, due.salt, m.year, m.kind, m.student_id, m.detail, m.made_at, m.tries)
		SELECT * FROM taken ORDER BY made_at, id`, now, limit, until)
}

// MessageDone notes that a message has arrived.
func (q MessagesQueries) MessageDone(ctx context.Context, m *MessageRow, now time.Time) error {
	return q.exec(ctx, `WITH well AS (UPDATE hook SET fails = 0, rests_until = NULL WHERE school_id = $1 AND id = $3
		AND (fails > 0 OR rests_until IS NOT NULL))
		UPDATE hook_message SET state = 'arrived', fault = '', done_at = $4 WHERE school_id = $1 AND id = $2 AND state = 'waiting'`,
		m.School, m.ID, m.Hook, now)
}

// MessageFailed notes that a message did not arrive: it is sent again at a time, or (nil) given up. The
// system rests until a time.
func (q MessagesQueries) MessageFailed(ctx context.Context, m *MessageRow, fault string, again *time.Time, rests, now time.Time) error {
	return q.exec(ctx, `WITH ill AS (UPDATE hook SET fails = fails + 1, rests_until = $6 WHERE school_id = $1 AND id = $3)
		UPDATE hook_message SET fault = left($4, 100), state = CASE WHEN $5::timestamptz IS NULL THEN 'failed'
		ELSE 'waiting' END, next_at = coalesce($5, next_at), done_at = CASE WHEN $5::timestamptz IS NULL THEN $7::timestamptz END
		WHERE school_id = $1 AND id = $2 AND state = 'waiting'`, m.School, m.ID, m.Hook, fault, again, rests, now)
}

// LeaveMessage lets a message that was taken be as if it had not been.
func (q MessagesQueries) LeaveMessage(ctx context.Context, m *MessageRow, now time.Time) error {
	return q.exec(ctx, `UPDATE hook_message SET tries = tries - 1, next_at = $3 WHERE school_id = $1 AND id = $2 AND state = 'waiting'`,
		m.School, m.ID, now)
}
