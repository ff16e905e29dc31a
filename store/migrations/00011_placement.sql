-- +goose Up

-- How many sections of a course are planned, and whether it runs at all.
CREATE TABLE section_plan (
    school_id   text NOT NULL,
    year        int NOT NULL,
    course_code text NOT NULL CHECK (course_code <> ''),
    sections    int CHECK (sections BETWEEN 0 AND 1000), -- NULL: as many as it takes
    runs        boolean NOT NULL DEFAULT true,
    reason      text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000), -- why it does not
    by_name     text NOT NULL,
    at          timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, course_code),
    FOREIGN KEY (school_id, year) REFERENCES school_year,
    CHECK (runs = (reason = ''))
);
GRANT SELECT, INSERT, UPDATE, DELETE ON section_plan TO rubricon_server;
ALTER TABLE school_year ADD COLUMN class_size int NOT NULL DEFAULT 24 CHECK (class_size BETWEEN 1 AND 1000);
ALTER TABLE school_year ADD COLUMN teaching_periods int CHECK (teaching_periods BETWEEN 0 AND 100000); -- that teachers can give in a year; NULL: not known
ALTER TABLE school_year ADD COLUMN show_clashes boolean NOT NULL DEFAULT true; -- families are told which requests no choice of sections gives together

-- A run of the placement, with what it has found; the task says how far it is.
ALTER TABLE task DROP CONSTRAINT task_kind_check;
ALTER TABLE task ADD CONSTRAINT task_kind_check CHECK (kind IN ('import', 'export', 'place'));
CREATE TABLE placement_run (
    school_id text NOT NULL,
    year      int NOT NULL,
    id        int NOT NULL, -- from 1: A, B, C…
    task_id   bigint NOT NULL,
    seed      bigint NOT NULL,
    seconds   int NOT NULL,
    by_name   text NOT NULL,
    at        timestamptz NOT NULL,
    curve     jsonb NOT NULL DEFAULT '[]', -- of value and bound over time
    found     jsonb, -- the summary; NULL: not yet
    PRIMARY KEY (school_id, year, id),
    UNIQUE (school_id, task_id),
    FOREIGN KEY (school_id, year) REFERENCES school_year,
    FOREIGN KEY (school_id, task_id) REFERENCES task
);
CREATE TABLE placement_given (
    school_id  text NOT NULL,
    year       int NOT NULL,
    run_id     int NOT NULL,
    student_id text NOT NULL,
    submission int NOT NULL, -- the one that was placed
    lot        int NOT NULL, -- the place in the lottery, from 1
    given      jsonb NOT NULL, -- the sections, with where and when they are
    lacking    jsonb NOT NULL, -- the requests not given, each with why and what came in
    open       int NOT NULL, -- of those, how many have nothing in their place
    PRIMARY KEY (school_id, year, run_id, student_id),
    FOREIGN KEY (school_id, year, run_id) REFERENCES placement_run ON DELETE CASCADE,
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT, UPDATE, DELETE ON placement_run, placement_given TO rubricon_server;

-- What families were shown of a run, by grade; and what the sheet was before.
CREATE TABLE publication (
    school_id  text NOT NULL,
    year       int NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    run_id     int NOT NULL,
    grade      int NOT NULL, -- -1: all
    sheets     int NOT NULL,
    by_name    text NOT NULL,
    at         timestamptz NOT NULL,
    back_at    timestamptz, -- when it was taken back
    back_by    text NOT NULL DEFAULT '',
    reason     text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000),
    PRIMARY KEY (school_id, year, id),
    FOREIGN KEY (school_id, year, run_id) REFERENCES placement_run
);
GRANT SELECT, INSERT ON publication TO rubricon_server;
GRANT UPDATE (back_at, back_by, reason) ON publication TO rubricon_server;
ALTER TABLE sheet ADD COLUMN placed jsonb; -- what was published of it: run, at, given, lacking, and the state before

ALTER TABLE letter DROP CONSTRAINT letter_kind_check;
ALTER TABLE letter ADD CONSTRAINT letter_kind_check CHECK (kind IN ('opens', 'reminder', 'submitted', 'sign', 'asked', 'sentBack', 'decided', 'cleared', 'placed', 'unplaced', 'notRunning', 'running', 'password', 'code'));

-- +goose Down
DELETE FROM letter WHERE kind IN ('unplaced', 'notRunning', 'running');
ALTER TABLE letter DROP CONSTRAINT letter_kind_check;
ALTER TABLE letter ADD CONSTRAINT letter_kind_check CHECK (kind IN ('opens', 'reminder', 'submitted', 'sign', 'asked', 'sentBack', 'decided', 'cleared', 'placed', 'password', 'code'));
ALTER TABLE sheet DROP COLUMN placed;
DROP TABLE publication;
DROP TABLE placement_given;
DROP TABLE placement_run;
DELETE FROM task WHERE kind = 'place';
ALTER TABLE task DROP CONSTRAINT task_kind_check;
ALTER TABLE task ADD CONSTRAINT task_kind_check CHECK (kind IN ('import', 'export'));
ALTER TABLE school_year DROP COLUMN show_clashes, DROP COLUMN teaching_periods, DROP COLUMN class_size;
DROP TABLE section_plan;
