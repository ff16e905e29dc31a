-- +goose Up

-- A try to sign in by an account of the school, from the question to the answer; it is good once.
CREATE TABLE sign_on_try (
    state      text PRIMARY KEY, -- hashed
    school_id  text NOT NULL,
    nonce      text NOT NULL,
    verifier   text NOT NULL,
    expires_at timestamptz NOT NULL
);
CREATE INDEX sign_on_try_expiry ON sign_on_try (expires_at);
GRANT SELECT, INSERT, DELETE ON sign_on_try TO rubricon_server;

-- Passkeys: what somebody has beside what they know.
CREATE TABLE account_passkey (
    account_id bigint NOT NULL REFERENCES account ON DELETE CASCADE,
    id         text NOT NULL, -- the credential's, base64url
    name       text NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    credential jsonb NOT NULL,
    made_at    timestamptz NOT NULL,
    used_at    timestamptz,
    PRIMARY KEY (account_id, id)
);
GRANT SELECT, INSERT, UPDATE, DELETE ON account_passkey TO rubricon_server;

-- Whether the staff of a school need a passkey as a second step of signing in.
ALTER TABLE school ADD COLUMN second_step boolean NOT NULL DEFAULT false;

ALTER TABLE office_event DROP CONSTRAINT office_event_kind_check;
ALTER TABLE office_event ADD CONSTRAINT office_event_kind_check CHECK (kind IN ('code', 'codes', 'give', 'take', 'window', 'noWindow', 'lead', 'noLead', 'passkeys', 'second', 'noSecond'));

-- +goose Down
DELETE FROM office_event WHERE kind IN ('passkeys', 'second', 'noSecond');
ALTER TABLE office_event DROP CONSTRAINT office_event_kind_check;
ALTER TABLE office_event ADD CONSTRAINT office_event_kind_check CHECK (kind IN ('code', 'codes', 'give', 'take', 'window', 'noWindow', 'lead', 'noLead'));
ALTER TABLE school DROP COLUMN second_step;
DROP TABLE account_passkey;
DROP TABLE sign_on_try;
