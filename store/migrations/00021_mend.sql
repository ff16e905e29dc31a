-- +goose Up

-- Ending the sessions of an account raises its epoch. A sign-in that began before has the old one, and gets no session.
ALTER TABLE account ADD COLUMN session_epoch bigint NOT NULL DEFAULT 0;

-- What was asked with a key, digested: the same key with something else is refused.
ALTER TABLE event ADD COLUMN asked_digest text NOT NULL DEFAULT '';

-- Who can redo what was undone last: a person's id, where something can be redone.
ALTER TABLE sheet ADD COLUMN redo_by text NOT NULL DEFAULT '';

-- When the seats of a section were last looked at for those who wait, so that all have their turn.
ALTER TABLE seat_wait ADD COLUMN looked_at timestamptz;

-- Who runs something of which one run at a time is enough, until when. A process that ends leaves it; the next takes it then.
CREATE TABLE lease (
    name   text PRIMARY KEY,
    holder text NOT NULL,
    until  timestamptz NOT NULL
);
GRANT SELECT, INSERT, UPDATE, DELETE ON lease TO rubricon_server;

-- A mail that is taken is about to be sent; whoever ends before that leaves it to be taken again. One that is being sent may have gone out.
ALTER TABLE letter DROP CONSTRAINT letter_state_check;
ALTER TABLE letter ADD CONSTRAINT letter_state_check CHECK (state IN ('waiting', 'taken', 'sending', 'sent', 'failed', 'unsure', 'noAddress', 'declined'));
DROP INDEX letter_next;
CREATE INDEX letter_next ON letter (school_id, next_at) WHERE state IN ('waiting', 'taken', 'sending');

