-- +goose Up
-- Every table of a school carries school_id, and every query is by it. What belongs to one school year carries the calendar year in
-- which that begins. Credits, marks and fees are whole hundredths.

-- Accounts: who signs in. An account leads to persons in schools; passwords, devices and external identities are its own.
CREATE TABLE account (
    id       bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY,
    username text NOT NULL UNIQUE CHECK (length(username) BETWEEN 1 AND 200)
);

CREATE TABLE account_password (
    account_id bigint PRIMARY KEY REFERENCES account ON DELETE CASCADE,
    hash       text NOT NULL, -- PHC string, argon2id
    set_at     timestamptz NOT NULL
);

CREATE TABLE account_identity (
    issuer     text NOT NULL,
    subject    text NOT NULL,
    account_id bigint NOT NULL REFERENCES account ON DELETE CASCADE,
    PRIMARY KEY (issuer, subject)
);

-- Devices that have signed in before: others' failures do not lock them out.
CREATE TABLE account_device (
    account_id bigint NOT NULL REFERENCES account ON DELETE CASCADE,
    token      text NOT NULL, -- hashed
    seen_at    timestamptz NOT NULL,
    PRIMARY KEY (account_id, token)
);

CREATE TABLE session (
    token      text PRIMARY KEY, -- hashed
    account_id bigint REFERENCES account ON DELETE CASCADE,
    data       bytea NOT NULL,
    begun_at   timestamptz NOT NULL DEFAULT now(),
    seen_at    timestamptz NOT NULL DEFAULT now(),
    agent      text NOT NULL DEFAULT '',
    expiry     timestamptz NOT NULL
);
CREATE INDEX session_expiry ON session (expiry);
CREATE INDEX session_account ON session (account_id);

-- Failed sign-ins by account, address and device: a level that rises with each and falls with time.
CREATE TABLE sign_in_pressure (
    key   text PRIMARY KEY,
    level double precision NOT NULL CHECK (level >= 0),
    at    timestamptz NOT NULL,
    until timestamptz NOT NULL -- the next attempt may come then
);

CREATE TABLE school (
    id   text PRIMARY KEY CHECK (id <> ''),
    name text NOT NULL
);

CREATE TABLE school_year (
    school_id       text NOT NULL REFERENCES school,
    year            int NOT NULL CHECK (year BETWEEN 1900 AND 9999),
    catalog_version bigint NOT NULL DEFAULT 0,
    policy_version  bigint NOT NULL DEFAULT 0,
    roster_version  bigint NOT NULL DEFAULT 1, -- rises with people, relations and windows
    PRIMARY KEY (school_id, year)
);

-- Versions of the catalog and of the policy; each is written once.
CREATE TABLE catalog (
    school_id text NOT NULL,
    year      int NOT NULL,
    version   bigint NOT NULL,
    files     jsonb NOT NULL, -- the files it is compiled from: name → header and rows
    at        timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, version),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);

CREATE TABLE policy (
    school_id text NOT NULL,
    year      int NOT NULL,
    version   bigint NOT NULL,
    text      text NOT NULL,
    at        timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, version),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);

-- The codes that a catalog of the year has, or had.
CREATE TABLE course (
    school_id text NOT NULL,
    year      int NOT NULL,
    code      text NOT NULL CHECK (code <> '' AND code !~ '[\x01-\x1f]'),
    PRIMARY KEY (school_id, year, code),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);

-- The headers of the files of a year's bundle whose rows live in other tables, so that unknown columns survive a round trip.
CREATE TABLE bundle_header (
    school_id text NOT NULL,
    year      int NOT NULL,
    name      text NOT NULL,
    header    jsonb NOT NULL,
    PRIMARY KEY (school_id, year, name),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);

CREATE TABLE section (
    school_id text NOT NULL,
    year      int NOT NULL,
    id        text NOT NULL,
    ord       int NOT NULL,
    cells     jsonb NOT NULL,
    PRIMARY KEY (school_id, year, id),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);

CREATE TABLE person (
    school_id   text NOT NULL REFERENCES school,
    id          text NOT NULL CHECK (id <> ''),
    ord         int NOT NULL,
    role        text NOT NULL CHECK (role IN ('student', 'guardian', 'parent', 'relative', 'teacher', 'administrator', 'aide', 'proctor')),
    present     boolean NOT NULL DEFAULT true, -- the school's data still names the person
    enabled     boolean NOT NULL,
    username    text NOT NULL,
    account_id  bigint REFERENCES account ON DELETE SET NULL,
    given_name  text NOT NULL,
    family_name text NOT NULL,
    language    text NOT NULL DEFAULT '',
    cells       jsonb NOT NULL,
    PRIMARY KEY (school_id, id),
    CONSTRAINT person_account UNIQUE (school_id, account_id) DEFERRABLE INITIALLY DEFERRED
);
CREATE INDEX person_by_account ON person (account_id);

