-- +goose Up

-- The oldest version of the schema whose programs work on this one: they may start, so that processes are replaced one after the other while a newer
-- one has brought the schema up to date. A migration adds (new columns have defaults, new checks hold for what older programs write); one that takes
-- away what older programs need comes a release later, and raises this.
CREATE FUNCTION oldest_program() RETURNS bigint LANGUAGE sql IMMUTABLE AS 'SELECT 19::bigint';

-- +goose Down
DROP FUNCTION oldest_program();
