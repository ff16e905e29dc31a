-- +goose Up

-- Seats are chosen in a window of their own, for all, by grade or by person.
ALTER TABLE request_window DROP CONSTRAINT request_window_round_check;
ALTER TABLE request_window ADD CONSTRAINT request_window_round_check CHECK (round IN ('year', 'summer', 'seats'));

-- Who is in which section of the master schedule, from when to when.
CREATE TABLE enrollment (
    school_id  text NOT NULL,
    year       int NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    student_id text NOT NULL,
    section_id text NOT NULL,
    begins     date, -- inclusive; NULL: from the first day of the section's terms
    ends       date, -- exclusive; NULL: to the last day
    at         timestamptz NOT NULL, -- when the seat was taken
    by_name    text NOT NULL,
    placed     boolean NOT NULL DEFAULT false, -- it came with a publication of the placement, and goes with it while nobody has changed it
    PRIMARY KEY (school_id, year, id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet,
    FOREIGN KEY (school_id, year, section_id) REFERENCES section,
    CHECK (begins < ends)
);
CREATE UNIQUE INDEX enrollment_student ON enrollment (school_id, year, student_id, section_id) WHERE ends IS NULL;
CREATE INDEX enrollment_section ON enrollment (school_id, year, section_id);
GRANT SELECT, INSERT, UPDATE, DELETE ON enrollment TO rubricon_server;

-- A student's choice of seats: where it is. What is chosen are the enrollments.
CREATE TABLE seat_choice (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    version    bigint NOT NULL DEFAULT 1, -- rises with every act
    state      text NOT NULL DEFAULT 'choosing' CHECK (state IN ('choosing', 'submitted', 'done')),
    looked     jsonb, -- the sections that a counselor has agreed to
    looked_by  text NOT NULL DEFAULT '',
    looked_at  timestamptz,
    receipt    text NOT NULL DEFAULT '',
    handed_at  timestamptz,
    message    text NOT NULL DEFAULT '' CHECK (length(message) <= 1000), -- why it was opened again
    PRIMARY KEY (school_id, year, student_id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT, UPDATE ON seat_choice TO rubricon_server;

-- What was done with seats and enrollments; it is never rewritten.
CREATE TABLE seat_act (
    school_id  text NOT NULL,
    year       int NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    student_id text NOT NULL,
    kind       text NOT NULL CHECK (kind IN ('take', 'undo', 'look', 'submit', 'return', 'wait', 'unwait', 'offer', 'lapse', 'change')),
    came       jsonb NOT NULL DEFAULT '[]', -- sections
    gone       jsonb NOT NULL DEFAULT '[]',
    undoes     bigint,
    on_date    date, -- of a change with a date
    detail     jsonb NOT NULL DEFAULT '{}',
    reason     text NOT NULL DEFAULT '' CHECK (length(reason) <= 1000),
    by_id      text NOT NULL, -- empty: the application itself
    by_name    text NOT NULL,
    at         timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
CREATE INDEX seat_act_student ON seat_act (school_id, year, student_id, id);
GRANT SELECT, INSERT ON seat_act TO rubricon_server;

-- Who waits for a seat in a full section; a seat that is offered is kept until then.
CREATE TABLE seat_wait (
    school_id     text NOT NULL,
    year          int NOT NULL,
    section_id    text NOT NULL,
    student_id    text NOT NULL,
    lot           int NOT NULL, -- drawn on joining, for schools that go by lottery
    at            timestamptz NOT NULL,
    offered_until timestamptz,
    PRIMARY KEY (school_id, year, section_id, student_id),
    FOREIGN KEY (school_id, year, section_id) REFERENCES section ON DELETE CASCADE,
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
CREATE INDEX seat_wait_offer ON seat_wait (offered_until) WHERE offered_until IS NOT NULL;
GRANT SELECT, INSERT, UPDATE, DELETE ON seat_wait TO rubricon_server;
ALTER TABLE school_year ADD COLUMN waiting text NOT NULL DEFAULT 'order' CHECK (waiting IN ('order', 'lottery')); -- who of those who wait comes first
ALTER TABLE school_year ADD COLUMN offer_minutes int NOT NULL DEFAULT 60 CHECK (offer_minutes BETWEEN 1 AND 10080); -- for which a seat is offered

-- +goose Down
ALTER TABLE school_year DROP COLUMN offer_minutes, DROP COLUMN waiting;
DROP TABLE seat_wait;
DROP TABLE seat_act;
DROP TABLE seat_choice;
DROP TABLE enrollment;
DELETE FROM request_window WHERE round = 'seats';
ALTER TABLE request_window DROP CONSTRAINT request_window_round_check;
ALTER TABLE request_window ADD CONSTRAINT request_window_round_check CHECK (round IN ('year', 'summer'));
