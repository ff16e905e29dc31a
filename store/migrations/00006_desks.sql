-- +goose Up

-- When the family asked, when something was said here, and whether the family has begun: what the school prepares is not a beginning.
ALTER TABLE sheet ADD COLUMN asked_at timestamptz;
ALTER TABLE sheet ADD COLUMN about jsonb NOT NULL DEFAULT '[]'; -- the courses that the message of a sheet sent back is about
ALTER TABLE sheet ADD COLUMN begun boolean NOT NULL DEFAULT false;
ALTER TABLE sheet ADD COLUMN reminded_at timestamptz; -- the latest reminder; it is no change of the sheet
UPDATE sheet SET begun = touched;

-- Which course a section is of, and its seats, as they were read with the schedule.
ALTER TABLE section ADD COLUMN course_code text NOT NULL DEFAULT '';
ALTER TABLE section ADD COLUMN seats int NOT NULL DEFAULT 0 CHECK (seats >= 0);

-- What the school does with many sheets at once, or with one, and can take back as one. Its sheets are those that it was done to.
CREATE TABLE batch (
    school_id  text NOT NULL,
    year       int NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    kind       text NOT NULL CHECK (kind IN ('clear', 'sendBack', 'remind', 'assign', 'takeOff', 'exempt', 'permit', 'place', 'waive', 'record')),
    detail     jsonb NOT NULL,
    reason     text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000),
    person_id  text NOT NULL,
    by_name    text NOT NULL, -- as it was then
    at         timestamptz NOT NULL,
    back_by    text NOT NULL DEFAULT '',
    back_at    timestamptz,
    PRIMARY KEY (school_id, year, id),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);
CREATE TABLE batch_sheet (
    school_id  text NOT NULL,
    year       int NOT NULL,
    batch_id   bigint NOT NULL,
    student_id text NOT NULL,
    version    bigint NOT NULL, -- of the sheet afterwards
    came       jsonb NOT NULL DEFAULT '[]', -- the entries that are new or different
    gone       jsonb NOT NULL DEFAULT '[]', -- what they were before
    unsaid     jsonb NOT NULL DEFAULT '[]', -- the signals that were withdrawn
    was        text NOT NULL DEFAULT '', -- the state before
    back       boolean NOT NULL DEFAULT false, -- it was taken back
    PRIMARY KEY (school_id, year, batch_id, student_id),
    FOREIGN KEY (school_id, year, batch_id) REFERENCES batch,
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
CREATE INDEX batch_sheet_student ON batch_sheet (school_id, year, student_id);
GRANT SELECT, INSERT, UPDATE ON batch, batch_sheet TO rubricon_server;
GRANT DELETE ON batch TO rubricon_server; -- one that was done to no sheet

-- What such an act said of a student; taken back, it stays, and does not come back with the school's data.
ALTER TABLE signal ADD COLUMN batch_id bigint;
ALTER TABLE record ADD COLUMN batch_id bigint; -- that entered it
ALTER TABLE record ADD COLUMN replaced bigint; -- the batch that has put another in its place: it counts no longer
ALTER TABLE signal DROP CONSTRAINT signal_check;
ALTER TABLE signal ADD CONSTRAINT signal_check CHECK (settled = '' OR settled = 'withdrawn' AND kind <> 'claim' OR settled <> 'withdrawn' AND kind = 'claim');

-- A password that the office gives is for one sign-in: its owner chooses another then.
ALTER TABLE account_password ADD COLUMN once boolean NOT NULL DEFAULT false;

-- What the office does with people: rights that it gives and takes, and one-time passwords.
CREATE TABLE office_event (
    school_id  text NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    at         timestamptz NOT NULL,
    by_name    text NOT NULL, -- as it was then
    kind       text NOT NULL CHECK (kind IN ('code', 'give', 'take', 'window', 'noWindow')),
    person_id  text, -- whom it concerns; none: about says what
    about      text NOT NULL DEFAULT '',
    reason     text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000),
    PRIMARY KEY (school_id, id),
    FOREIGN KEY (school_id, person_id) REFERENCES person
);
GRANT SELECT, INSERT ON office_event TO rubricon_server;

-- Who has put a version of the rules or the catalog in force here, and why; empty: it came with the school's data.
ALTER TABLE policy ADD COLUMN by_name text NOT NULL DEFAULT '';
ALTER TABLE policy ADD COLUMN reason text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000);
ALTER TABLE catalog ADD COLUMN by_name text NOT NULL DEFAULT '';
ALTER TABLE catalog ADD COLUMN reason text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000);

-- An intake may leave out its bad rows; what they are, and what was there before, is kept with it.
ALTER TABLE task ADD COLUMN leave_out boolean NOT NULL DEFAULT false;
ALTER TABLE task_file ADD COLUMN bad bytea;
ALTER TABLE task_file ADD COLUMN before bytea;

-- What a student and the family are reminded of: never more than once a day of the same.
CREATE TABLE reminder (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    about      text NOT NULL CHECK (length(about) BETWEEN 1 AND 40), -- a reason of core/caseload
    day        date NOT NULL, -- in the school's time zone
    text       text NOT NULL CHECK (length(text) <= 1000), -- the school's own words beside
    by_name    text NOT NULL,
    at         timestamptz NOT NULL,
    batch_id   bigint NOT NULL,
    PRIMARY KEY (school_id, year, student_id, about, day),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT, DELETE ON reminder TO rubricon_server;

-- A view of the caseload that somebody keeps by name.
CREATE TABLE saved_view (
    school_id text NOT NULL,
    person_id text NOT NULL,
    name      text NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    filter    jsonb NOT NULL,
    at        timestamptz NOT NULL,
    PRIMARY KEY (school_id, person_id, name),
    FOREIGN KEY (school_id, person_id) REFERENCES person
);
GRANT SELECT, INSERT, UPDATE, DELETE ON saved_view TO rubricon_server;

-- +goose Down
DROP TABLE saved_view;
DROP TABLE reminder;
DROP TABLE office_event;
ALTER TABLE account_password DROP COLUMN once;
ALTER TABLE catalog DROP COLUMN reason;
ALTER TABLE catalog DROP COLUMN by_name;
ALTER TABLE policy DROP COLUMN reason;
ALTER TABLE policy DROP COLUMN by_name;
ALTER TABLE task_file DROP COLUMN before;
ALTER TABLE task_file DROP COLUMN bad;
ALTER TABLE task DROP COLUMN leave_out;
DELETE FROM signal WHERE settled = 'withdrawn' AND kind NOT IN ('recommendation', 'errand');
ALTER TABLE signal DROP CONSTRAINT signal_check;
ALTER TABLE signal ADD CONSTRAINT signal_check CHECK (settled = '' OR settled = 'withdrawn' AND kind IN ('recommendation', 'errand') OR settled <> 'withdrawn' AND kind = 'claim');
ALTER TABLE signal DROP COLUMN batch_id;
DELETE FROM record WHERE replaced IS NOT NULL;
ALTER TABLE record DROP COLUMN replaced;
ALTER TABLE record DROP COLUMN batch_id;
DROP TABLE batch_sheet;
DROP TABLE batch;
ALTER TABLE section DROP COLUMN seats;
ALTER TABLE section DROP COLUMN course_code;
ALTER TABLE sheet DROP COLUMN reminded_at;
ALTER TABLE sheet DROP COLUMN begun;
ALTER TABLE sheet DROP COLUMN about;
ALTER TABLE sheet DROP COLUMN asked_at;
