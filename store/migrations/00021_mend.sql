-- +goose Up

-- Ending the sessions of an account raises its epoch. A sign-in that began before has the old one, and gets no session.
ALTER TABLE account ADD COLUMN session_epoch bigint NOT NULL DEFAULT 0;

-- What was asked with a key, digested: the same key with something else is refused.
ALTER TABLE event ADD COLUMN asked_digest text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE event DROP COLUMN asked_digest;
ALTER TABLE account DROP COLUMN session_epoch;
