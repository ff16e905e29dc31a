-- +goose Up

-- By its rev a section is known to be as it was looked at.
ALTER TABLE section ADD COLUMN rev bigint NOT NULL GENERATED ALWAYS AS IDENTITY;

-- A run may try other sections than those of the master schedule; afterwards it is changed by hand and by placing anew.
ALTER TABLE placement_run ADD COLUMN tried jsonb NOT NULL DEFAULT '[]'; -- changes of sections
ALTER TABLE placement_run ADD COLUMN help_task bigint; -- the task that looks for what would help most
ALTER TABLE placement_run ADD COLUMN help_moves int; -- how many moves together it looks for
ALTER TABLE placement_run ADD COLUMN help_seconds int;
ALTER TABLE placement_run ADD COLUMN helps jsonb; -- what it has found; NULL: not yet
ALTER TABLE placement_run ADD CONSTRAINT placement_run_help FOREIGN KEY (school_id, help_task) REFERENCES task;
ALTER TABLE task DROP CONSTRAINT task_kind_check;
ALTER TABLE task ADD CONSTRAINT task_kind_check CHECK (kind IN ('import', 'export', 'place', 'help'));

-- What every later run keeps as it is: the seats of a student or of a section, a seat given by hand, or a course taken away by hand.
CREATE TABLE placement_hold (
    school_id text NOT NULL,
    year      int NOT NULL,
    kind      text NOT NULL CHECK (kind IN ('student', 'section', 'given', 'taken')),
    key       text NOT NULL, -- the student, the section, or student and course
    seats     jsonb NOT NULL, -- each with student, course and section, and of an alternate the request that it came in for
    reason    text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000),
    by_name   text NOT NULL,
    at        timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, kind, key),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);
GRANT SELECT, INSERT, UPDATE, DELETE ON placement_hold TO rubricon_server;

-- What was done to a run after it had ended; it is never rewritten.
CREATE TABLE placement_act (
    school_id  text NOT NULL,
    year       int NOT NULL,
    run_id     int NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    kind       text NOT NULL CHECK (kind IN ('give', 'take', 'anew')),
    student_id text NOT NULL,
    course     text NOT NULL DEFAULT '', -- give and take: which
    section    text NOT NULL DEFAULT '', -- give: which
    reason     text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000),
    was        jsonb NOT NULL, -- the sections given before
    now        jsonb NOT NULL, -- and after
    by_name    text NOT NULL,
    at         timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, run_id, id),
    FOREIGN KEY (school_id, year, run_id) REFERENCES placement_run
);
GRANT SELECT, INSERT ON placement_act TO rubricon_server;

-- +goose Down
DROP TABLE placement_act;
DROP TABLE placement_hold;
ALTER TABLE placement_run DROP CONSTRAINT placement_run_help;
ALTER TABLE placement_run DROP COLUMN helps, DROP COLUMN help_seconds, DROP COLUMN help_moves, DROP COLUMN help_task, DROP COLUMN tried;
DELETE FROM task WHERE kind = 'help';
ALTER TABLE task DROP CONSTRAINT task_kind_check;
ALTER TABLE task ADD CONSTRAINT task_kind_check CHECK (kind IN ('import', 'export', 'place'));
ALTER TABLE section DROP COLUMN rev;
