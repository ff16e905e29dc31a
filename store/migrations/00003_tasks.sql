-- +goose Up
-- What takes long is done aside, by a job queue whose own tables are in the schema river. A task is what people see of it.
CREATE SCHEMA river;

CREATE TABLE task (
    school_id  text NOT NULL REFERENCES school,
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    year       int NOT NULL, -- in which it was started, of which an export is
    kind       text NOT NULL CHECK (kind IN ('import', 'export')),
    name       text NOT NULL, -- of the file
    state      text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'asking', 'done', 'refused', 'stopped', 'failed')),
    agreed     boolean NOT NULL DEFAULT false, -- what was asked has been answered with yes
    by_account bigint REFERENCES account ON DELETE SET NULL,
    by_name    text NOT NULL,
    made_at    timestamptz NOT NULL,
    seen_at    timestamptz, -- when whoever runs it was last seen to, by the database's clock
    ended_at   timestamptz,
    step       text NOT NULL DEFAULT '',
    done       int NOT NULL DEFAULT 0 CHECK (done >= 0),
    total      int NOT NULL DEFAULT 0 CHECK (total >= 0),
    stop       boolean NOT NULL DEFAULT false, -- somebody wants it to stop
    begun      int NOT NULL DEFAULT 0, -- how often it was begun since it was last asked for
    result     jsonb NOT NULL DEFAULT '{}',
    PRIMARY KEY (school_id, id)
);
CREATE INDEX task_open ON task (state) WHERE state IN ('waiting', 'running');

-- The file that a task reads or has made.
CREATE TABLE task_file (
    school_id text NOT NULL,
    task_id   bigint NOT NULL,
    content   bytea NOT NULL,
    PRIMARY KEY (school_id, task_id),
    FOREIGN KEY (school_id, task_id) REFERENCES task ON DELETE CASCADE
);
GRANT SELECT, INSERT, UPDATE, DELETE ON task, task_file TO rubricon_server;
GRANT USAGE ON SCHEMA river TO rubricon_server;

-- +goose Down
DROP TABLE task_file;
DROP TABLE task;
DROP SCHEMA river CASCADE;
