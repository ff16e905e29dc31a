package store

import (
	"context"
	"encoding/json"
	"time"
)

// RunRow is a run of the placement with how far its task is.
type RunRow struct {
	ID      int              `db:"id"`
	Task    int64            `db:"task_id"`
	Seed    int64            `db:"seed"`
	Seconds int              `db:"seconds"`
	By      string           `db:"by_name"`
	At      time.Time        `db:"at"`
	Curve   json.RawMessage  `db:"curve"`
	Found   *json.RawMessage `db:"found"`
	State   TaskState        `db:"state"`
	Step    string           `db:"step"`
	Done    int              `db:"done"`
	Total   int              `db:"total"`
	Stop    bool             `db:"stop"`
	Result  string           `db:"result"`
	Tried   json.RawMessage  `db:"tried"` // changes of the sections
	Helps   *json.RawMessage `db:"helps"` // what would help most
	Help    *int64           `db:"help_task"`
	Helping *TaskState       `db:"help_state"`
	Moves   *int             `db:"help_moves"` // of that task: at most so many together
	HelpFor *int             `db:"help_seconds"`
}

const runRows = `SELECT r.id, r.task_id, r.seed, r.seconds, r.by_name,
	r.at, r.curve, r.found, t.state, t.step, t.done, t.total, t.stop, t.result, r.tried, r.helps, r.help_task, r.help_moves, r.help_seconds,
		h.state AS help_state
	FROM placement_run r JOIN task t ON t.school_id = r.school_id AND t.id = r.task_id LEFT
	JOIN task h ON h.school_id = r.school_id AND h.id = r.help_task
	WHERE r.school_id = $1 AND r.year = $2`

// Runs lists the runs of a year, the newest first.
func (q ScheduleQueries) Runs(ctx context.Context, school string, year int) (list []RunRow, err error) {
	return list, q.list(ctx, &list, runRows+` ORDER BY r.id DESC`, school, year)
}

// RunOf returns the run of a task, or the one with an id. The error is ErrNotFound.
func (q ScheduleQueries) RunOf(ctx context.Context, school string, year int, id int, task int64) (row RunRow, err error) {
	return row, q.get(ctx, &row, runRows+` AND (r.id = $3 OR r.task_id = $4 OR r.help_task = $4)`, school, year, id, task)
}

// AddRun notes a run of a task, with the next number of the year; run it in a transaction.
func (q ScheduleQueries) AddRun(ctx context.Context, school string, year int, r *RunRow) (id int, err error) {
	return id, q.get(ctx, &id, `INSERT INTO placement_run (school_id, year, id, task_id, seed, seconds, by_name, at, tried)
		SELECT $1, $2, coalesce(max(id), 0) + 1, $3, $4, $5, $6, $7, $8::jsonb FROM placement_run WHERE school_id = $1
		AND year = $2 RETURNING id`,
		school, year, r.Task, r.Seed, r.Seconds, r.By, r.At, string(r.Tried))
}

// KeepCurve keeps how value and bound of a run have come on.
func (q ScheduleQueries) KeepCurve(ctx context.Context, school string, year, id int, curve any) error {
	return q.exec(ctx, `UPDATE placement_run SET curve = $4::jsonb WHERE school_id = $1 AND year = $2 AND id = $3`,
		school, year, id, asJSON(curve))
}

// SetHelpTask notes the task that looks for what would help a run most, with at most so many moves together
// and seconds.
func (q ScheduleQueries) SetHelpTask(ctx context.Context, school string, year, id int, task int64, moves, seconds int) error {
	return q.exec(ctx, `UPDATE placement_run SET help_task = $4, help_moves = $5, help_seconds = $6 WHERE school_id = $1
		AND year = $2 AND id = $3`,
		school, year, id, task, moves, seconds)
}

// KeepHelps keeps what would help a run most.
func (q ScheduleQueries) KeepHelps(ctx context.Context, school string, year, id int, helps any) error {
	return q.exec(ctx, `UPDATE placement_run SET helps = $4::jsonb WHERE school_id = $1 AND year = $2 AND id = $3`,
		school, year, id, asJSON(helps))
}

// GivenRow is what a run gives one student.
type GivenRow struct {
	Student    string          `db:"student_id" json:"student_id"`
	Submission int             `db:"submission" json:"submission"`
	Lot        int             `db:"lot" json:"lot"`
	Given      json.RawMessage `db:"given" json:"given"`
	Lacking    json.RawMessage `db:"lacking" json:"lacking"`
	Open       int             `db:"open" json:"open"`
}

