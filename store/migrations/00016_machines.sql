-- +goose Up

-- What other systems have to say who they are: by school, for a purpose, for a time. The token itself is said once, and kept hashed.
CREATE TABLE access_token (
    school_id  text NOT NULL REFERENCES school,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    name       text NOT NULL CHECK (length(name) BETWEEN 1 AND 100), -- of the system that has it
    purpose    text NOT NULL CHECK (purpose IN ('courses', 'people')),
    hash       text NOT NULL UNIQUE,
    by_name    text NOT NULL, -- who made it, as it was then
    made_at    timestamptz NOT NULL,
    expires_at timestamptz NOT NULL,
    used_at    timestamptz,
    ended_at   timestamptz, -- taken back
    ended_by   text NOT NULL DEFAULT '',
    PRIMARY KEY (school_id, id),
    CHECK (expires_at > made_at)
);
GRANT SELECT, INSERT ON access_token TO rubricon_server;
GRANT UPDATE (used_at, ended_at, ended_by) ON access_token TO rubricon_server;

-- +goose Down
DROP TABLE access_token;
