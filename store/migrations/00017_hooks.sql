-- +goose Up

-- Other systems that are told of what happens, by school. What they are told is signed with a secret that comes of the server's key and the salt.
CREATE TABLE hook (
    school_id   text NOT NULL REFERENCES school,
    id          bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    name        text NOT NULL CHECK (length(name) BETWEEN 1 AND 100), -- of the system
    url         text NOT NULL CHECK (length(url) <= 500),
    kinds       jsonb NOT NULL, -- of what it is told
    salt        text NOT NULL,
    by_name     text NOT NULL, -- who made it, as it was then
    made_at     timestamptz NOT NULL,
    ended_at    timestamptz, -- taken back
    ended_by    text NOT NULL DEFAULT '',
    fails       int NOT NULL DEFAULT 0, -- one after the other
    rests_until timestamptz, -- after a message did not arrive: nothing is tried before
    PRIMARY KEY (school_id, id)
);
GRANT SELECT, INSERT ON hook TO rubricon_server;
GRANT UPDATE (ended_at, ended_by, fails, rests_until) ON hook TO rubricon_server;

-- What they are told: written with what happens, and kept until some time after it has arrived or was given up.
CREATE TABLE hook_message (
    school_id  text NOT NULL,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    hook_id    bigint NOT NULL,
    year       int NOT NULL,
    kind       text NOT NULL CHECK (kind IN ('submitted', 'cleared', 'placed', 'tried')),
    student_id text, -- whom it is about
    detail     jsonb NOT NULL DEFAULT '{}',
    made_at    timestamptz NOT NULL,
    state      text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'arrived', 'failed')),
    tries      int NOT NULL DEFAULT 0,
    next_at    timestamptz NOT NULL, -- waiting: when it is sent, or, while it is, when it is sent again should its sender be gone
    done_at    timestamptz,
    fault      text NOT NULL DEFAULT '' CHECK (length(fault) <= 100), -- why it did not arrive, the last time
    PRIMARY KEY (school_id, id),
    FOREIGN KEY (school_id, hook_id) REFERENCES hook
);
CREATE INDEX hook_message_next ON hook_message (next_at) WHERE state = 'waiting';
CREATE INDEX hook_message_of ON hook_message (school_id, hook_id, id);
CREATE INDEX hook_message_student ON hook_message (school_id, student_id) WHERE student_id IS NOT NULL;
GRANT SELECT, INSERT, UPDATE, DELETE ON hook_message TO rubricon_server;

-- +goose Down
DROP TABLE hook_message;
DROP TABLE hook;