// KeepFound keeps what a run has found, in the place of what it had found before.
func (q ScheduleQueries) KeepFound(ctx context.Context, school string, year, id int, found any, given []GivenRow) error {
	if err := q.exec(ctx, `DELETE FROM placement_given WHERE school_id = $1 AND year = $2 AND run_id = $3`, school, year, id); err != nil {
		return err
	}
	if err := q.exec(ctx, `INSERT INTO placement_given (school_id, year, run_id, student_id, submission, lot, given, lacking, open)
		SELECT $1, $2, $3, student_id, submission, lot, given, lacking, open
		FROM jsonb_to_recordset($4::jsonb) AS x(student_id text, submission int, lot int, given jsonb, lacking jsonb, open int)`,
		school, year, id, asJSON(given)); err != nil {
		return err
	}
	return q.exec(ctx, `UPDATE placement_run SET found = $4::jsonb WHERE school_id = $1 AND year = $2 AND id = $3`,
		school, year, id, asJSON(found))
}

// PlacedPupil is a student of a run by name.
type PlacedPupil struct {
	GivenRow
	Name  string `db:"name"`
	Grade int    `db:"grade"`
}

const placedPupil = `SELECT g.student_id, g.submission, g.lot,
	g.given, g.lacking, g.open, p.given_name || ' ' || p.family_name AS name, sh.grade FROM placement_given g
	JOIN person p ON p.school_id = g.school_id AND p.id = g.student_id
	JOIN sheet sh ON (sh.school_id, sh.year, sh.student_id) = (g.school_id, g.year, g.student_id)
	WHERE g.school_id = $1 AND g.year = $2 AND g.run_id = $3`

// Lacking lists the students of a run who lack something: first those with nothing in its place.
func (q ScheduleQueries) Lacking(ctx context.Context, school string, year, run, most int) (list []PlacedPupil, err error) {
	return list, q.list(ctx, &list, placedPupil+
		` AND g.lacking <> '[]' ORDER BY g.open DESC, p.family_name, p.given_name, p.id LIMIT $4`, school, year, run, most)
}

// Placed returns what a run gives one student. The error is ErrNotFound.
func (q ScheduleQueries) Placed(ctx context.Context, school string, year, run int, student string) (row PlacedPupil, err error) {
	return row, q.get(ctx, &row, placedPupil+` AND g.student_id = $4`, school, year, run, student)
}

// AllGiven lists what a run gives, by student.
func (q ScheduleQueries) AllGiven(ctx context.Context, school string, year, run int) (list []GivenRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT student_id, submission, lot, given, lacking, open FROM placement_given WHERE school_id = $1 AND year = $2
			AND run_id = $3 ORDER BY student_id`,
		school, year, run)
}

// ReadyRow is a submission that stands, with how far it has come.
type ReadyRow struct {
	Student    string `db:"student_id"`
	GivenName  string `db:"given_name"`
	FamilyName string `db:"family_name"`
	Grade      int    `db:"grade"`
	Version    int64  `db:"version"`
	Submission int    `db:"submission"`
	Stood      string `db:"stood"`    // submitted, signed or cleared; of one that is placed, before it was
	InRun      bool   `db:"in_run"`   // this very submission is in the run
	Complete   bool   `db:"complete"` // the run gives every request, or an alternate for it
}

// Ready lists the submissions of a year that stand, of a grade (-1: all), by name, and how they are in a run (0: none).
func (q ScheduleQueries) Ready(ctx context.Context, school string, year, run, grade int) (list []ReadyRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT sh.student_id, p.given_name, p.family_name, sh.grade, sh.version, sh.submission, coalesce(sh.placed->>'was', sh.state) AS stood,
			g.student_id IS NOT NULL AS in_run, g.student_id IS NOT NULL AND NOT EXISTS (SELECT 1
			FROM jsonb_array_elements(g.lacking) l WHERE coalesce(l->>'instead', '') = '') AS complete
		FROM sheet sh JOIN person p ON p.school_id = sh.school_id AND p.id = sh.student_id
			LEFT JOIN placement_given g ON (g.school_id, g.year, g.student_id,
			g.submission, g.run_id) = (sh.school_id, sh.year, sh.student_id, sh.submission, $3)
		WHERE sh.school_id = $1 AND sh.year = $2 AND sh.submission > 0
		AND sh.state IN ('submitted', 'signed', 'cleared', 'placed') AND p.present AND ($4 = -1 OR sh.grade = $4)
		ORDER BY p.family_name, p.given_name, p.id`, school, year, run, grade)
}

