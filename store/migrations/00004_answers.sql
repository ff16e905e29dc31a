-- +goose Up
-- What the next undo would take back, how much can be done again, and what was answered to a family. Columns more are nothing that an
-- older program minds.
ALTER TABLE sheet ADD COLUMN undoes jsonb; -- null: nothing, or from before this was kept
ALTER TABLE sheet ADD COLUMN redoable int NOT NULL DEFAULT 0 CHECK (redoable >= 0);
ALTER TABLE sheet ADD COLUMN answered jsonb; -- the family's latest wish that was answered, with the answer
ALTER TABLE signal ADD COLUMN answer text NOT NULL DEFAULT ''; -- of a claim that is settled: why
ALTER TABLE signal ADD COLUMN answered_by text NOT NULL DEFAULT ''; -- the name of the moment

-- +goose Down
ALTER TABLE signal DROP COLUMN answered_by;
ALTER TABLE signal DROP COLUMN answer;
ALTER TABLE sheet DROP COLUMN answered;
ALTER TABLE sheet DROP COLUMN redoable;
ALTER TABLE sheet DROP COLUMN undoes;
