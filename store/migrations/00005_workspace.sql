-- +goose Up

-- A student's plan for later years, once somebody has worked on it here: an import then keeps it.
ALTER TABLE sheet ADD COLUMN plan_version bigint NOT NULL DEFAULT 0;

-- The summer round may have a window of its own, and is then handed in by itself: what was last handed in.
ALTER TABLE request_window ADD COLUMN round text NOT NULL DEFAULT 'year' CHECK (round IN ('year', 'summer'));
ALTER TABLE request_window DROP CONSTRAINT request_window_pkey;
ALTER TABLE request_window ADD PRIMARY KEY (school_id, year, round, grade, student_id);
ALTER TABLE sheet ADD COLUMN summer jsonb;

-- A recommendation, or the settling of an errand, that was taken back stays, and does not come back with the school's data.
ALTER TABLE signal DROP CONSTRAINT signal_settled_check;
ALTER TABLE signal DROP CONSTRAINT signal_check;
ALTER TABLE signal ADD CONSTRAINT signal_settled_check CHECK (settled IN ('', 'confirmed', 'waived', 'declined', 'withdrawn'));
ALTER TABLE signal ADD CONSTRAINT signal_check CHECK (settled = '' OR settled = 'withdrawn' AND kind IN ('recommendation', 'errand') OR settled <> 'withdrawn' AND kind = 'claim');
CREATE INDEX relation_teaches ON relation (school_id, person_id, year) WHERE kind = 'teaches';

-- A file that goes with a claim: a report, a certificate.
CREATE TABLE attachment (
    school_id text NOT NULL,
    signal_id bigint NOT NULL,
    name      text NOT NULL CHECK (length(name) BETWEEN 1 AND 200),
    kind      text NOT NULL CHECK (kind IN ('application/pdf', 'image/jpeg', 'image/png', 'image/heic', 'text/plain')),
    content   bytea NOT NULL CHECK (length(content) BETWEEN 1 AND 10485760),
    at        timestamptz NOT NULL,
    PRIMARY KEY (school_id, signal_id),
    FOREIGN KEY (school_id, signal_id) REFERENCES signal ON DELETE CASCADE
);
GRANT SELECT, INSERT, UPDATE, DELETE ON attachment TO rubricon_server;

-- Up to four sheets beside the real one, to try things on. None of them can be submitted.
CREATE TABLE draft (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    name       text NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    version    bigint NOT NULL DEFAULT 1,
    entries    jsonb NOT NULL,
    past       jsonb NOT NULL DEFAULT '[]', -- what the entries were, for undoing; the latest last
    future     jsonb NOT NULL DEFAULT '[]', -- what was undone
    changed_at timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, student_id, id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT, UPDATE, DELETE ON draft TO rubricon_server;

-- Secret addresses from which calendars read a student's errands; one for each account that wants one.
CREATE TABLE feed (
    token      text PRIMARY KEY, -- hashed
    account_id bigint NOT NULL REFERENCES account ON DELETE CASCADE,
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    language   text NOT NULL,
    made_at    timestamptz NOT NULL,
    UNIQUE (school_id, year, student_id, account_id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT, UPDATE, DELETE ON feed TO rubricon_server;

-- What is asked and said about a sheet, or one course or rule of it, with the school's answer.
CREATE TABLE remark (
    school_id   text NOT NULL,
    year        int NOT NULL,
    student_id  text NOT NULL,
    id          bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    kind        text NOT NULL CHECK (kind IN ('question', 'comment', 'wrong', 'later')),
    course_code text NOT NULL DEFAULT '',
    rule        text NOT NULL DEFAULT '',
    text        text NOT NULL CHECK (length(text) BETWEEN 1 AND 1000),
    by_name     text NOT NULL, -- as it was then
    at          timestamptz NOT NULL,
    answer      text NOT NULL DEFAULT '' CHECK (length(answer) <= 1000),
    answered_by text NOT NULL DEFAULT '',
    answered_at timestamptz,
    PRIMARY KEY (school_id, year, student_id, id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT, UPDATE, DELETE ON remark TO rubricon_server;

-- +goose Down
DROP TABLE remark;
DROP TABLE feed;
DROP TABLE draft;
DROP TABLE attachment;
DROP INDEX relation_teaches;
DELETE FROM signal WHERE settled = 'withdrawn';
ALTER TABLE signal DROP CONSTRAINT signal_settled_check;
ALTER TABLE signal DROP CONSTRAINT signal_check;
ALTER TABLE signal ADD CONSTRAINT signal_settled_check CHECK (settled IN ('', 'confirmed', 'waived', 'declined'));
ALTER TABLE signal ADD CONSTRAINT signal_check CHECK (settled = '' OR kind = 'claim');
ALTER TABLE sheet DROP COLUMN summer;
DELETE FROM request_window WHERE round = 'summer';
ALTER TABLE request_window DROP COLUMN round;
ALTER TABLE request_window ADD PRIMARY KEY (school_id, year, grade, student_id);
ALTER TABLE sheet DROP COLUMN plan_version;