// ToPlaceRow is a student's sheet with what it is placed by: State is the one in which it is placed, empty where
// nothing stands submitted.
type ToPlaceRow struct{ SheetRow }

// ToPlace lists the sheets of all students of a year, in the order of the school's data, with what is submitted.
func (q ScheduleQueries) ToPlace(ctx context.Context, school string, year int) (list []ToPlaceRow, err error) {
	return list, q.list(ctx, &list,
		`SELECT sh.school_id, sh.year, sh.student_id, sh.facts_version, sh.grade, sh.programs, sh.submission, sh.summer,
			CASE WHEN sh.state IN ('submitted', 'signed', 'cleared', 'placed') THEN coalesce(sh.placed->>'was', sh.state) ELSE '' END AS state,
			coalesce(sub.entries, '[]') AS submitted
		FROM `+sheetTables+` JOIN person p ON p.school_id = sh.school_id AND p.id = sh.student_id
		WHERE sh.school_id = $1 AND sh.year = $2 AND p.present AND p.role = 'student'
		ORDER BY p.ord`, school, year)
}

// Publication is what families were shown of a run.
type Publication struct {
	ID     int64      `db:"id"`
	Run    int        `db:"run_id"`
	Grade  int        `db:"grade"` // -1: all
	Sheets int        `db:"sheets"`
	By     string     `db:"by_name"`
	At     time.Time  `db:"at"`
	BackAt *time.Time `db:"back_at"`
	BackBy string     `db:"back_by"`
	Reason string     `db:"reason"`
}

// Publications lists them, the newest first.
func (q ScheduleQueries) Publications(ctx context.Context, school string, year int) (list []Publication, err error) {
	return list, q.list(ctx, &list,
		`SELECT id, run_id, grade, sheets, by_name, at, back_at, back_by, reason FROM publication WHERE school_id = $1
			AND year = $2 ORDER BY id DESC`,
		school, year)
}

// Publish shows families what a run gives them: in one statement for all sheets of a grade (-1: all) whose
// submission is the one that was placed, with the event and, where wanted, a mail each. It tells which
// sheets; run it in a transaction.
func (q ScheduleQueries) Publish(ctx context.Context, school string, year, run, grade int, by Actor, at time.Time,
	post bool) (sheets []ShownSheet, err error) {
	err = q.list(ctx, &sheets, `WITH who AS (
			SELECT sh.student_id, sh.version + 1 AS version, sh.state AS was, g.given, g.lacking FROM sheet sh
				JOIN placement_given g ON (g.school_id, g.year, g.student_id, g.submission) = (sh.school_id, sh.year, sh.student_id, sh.submission)
			WHERE sh.school_id = $1 AND sh.year = $2 AND g.run_id = $3 AND ($4 = -1 OR sh.grade = $4)
			AND sh.state IN ('submitted', 'signed', 'cleared', 'placed')
			ORDER BY sh.student_id FOR UPDATE OF sh),
		shown AS (UPDATE sheet sh SET version = who.version, touched = true,
		state = 'placed', placed = jsonb_build_object('run', $3::int, 'at', $7::timestamptz, 'given', who.given, 'lacking', who.lacking,
				'was', CASE WHEN who.was = 'placed' THEN sh.placed->>'was' ELSE who.was END)
			FROM who WHERE sh.school_id = $1 AND sh.year = $2 AND sh.student_id = who.student_id),
		noted AS (INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, detail)
			SELECT $1, $2, student_id, version, $7, $5, $6, 'placed', '', '', jsonb_build_object('run', $3::int) FROM who),
		told AS (INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
			SELECT $1, $2, who.student_id, t.id, 'placed', $2::int || '/' || who.student_id || '/' || who.version, '{}', $7, $7 FROM who
				JOIN LATERAL (SELECT who.student_id AS id UNION SELECT r.person_id FROM relation r WHERE r.school_id = $1
				AND r.student_id = who.student_id AND r.kind = 'guards') whom ON true
				JOIN person t ON t.school_id = $1 AND t.id = whom.id AND t.present AND t.enabled WHERE $8 ON CONFLICT DO NOTHING)
		SELECT student_id, version FROM who`, school, year, run, grade, by.ID, by.Name, at, post)
	if err != nil || len(sheets) == 0 {
		return sheets, err
	}
	return sheets, q.exec(ctx,
		`INSERT INTO publication (school_id, year, run_id, grade, sheets, by_name, at) VALUES ($1, $2, $3, $4, $5, $6, $7)`,
		school, year, run, grade, len(sheets), by.Name, at)
}

