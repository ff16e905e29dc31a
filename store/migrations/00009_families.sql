-- +goose Up

-- What a guardian agrees to before signing, one by one: a fee or a commitment, as it was then. A row stays when it is withdrawn, and an agreement holds for
-- later submissions as long as what it is about is the same.
CREATE TABLE agreement (
    school_id    text NOT NULL,
    id           bigint NOT NULL GENERATED ALWAYS AS IDENTITY,
    year         int NOT NULL,
    student_id   text NOT NULL,
    person_id    text NOT NULL, -- who agrees
    kind         text NOT NULL CHECK (kind IN ('fee', 'commitment')),
    ref          text NOT NULL CHECK (length(ref) <= 200), -- a course, or the commitment's id
    what         text NOT NULL CHECK (length(what) <= 4000), -- the fee in hundredths, or the commitment's text
    at           timestamptz NOT NULL,
    withdrawn_at timestamptz,
    PRIMARY KEY (school_id, id),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet,
    FOREIGN KEY (school_id, person_id) REFERENCES person
);
CREATE UNIQUE INDEX agreement_standing ON agreement (school_id, year, student_id, person_id, kind, ref, md5(what)) WHERE withdrawn_at IS NULL;
GRANT SELECT, INSERT ON agreement TO rubricon_server;
GRANT UPDATE (withdrawn_at) ON agreement TO rubricon_server;

-- A draft that is shown to the family, since when; and what is said about a draft.
ALTER TABLE draft ADD COLUMN shown_at timestamptz;
ALTER TABLE remark ADD COLUMN draft_id bigint NOT NULL DEFAULT 0; -- 0: about the sheet
ALTER TABLE remark DROP CONSTRAINT remark_kind_check;
ALTER TABLE remark ADD CONSTRAINT remark_kind_check CHECK (kind IN ('question', 'comment', 'wrong', 'later', 'family')); -- family: said to each other, not to the school
ALTER TABLE sheet ADD COLUMN talk jsonb NOT NULL DEFAULT '[]'; -- the courses that a family has said something about to each other; '': the whole

CREATE INDEX letter_lost ON letter (school_id, year, student_id) WHERE state IN ('failed', 'unsure');

-- +goose Down
DROP INDEX letter_lost;
ALTER TABLE sheet DROP COLUMN talk;
DELETE FROM remark WHERE kind = 'family';
ALTER TABLE remark DROP CONSTRAINT remark_kind_check;
ALTER TABLE remark ADD CONSTRAINT remark_kind_check CHECK (kind IN ('question', 'comment', 'wrong', 'later'));
ALTER TABLE remark DROP COLUMN draft_id;
ALTER TABLE draft DROP COLUMN shown_at;
DROP TABLE agreement;
