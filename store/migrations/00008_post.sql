-- +goose Up

-- What is sent by mail, one row a message and person. A row comes with what it tells of, in the same transaction; the job queue sends it.
CREATE TABLE letter (
    school_id  text NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    year       int NOT NULL,
    student_id text, -- whom it is about; none: the person alone
    person_id  text NOT NULL, -- to whom
    kind       text NOT NULL CHECK (kind IN ('opens', 'reminder', 'submitted', 'sign', 'asked', 'sentBack', 'decided', 'cleared', 'placed', 'password', 'code')),
    key        text NOT NULL CHECK (length(key) <= 200), -- what happened: nobody is told of it twice
    detail     jsonb NOT NULL DEFAULT '{}',
    made_at    timestamptz NOT NULL,
    state      text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'sending', 'sent', 'failed', 'unsure', 'noAddress', 'declined')),
    tries      int NOT NULL DEFAULT 0,
    next_at    timestamptz NOT NULL, -- waiting: when it is sent; sending: since when
    done_at    timestamptz,
    address    text NOT NULL DEFAULT '', -- where it went
    fault      text NOT NULL DEFAULT '' CHECK (length(fault) <= 500), -- what the mail server said last
    PRIMARY KEY (school_id, id),
    UNIQUE (school_id, person_id, kind, key),
    FOREIGN KEY (school_id, person_id) REFERENCES person
);
CREATE INDEX letter_next ON letter (next_at) WHERE state IN ('waiting', 'sending');
CREATE INDEX letter_student ON letter (school_id, year, student_id);
GRANT SELECT, INSERT, UPDATE, DELETE ON letter TO rubricon_server;

-- Who wants no reminders by mail; the token is for the link in a mail, and does nothing else.
CREATE TABLE account_post (
    account_id bigint PRIMARY KEY REFERENCES account ON DELETE CASCADE,
    reminders  boolean NOT NULL DEFAULT true,
    token      text NOT NULL UNIQUE
);
GRANT SELECT, INSERT, UPDATE ON account_post TO rubricon_server;

-- Whether those concerned have been told that a window opens.
ALTER TABLE request_window ADD COLUMN told boolean NOT NULL DEFAULT false;

ALTER TABLE office_event DROP CONSTRAINT office_event_kind_check;
ALTER TABLE office_event ADD CONSTRAINT office_event_kind_check CHECK (kind IN ('code', 'codes', 'give', 'take', 'window', 'noWindow', 'lead', 'noLead'));

-- A signature given on the printed sheet: the guardian's own, with who recorded it; and a picture of the page.
ALTER TABLE signature ADD COLUMN paper_by text NOT NULL DEFAULT '';
CREATE TABLE page (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    number     int NOT NULL, -- of the submission
    person_id  text NOT NULL, -- who has signed it
    kind       text NOT NULL CHECK (kind IN ('application/pdf', 'image/jpeg', 'image/png', 'image/heic')),
    content    bytea NOT NULL CHECK (length(content) BETWEEN 1 AND 10485760),
    by_name    text NOT NULL,
    at         timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, student_id, number, person_id),
    FOREIGN KEY (school_id, year, student_id, number, person_id) REFERENCES signature
);
GRANT SELECT, INSERT, UPDATE ON page TO rubricon_server;

-- +goose Down
DROP TABLE page;
ALTER TABLE signature DROP COLUMN paper_by;
DELETE FROM office_event WHERE kind = 'codes';
ALTER TABLE office_event DROP CONSTRAINT office_event_kind_check;
ALTER TABLE office_event ADD CONSTRAINT office_event_kind_check CHECK (kind IN ('code', 'give', 'take', 'window', 'noWindow', 'lead', 'noLead'));
ALTER TABLE request_window DROP COLUMN told;
DROP TABLE account_post;
DROP TABLE letter;
