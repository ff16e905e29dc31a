-- +goose Up

-- Who leads a course, beside those who teach it now: they take students into it. The office gives that and takes it back.
ALTER TABLE relation DROP CONSTRAINT relation_kind_check;
ALTER TABLE relation DROP CONSTRAINT relation_check;
ALTER TABLE relation DROP CONSTRAINT relation_check2;
ALTER TABLE relation ADD CONSTRAINT relation_kind_check CHECK (kind IN ('counsels', 'guards', 'teaches', 'administers', 'leads'));
ALTER TABLE relation ADD CONSTRAINT relation_student_check CHECK ((kind IN ('administers', 'leads')) = (student_id IS NULL));
ALTER TABLE relation ADD CONSTRAINT relation_course_check CHECK ((kind IN ('teaches', 'leads')) = (course_code IS NOT NULL));
ALTER TABLE office_event DROP CONSTRAINT office_event_kind_check;
ALTER TABLE office_event ADD CONSTRAINT office_event_kind_check CHECK (kind IN ('code', 'give', 'take', 'window', 'noWindow', 'lead', 'noLead'));

-- Sign-ins, for those who ask whether somebody else has used an account.
CREATE TABLE sign_in (
    id         bigint NOT NULL GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    account_id bigint NOT NULL REFERENCES account ON DELETE CASCADE,
    at         timestamptz NOT NULL,
    done       boolean NOT NULL, -- false: the password was wrong
    agent      text NOT NULL CHECK (length(agent) <= 200) -- the browser, as it calls itself
);
CREATE INDEX sign_in_account ON sign_in (account_id, at);
CREATE INDEX sign_in_at ON sign_in (at);
GRANT SELECT, INSERT, DELETE ON sign_in TO rubricon_server;

-- +goose Down
DROP TABLE sign_in;
DELETE FROM office_event WHERE kind IN ('lead', 'noLead');
ALTER TABLE office_event DROP CONSTRAINT office_event_kind_check;
ALTER TABLE office_event ADD CONSTRAINT office_event_kind_check CHECK (kind IN ('code', 'give', 'take', 'window', 'noWindow'));
DELETE FROM relation WHERE kind = 'leads';
ALTER TABLE relation DROP CONSTRAINT relation_course_check;
ALTER TABLE relation DROP CONSTRAINT relation_student_check;
ALTER TABLE relation DROP CONSTRAINT relation_kind_check;
ALTER TABLE relation ADD CONSTRAINT relation_kind_check CHECK (kind IN ('counsels', 'guards', 'teaches', 'administers'));
ALTER TABLE relation ADD CONSTRAINT relation_check CHECK ((kind = 'administers') = (student_id IS NULL));
ALTER TABLE relation ADD CONSTRAINT relation_check2 CHECK ((kind = 'teaches') = (course_code IS NOT NULL));