-- What a person is to a student or to the school, and where that comes from.
CREATE TABLE relation (
    school_id   text NOT NULL,
    id          bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    kind        text NOT NULL CHECK (kind IN ('counsels', 'guards', 'teaches', 'administers')),
    person_id   text NOT NULL,
    student_id  text,
    year        int,
    course_code text,
    source      text NOT NULL CHECK (source IN ('import', 'office')),
    PRIMARY KEY (school_id, id),
    UNIQUE NULLS NOT DISTINCT (school_id, kind, person_id, student_id, year, course_code),
    FOREIGN KEY (school_id, person_id) REFERENCES person,
    FOREIGN KEY (school_id, student_id) REFERENCES person,
    CHECK ((kind = 'administers') = (student_id IS NULL)),
    CHECK ((kind IN ('counsels', 'teaches')) = (year IS NOT NULL)),
    CHECK ((kind = 'teaches') = (course_code IS NOT NULL))
);
CREATE INDEX relation_student ON relation (school_id, student_id, kind);

CREATE TABLE record (
    school_id   text NOT NULL,
    id          bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    student_id  text NOT NULL,
    ord         int NOT NULL, -- the order of the file; rows entered here come last
    course_code text NOT NULL,
    title       text NOT NULL,
    subjects    jsonb NOT NULL,
    start_year  int NOT NULL,
    term        text NOT NULL,
    credits     bigint NOT NULL CHECK (credits >= 0),
    mark        int CHECK (mark BETWEEN 0 AND 10000),
    outcome     text NOT NULL CHECK (outcome IN ('earned', 'inProgress', 'failed', 'withdrawn', 'transfer')),
    here        boolean NOT NULL DEFAULT false, -- entered here, not imported: an import keeps it
    cells       jsonb NOT NULL,
    PRIMARY KEY (school_id, id),
    FOREIGN KEY (school_id, student_id) REFERENCES person
);
CREATE INDEX record_student ON record (school_id, student_id);

CREATE TABLE signal (
    school_id   text NOT NULL,
    id          bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    student_id  text NOT NULL,
    year        int, -- of the bundle it came with; none: entered here, for good
    ord         int NOT NULL,
    kind        text NOT NULL CHECK (kind IN ('recommendation', 'placement', 'score', 'permission', 'waiver', 'assignment', 'claim', 'exemption')),
    course_code text NOT NULL,
    name        text NOT NULL,
    value       bigint NOT NULL,
    said_by     text NOT NULL,
    note        text NOT NULL,
    settled     text NOT NULL DEFAULT '' CHECK (settled IN ('', 'confirmed', 'waived', 'declined')), -- what became of a claim
    cells       jsonb NOT NULL,
    PRIMARY KEY (school_id, id),
    FOREIGN KEY (school_id, student_id) REFERENCES person,
    CHECK (settled = '' OR kind = 'claim')
);
CREATE INDEX signal_student ON signal (school_id, student_id);

CREATE TABLE sheet (
    school_id      text NOT NULL,
    year           int NOT NULL,
    student_id     text NOT NULL,
    grade          int NOT NULL, -- the one entered
    programs       jsonb NOT NULL DEFAULT '[]',
    version        bigint NOT NULL DEFAULT 1,
    facts_version  bigint NOT NULL DEFAULT 1, -- rises with the student's records and signals
    touched        boolean NOT NULL DEFAULT false, -- somebody has worked on it here: an import keeps it
    state          text NOT NULL DEFAULT 'inProgress' CHECK (state IN ('inProgress', 'sentBack', 'submitted', 'signed', 'cleared', 'placed')),
    submission     int NOT NULL DEFAULT 0 CHECK (submission >= 0), -- the number of the one that stands; 0: none
    changed_at     timestamptz,
    cleared_at     timestamptz,
    message        text NOT NULL DEFAULT '', -- why it was sent back
    asked          text NOT NULL DEFAULT '', -- what the family asks to change
    looked         jsonb, -- the entries to which a counselor has agreed
    undoable       int NOT NULL DEFAULT 0 CHECK (undoable >= 0), -- how many changes can be undone
    facts_digest   text NOT NULL DEFAULT '', -- of the imported records and signals
    entries_digest text NOT NULL DEFAULT '', -- of the imported entries
    PRIMARY KEY (school_id, year, student_id),
    FOREIGN KEY (school_id, student_id) REFERENCES person,
    FOREIGN KEY (school_id, year) REFERENCES school_year,
    CHECK (submission > 0 OR state NOT IN ('submitted', 'signed', 'cleared'))
) WITH (fillfactor = 70);

