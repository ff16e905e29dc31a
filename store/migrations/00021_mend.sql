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

-- +goose Down
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