// ShownSheet is a sheet whose family was shown something, in its new version.
type ShownSheet struct {
	Student string `db:"student_id"`
	Version int64  `db:"version"`
}

// Unpublish takes a publication back, with a reason: the sheets that it has shown are as they were before. It
// tells which; done is false where there is none that stands.
func (q ScheduleQueries) Unpublish(ctx context.Context, school string, year int, id int64, by Actor, reason string,
	at time.Time, post bool) (sheets []ShownSheet, done bool, err error) {
	n, err := q.changed(ctx,
		`UPDATE publication SET back_at = $4, back_by = $5, reason = $6 WHERE school_id = $1 AND year = $2 AND id = $3 AND back_at IS NULL`,
		school, year, id, at, by.Name, reason)
	if err != nil || n == 0 {
		return nil, false, err
	}
	return sheets, true, q.list(ctx, &sheets, `WITH who AS (
			SELECT sh.student_id, sh.version + 1 AS version FROM sheet sh JOIN publication u ON u.school_id = sh.school_id
			AND u.year = sh.year AND u.id = $3
			WHERE sh.school_id = $1 AND sh.year = $2 AND sh.state = 'placed' AND (u.grade = -1 OR sh.grade = u.grade)
			AND (sh.placed->>'run')::int = u.run_id ORDER BY sh.student_id FOR UPDATE OF sh),
		back AS (UPDATE sheet sh SET version = who.version, state = sh.placed->>'was', placed = NULL FROM who
		WHERE sh.school_id = $1 AND sh.year = $2 AND sh.student_id = who.student_id),
		noted AS (INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, detail)
			SELECT $1, $2, student_id, version, $4, $5, $6, 'unplaced', $7, '', '{}' FROM who),
		told AS (INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
			SELECT $1, $2, who.student_id, t.id, 'unplaced', $2::int || '/' || who.student_id || '/' || who.version,
			jsonb_build_object('message', $7::text), $4, $4 FROM who
				JOIN LATERAL (SELECT who.student_id AS id UNION SELECT r.person_id FROM relation r WHERE r.school_id = $1
				AND r.student_id = who.student_id AND r.kind = 'guards') whom ON true
				JOIN person t ON t.school_id = $1 AND t.id = whom.id AND t.present AND t.enabled WHERE $8 ON CONFLICT DO NOTHING)
		SELECT student_id, version FROM who`, school, year, id, at, by.ID, by.Name, reason, post)
}

// PlacedState returns a digest of everything that decides what has changed since a run, and changes when any of that does. The
// roster's version stands for people, sections and courses that do not run. It costs a few milliseconds; reading everything costs
// a second at 1,200 students.
func (q ScheduleQueries) PlacedState(ctx context.Context, school string, year, run int) (state string, err error) {
	return state, q.get(ctx, &state, `SELECT md5(concat_ws('|', y.catalog_version, y.policy_version, y.roster_version,
			(SELECT string_agg(concat_ws(' ', s.student_id, s.version, s.facts_version), ',' ORDER BY s.student_id)
				FROM sheet s WHERE s.school_id = $1 AND s.year = $2),
			(SELECT string_agg(concat_ws(' ', e.id, e.begins, e.ends, e.placed), ',' ORDER BY e.id)
				FROM enrollment e WHERE e.school_id = $1 AND e.year = $2),
			(SELECT string_agg(concat_ws(' ', h.kind, h.key, h.at), ',' ORDER BY h.kind, h.key)
				FROM placement_hold h WHERE h.school_id = $1 AND h.year = $2),
			(SELECT md5(r.found::text) FROM placement_run r WHERE r.school_id = $1 AND r.year = $2 AND r.id = $3)))
		FROM school_year y WHERE y.school_id = $1 AND y.year = $2`, school, year, run)
}