CREATE TABLE entry (
    school_id   text NOT NULL,
    year        int NOT NULL,
    student_id  text NOT NULL,
    course_code text NOT NULL,
    kind        text NOT NULL CHECK (kind IN ('request', 'alternate')),
    rank        int NOT NULL CHECK (rank >= 1),
    ord         int NOT NULL, -- among equal ranks
    stands_for  text,
    cells       jsonb NOT NULL DEFAULT '{}',
    PRIMARY KEY (school_id, year, student_id, course_code),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet,
    FOREIGN KEY (school_id, year, course_code) REFERENCES course,
    FOREIGN KEY (school_id, year, stands_for) REFERENCES course,
    CHECK (stands_for IS NULL OR kind = 'alternate')
);
CREATE INDEX entry_course ON entry (school_id, year, course_code);

CREATE SEQUENCE receipt_number START 1001;

-- What was submitted, once and for all: signatures, clearance, export and placement refer to it.
CREATE TABLE submission (
    school_id       text NOT NULL,
    year            int NOT NULL,
    student_id      text NOT NULL,
    number          int NOT NULL CHECK (number >= 1),
    receipt         text NOT NULL CHECK (receipt <> ''),
    at              timestamptz NOT NULL,
    actor           text NOT NULL,
    actor_name      text NOT NULL,
    catalog_version bigint NOT NULL,
    policy_version  bigint NOT NULL,
    entries         jsonb NOT NULL,
    judgement       jsonb NOT NULL,
    PRIMARY KEY (school_id, year, student_id, number),
    UNIQUE (school_id, receipt),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);

CREATE TABLE signature (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    number     int NOT NULL,
    person_id  text NOT NULL,
    name       text NOT NULL, -- as it was then
    at         timestamptz NOT NULL,
    for_family boolean NOT NULL, -- by somebody of the school, for example from paper, with a reason
    reason     text NOT NULL,
    agreed     jsonb NOT NULL, -- the courses whose fee was agreed to
    PRIMARY KEY (school_id, year, student_id, number, person_id),
    FOREIGN KEY (school_id, year, student_id, number) REFERENCES submission,
    CHECK (for_family = (reason <> ''))
);

-- What happened to a sheet; rows are only ever added, each by the statement that raises the sheet's version. There is no foreign
-- key: history outlives what it tells of, and the check would lock the sheet's new row once more at every change.
CREATE TABLE event (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    version    bigint NOT NULL,
    at         timestamptz NOT NULL,
    actor      text NOT NULL, -- a person's id
    actor_name text NOT NULL, -- as it was then
    kind       text NOT NULL,
    reason     text NOT NULL,
    key        text NOT NULL, -- by which whoever sent it knows it again
    detail     jsonb NOT NULL,
    PRIMARY KEY (school_id, year, student_id, version)
);

-- When sheets are open: for one student, else for a grade, else (grade -1) for all.
CREATE TABLE request_window (
    school_id        text NOT NULL,
    year             int NOT NULL,
    grade            int NOT NULL DEFAULT -1,
    student_id       text NOT NULL DEFAULT '',
    opens            timestamptz NOT NULL,
    families_close   timestamptz NOT NULL,
    counselors_close timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, grade, student_id),
    FOREIGN KEY (school_id, year) REFERENCES school_year,
    CHECK (opens < families_close AND families_close <= counselors_close),
    CHECK (student_id = '' OR grade = -1)
);

-- The server's role owns nothing and cannot alter what has happened.
-- +goose StatementBegin
DO $$
BEGIN
    CREATE ROLE rubricon_server NOLOGIN;
EXCEPTION WHEN duplicate_object OR unique_violation THEN
    NULL; -- another database of this server has made it
END
$$;
-- +goose StatementEnd
GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO rubricon_server;
GRANT USAGE ON ALL SEQUENCES IN SCHEMA public TO rubricon_server;
REVOKE UPDATE, DELETE ON event, submission, signature, catalog, policy FROM rubricon_server;
REVOKE INSERT, UPDATE, DELETE ON goose_db_version FROM rubricon_server;

-- After an intake the server's plans follow what the tables have become; only the owner may have them looked at.
-- +goose StatementBegin
CREATE FUNCTION look_at_tables() RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
    ANALYZE public.person, public.relation, public.record, public.signal, public.sheet, public.entry, public.course, public.school_year, public.submission,
        public.signature, public.event, public.account;
END
$$;
-- +goose StatementEnd
REVOKE ALL ON FUNCTION look_at_tables() FROM PUBLIC;
GRANT EXECUTE ON FUNCTION look_at_tables() TO rubricon_server;

-- +goose Down
DROP FUNCTION look_at_tables();
DROP TABLE request_window, event, signature, submission, entry, sheet, signal, record, relation, person, section, bundle_header, course, policy, catalog,
    school_year, school, sign_in_pressure, session, account_device, account_identity, account_password, account;
DROP SEQUENCE receipt_number;