-- A change with a date that the system which keeps attendance is asked for: written first, then asked, then made here, or taken back there. A
-- process that ends in between leaves it; the next goes on with it under the same key.
CREATE TABLE dated_change (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    key        text NOT NULL, -- by which the other system knows it
    adds       jsonb NOT NULL, -- sections whose seats are kept for it
    asked      jsonb NOT NULL, -- what the other system is asked for
    back       jsonb NOT NULL, -- what takes that back there
    stays      jsonb NOT NULL, -- what it makes of the enrollments
    was        jsonb NOT NULL, -- the enrollments that it was decided on
    note       jsonb NOT NULL, -- what is noted when it is made
    goes_back  boolean NOT NULL DEFAULT false, -- it is taken back
    tries      int NOT NULL DEFAULT 0,
    next_at    timestamptz NOT NULL, -- until then whoever has it goes on with it
    made_at    timestamptz NOT NULL,
    PRIMARY KEY (school_id, year, student_id), -- one at a time for each student
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
CREATE INDEX dated_change_next ON dated_change (next_at);
GRANT SELECT, INSERT, UPDATE, DELETE ON dated_change TO rubricon_server;
ALTER TABLE dated_change ENABLE ROW LEVEL SECURITY;
CREATE POLICY by_school ON dated_change USING (nullif((SELECT coalesce(nullif(current_setting('rubricon.school', true), ''), '*')) IN ('*', school_id), false) IS NOT UNKNOWN);

ALTER TABLE seat_act DROP CONSTRAINT seat_act_kind_check;
ALTER TABLE seat_act ADD CONSTRAINT seat_act_kind_check CHECK (kind IN ('take', 'undo', 'look', 'submit', 'return', 'wait', 'unwait', 'offer', 'lapse', 'change', 'changeBack'));

-- What each person of a family asks to change, or that they refuse to sign: {id, person, name, kind, course, text, at}, with the answer once
-- there is one. asked and asked_at sum up what is open. The column answered is for the program before this one; the next migration drops it.
ALTER TABLE sheet ADD COLUMN change_requests jsonb NOT NULL DEFAULT '[]';
UPDATE sheet SET change_requests =
    CASE WHEN answered IS NULL THEN '[]' ELSE jsonb_build_array(jsonb_build_object('id', 0, 'person', '', 'name', '', 'kind', 'ask', 'text', answered->>'wish', 'at', answered->>'at',
        'answer', answered->>'answer', 'answeredBy', answered->>'by', 'answeredAt', answered->>'at')) END
    || CASE WHEN asked = '' THEN '[]' ELSE jsonb_build_array(jsonb_build_object('id', version, 'person', '', 'name', '', 'kind', 'ask', 'text', asked, 'at', coalesce(asked_at, now()))) END
    WHERE answered IS NOT NULL OR asked <> '';

-- Ends a change of a sheet that someone else has changed in the meantime.
-- +goose StatementBegin
CREATE FUNCTION hold_change(current boolean) RETURNS boolean LANGUAGE plpgsql AS $$
BEGIN
    IF NOT current THEN
        RAISE EXCEPTION 'the sheet has been changed in the meantime' USING ERRCODE = 'RU001';
    END IF;
    RETURN true;
END
$$;
-- +goose StatementEnd

-- When a row that other systems read was last changed.
ALTER TABLE person ADD COLUMN modified_at timestamptz NOT NULL DEFAULT now();
ALTER TABLE section ADD COLUMN modified_at timestamptz NOT NULL DEFAULT now();
ALTER TABLE enrollment ADD COLUMN modified_at timestamptz NOT NULL DEFAULT now();
-- +goose StatementBegin
CREATE FUNCTION note_modified() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    NEW.modified_at := clock_timestamp();
    RETURN NEW;
END
$$;
-- +goose StatementEnd
CREATE TRIGGER modified BEFORE UPDATE ON person FOR EACH ROW WHEN ((OLD.cells, OLD.present) IS DISTINCT FROM (NEW.cells, NEW.present)) EXECUTE FUNCTION note_modified();
CREATE TRIGGER modified BEFORE UPDATE ON section FOR EACH ROW WHEN (OLD.cells IS DISTINCT FROM NEW.cells) EXECUTE FUNCTION note_modified();
CREATE TRIGGER modified BEFORE UPDATE ON enrollment FOR EACH ROW WHEN ((OLD.begins, OLD.ends) IS DISTINCT FROM (NEW.begins, NEW.ends)) EXECUTE FUNCTION note_modified();

-- The dates that a student's calendar has had, so that each says when it was last changed, and one that goes is cancelled.
CREATE TABLE calendar_date (
    school_id   text NOT NULL,
    year        int NOT NULL,
    student_id  text NOT NULL,
    calendar    text NOT NULL CHECK (calendar IN ('errands', 'week')),
    id          text NOT NULL,
    digest      text NOT NULL, -- of what it says, in no language
    sequence    int NOT NULL,
    modified_at timestamptz NOT NULL,
    title       text NOT NULL,
    at          timestamptz NOT NULL,
    whole       boolean NOT NULL, -- the day of at, in no zone
    gone        boolean NOT NULL,
    PRIMARY KEY (school_id, year, student_id, calendar, id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT, UPDATE, DELETE ON calendar_date TO rubricon_server;
ALTER TABLE calendar_date ENABLE ROW LEVEL SECURITY;
CREATE POLICY by_school ON calendar_date USING (nullif((SELECT coalesce(nullif(current_setting('rubricon.school', true), ''), '*')) IN ('*', school_id), false) IS NOT UNKNOWN);

-- +goose Down
DROP TABLE calendar_date;
DROP FUNCTION hold_change(boolean);
DROP TRIGGER modified ON enrollment;
DROP TRIGGER modified ON section;
DROP TRIGGER modified ON person;
DROP FUNCTION note_modified();
ALTER TABLE enrollment DROP COLUMN modified_at;
ALTER TABLE section DROP COLUMN modified_at;
ALTER TABLE person DROP COLUMN modified_at;
ALTER TABLE sheet DROP COLUMN change_requests;
ALTER TABLE seat_act DROP CONSTRAINT seat_act_kind_check;
ALTER TABLE seat_act ADD CONSTRAINT seat_act_kind_check CHECK (kind IN ('take', 'undo', 'look', 'submit', 'return', 'wait', 'unwait', 'offer', 'lapse', 'change')) NOT VALID;
DROP TABLE dated_change;
DROP INDEX letter_next;
CREATE INDEX letter_next ON letter (next_at) WHERE state IN ('waiting', 'sending');
UPDATE letter SET state = 'waiting' WHERE state = 'taken';
ALTER TABLE letter DROP CONSTRAINT letter_state_check;
ALTER TABLE letter ADD CONSTRAINT letter_state_check CHECK (state IN ('waiting', 'sending', 'sent', 'failed', 'unsure', 'noAddress', 'declined'));
DROP TABLE lease;
ALTER TABLE seat_wait DROP COLUMN looked_at;
ALTER TABLE sheet DROP COLUMN redo_by;
ALTER TABLE event DROP COLUMN asked_digest;
ALTER TABLE account DROP COLUMN session_epoch;
