package store

import (
	"context"
	"time"
)

// SectionPlan is what is planned of a course: how many sections (nil: as many as it takes), and whether it runs.
type SectionPlan struct {
	Course   string    `db:"course_code"`
	Sections *int      `db:"sections"`
	Runs     bool      `db:"runs"`
	Reason   string    `db:"reason"`
	By       string    `db:"by_name"`
	At       time.Time `db:"at"`
}

// SectionPlans lists what is planned, by course.
func (q ScheduleQueries) SectionPlans(ctx context.Context, school string, year int) (list []SectionPlan, err error) {
	return list, q.list(ctx, &list,
		`SELECT course_code, sections, runs, reason, by_name, at FROM section_plan WHERE school_id = $1 AND year = $2 ORDER BY course_code`,
		school, year)
}

// PlanSections plans a number of sections of a course; nil: as many as it takes.
func (q ScheduleQueries) PlanSections(ctx context.Context, school string, year int, p *SectionPlan) error {
	return q.exec(ctx, `INSERT INTO section_plan (school_id, year, course_code, sections, by_name, at) VALUES ($1, $2, $3, $4, $5, $6)
		ON CONFLICT (school_id, year, course_code) DO UPDATE SET sections = $4, by_name = CASE WHEN section_plan.runs THEN $5
		ELSE section_plan.by_name END`,
		school, year, p.Course, p.Sections, p.By, p.At)
}

// SetRuns records that a course does not run, with a reason, or that it does after all; false where it was so
// already. Everybody's sheet is looked at again.
func (q ScheduleQueries) SetRuns(ctx context.Context, school string, year int, p *SectionPlan) (bool, error) {
	n, err := q.changed(ctx,
		`INSERT INTO section_plan AS s (school_id, year, course_code, runs, reason, by_name, at) SELECT $1, $2, $3, $4, $5, $6, $7
			WHERE NOT $4 OR EXISTS (SELECT 1 FROM section_plan x WHERE (x.school_id, x.year, x.course_code) = ($1, $2, $3))
		ON CONFLICT (school_id, year, course_code) DO UPDATE SET runs = $4, reason = $5, by_name = $6, at = $7 WHERE s.runs <> $4`,
		school, year, p.Course, p.Runs, p.Reason, p.By, p.At)
	if err != nil || n == 0 {
		return false, err
	}
	return true, q.lookAnew(ctx, school, year)
}

// YearPlan is what a year's sections are planned by: how large they are, and how many periods teachers can
// give (nil: not known).
type YearPlan struct {
	Size    int  `db:"class_size"`
	Periods *int `db:"teaching_periods"`
	Clashes bool `db:"show_clashes"` // families are told which requests no choice of sections gives together
}

// YearPlan returns the plan of a year. The error is ErrNotFound.
func (q ScheduleQueries) YearPlan(ctx context.Context, school string, year int) (p YearPlan, err error) {
	return p, q.get(ctx, &p,
		`SELECT class_size, teaching_periods, show_clashes FROM school_year WHERE school_id = $1 AND year = $2`, school, year)
}

// SetYearPlan sets it. Where families are told something else, everybody's sheet is looked at again.
func (q ScheduleQueries) SetYearPlan(ctx context.Context, school string, year int, p YearPlan) error {
	return q.exec(ctx, `UPDATE school_year SET class_size = $3, teaching_periods = $4, roster_version = roster_version + CASE
		WHEN show_clashes = $5 THEN 0 ELSE 1 END, show_clashes = $5
		WHERE school_id = $1 AND year = $2`, school, year, p.Size, p.Periods, p.Clashes)
}

// RunTold is a student who is told that a course does not run, or runs after all, and what comes in for it;
// guardians are told too.
type RunTold struct {
	Student string `json:"student"`
	Instead string `json:"instead"` // a course; empty: nothing
}

// TellRunning writes to students and guardians that a course does not run, or (kind running) does after all.
func (q ScheduleQueries) TellRunning(ctx context.Context, school string, year int, kind, course, reason string,
	list []RunTold, now time.Time) error {
	return q.exec(ctx, `INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
		SELECT $1, $2::int, x.student, t.id, $3, $2::int || '/' || x.student || '/' || $4 || '/' || extract(epoch FROM $7::timestamptz)::text,
			jsonb_build_object('course', $4::text, 'instead', x.instead, 'message', $5::text), $7, $7
		FROM jsonb_to_recordset($6::jsonb) AS x(student text, instead text)
		JOIN LATERAL (SELECT x.student AS id UNION SELECT r.person_id FROM relation r WHERE r.school_id = $1
		AND r.student_id = x.student AND r.kind = 'guards') whom ON true
		JOIN person t ON t.school_id = $1 AND t.id = whom.id AND t.present AND t.enabled ON CONFLICT DO NOTHING`, school,
		year, kind, course, reason, asJSON(list), now)
}
