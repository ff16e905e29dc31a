-- +goose Up
-- Every table carries school_id and every query is by it. Credits, marks and fees are whole hundredths.

CREATE TABLE account (
    username      text PRIMARY KEY CHECK (length(username) BETWEEN 1 AND 200),
    password_hash text NOT NULL,
    changed_at    timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE sign_in_attempt (
    key      text PRIMARY KEY,
    failures int NOT NULL CHECK (failures >= 0),
    since    timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE session (
    token  text PRIMARY KEY,
    data   bytea NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX session_expiry ON session (expiry);

CREATE TABLE school (
    id              text PRIMARY KEY CHECK (id <> ''),
    name            text NOT NULL,
    policy          text NOT NULL,
    version         bigint NOT NULL DEFAULT 1, -- rises with every import and every change of a window
    time_zone       text NOT NULL DEFAULT 'UTC',
    next_receipt    int NOT NULL DEFAULT 1000
);

-- The header of each file of the bundle, and the rows of the files that are kept as they came.
CREATE TABLE bundle_file (
    school_id text NOT NULL REFERENCES school ON DELETE CASCADE,
    name      text NOT NULL,
    header    jsonb NOT NULL,
    PRIMARY KEY (school_id, name)
);

CREATE TABLE bundle_row (
    school_id text NOT NULL,
    file      text NOT NULL,
    ord       int NOT NULL,
    cells     jsonb NOT NULL,
    PRIMARY KEY (school_id, file, ord),
    FOREIGN KEY (school_id, file) REFERENCES bundle_file ON DELETE CASCADE
);

CREATE TABLE course (
    school_id text NOT NULL REFERENCES school ON DELETE CASCADE,
    code      text NOT NULL CHECK (code <> ''),
    ord       int NOT NULL,
    cells     jsonb NOT NULL,
    PRIMARY KEY (school_id, code)
);

CREATE TABLE person (
    school_id     text NOT NULL REFERENCES school ON DELETE CASCADE,
    id            text NOT NULL,
    ord           int NOT NULL,
    role          text NOT NULL CHECK (role IN ('student', 'guardian', 'parent', 'relative', 'teacher', 'administrator', 'aide', 'proctor')),
    enabled       boolean NOT NULL,
    username      text NOT NULL,
    given_name    text NOT NULL,
    family_name   text NOT NULL,
    grade         int NOT NULL DEFAULT 0, -- the one a student enters
    programs      jsonb NOT NULL DEFAULT '[]',
    counselor     text NOT NULL DEFAULT '',
    language      text NOT NULL DEFAULT '',
    cells         jsonb NOT NULL,
    PRIMARY KEY (school_id, id),
    UNIQUE (school_id, username)
);
CREATE INDEX person_username ON person (username);
CREATE INDEX person_counselor ON person (school_id, counselor) WHERE role = 'student';

CREATE TABLE guardianship (
    school_id   text NOT NULL,
    guardian_id text NOT NULL,
    student_id  text NOT NULL,
    PRIMARY KEY (school_id, guardian_id, student_id),
    FOREIGN KEY (school_id, guardian_id) REFERENCES person ON DELETE CASCADE,
    FOREIGN KEY (school_id, student_id) REFERENCES person ON DELETE CASCADE
);
CREATE INDEX guardianship_student ON guardianship (school_id, student_id);

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
    FOREIGN KEY (school_id, student_id) REFERENCES person ON DELETE CASCADE
);
CREATE INDEX record_student ON record (school_id, student_id);

CREATE TABLE signal (
    school_id   text NOT NULL,
    id          bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    student_id  text NOT NULL,
    ord         int NOT NULL, -- the order of the file; rows entered here come last
    kind        text NOT NULL CHECK (kind IN ('recommendation', 'placement', 'score', 'permission', 'waiver', 'assignment', 'claim', 'exemption')),
    course_code text NOT NULL,
    name        text NOT NULL,
    value       bigint NOT NULL,
    said_by     text NOT NULL,
    note        text NOT NULL,
    here        boolean NOT NULL DEFAULT false,
    settled     text NOT NULL DEFAULT '' CHECK (settled IN ('', 'confirmed', 'waived', 'declined')), -- what became of a claim
    cells       jsonb NOT NULL,
    PRIMARY KEY (school_id, id),
    FOREIGN KEY (school_id, student_id) REFERENCES person ON DELETE CASCADE
);
CREATE INDEX signal_student ON signal (school_id, student_id);

CREATE TABLE sheet (
    school_id         text NOT NULL,
    student_id        text NOT NULL,
    version           bigint NOT NULL DEFAULT 1,
    facts_version     bigint NOT NULL DEFAULT 1, -- rises with every record and signal entered here
    content_version   bigint NOT NULL DEFAULT 1, -- the version in which the entries changed last
    state             text NOT NULL DEFAULT 'inProgress' CHECK (state IN ('inProgress', 'submitted', 'signed', 'cleared', 'sentBack')),
    changed_at        timestamptz,
    submitted_at      timestamptz,
    submitted_version bigint NOT NULL DEFAULT 0,
    receipt           text NOT NULL DEFAULT '',
    signed_at         timestamptz,
    signed_by         text NOT NULL DEFAULT '',
    cleared_at        timestamptz,
    message           text NOT NULL DEFAULT '', -- why it was sent back
    asked             text NOT NULL DEFAULT '', -- what the family asks to change
    undoable          int NOT NULL DEFAULT 0 CHECK (undoable >= 0), -- how many changes can be undone
    PRIMARY KEY (school_id, student_id),
    FOREIGN KEY (school_id, student_id) REFERENCES person ON DELETE CASCADE,
    CHECK ((state IN ('submitted', 'signed', 'cleared')) <= (receipt <> ''))
);

CREATE TABLE entry (
    school_id   text NOT NULL,
    student_id  text NOT NULL,
    course_code text NOT NULL,
    kind        text NOT NULL CHECK (kind IN ('request', 'alternate')),
    rank        int NOT NULL CHECK (rank >= 1),
    ord         int NOT NULL,                   -- among equal ranks
    stands_for  text,
    cells       jsonb NOT NULL DEFAULT '{}',
    PRIMARY KEY (school_id, student_id, course_code),
    FOREIGN KEY (school_id, student_id) REFERENCES sheet ON DELETE CASCADE,
    FOREIGN KEY (school_id, course_code) REFERENCES course,
    FOREIGN KEY (school_id, stands_for) REFERENCES course,
    CHECK (stands_for IS NULL OR kind = 'alternate')
);
CREATE INDEX entry_course ON entry (school_id, course_code);

-- What happened to a sheet; rows are only ever added, each by the statement that raises the sheet's version. There is no foreign
-- key: history outlives what it tells of, and the check would lock the sheet's new row once more at every change.
CREATE TABLE event (
    school_id  text NOT NULL,
    student_id text NOT NULL,
    version    bigint NOT NULL,
    at         timestamptz NOT NULL DEFAULT now(),
    actor      text NOT NULL, -- a person's id, or "import"
    kind       text NOT NULL,
    detail     jsonb NOT NULL,
    PRIMARY KEY (school_id, student_id, version)
);

-- When a sheet is open. Grade -1 stands for every grade without a window of its own.
CREATE TABLE request_window (
    school_id        text NOT NULL REFERENCES school ON DELETE CASCADE,
    grade            int NOT NULL DEFAULT -1,
    opens            timestamptz NOT NULL,
    families_close   timestamptz NOT NULL,
    counselors_close timestamptz NOT NULL,
    PRIMARY KEY (school_id, grade),
    CHECK (opens < families_close AND families_close <= counselors_close)
);

-- +goose Down
DROP TABLE request_window, event, entry, sheet, signal, record, guardianship, person, course, bundle_row, bundle_file, school, session, sign_in_attempt, account;
