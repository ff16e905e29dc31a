-- +goose Up
-- What a school year may have beside requests for the year: plans for later years, errands settled, commitments agreed to one by
-- one, and the language that a person reads.
ALTER TABLE signal DROP CONSTRAINT signal_kind_check;
ALTER TABLE signal ADD CONSTRAINT signal_kind_check CHECK (kind IN ('recommendation', 'placement', 'score', 'permission', 'waiver', 'assignment', 'claim', 'exemption', 'errand'));

CREATE TABLE plan (
    school_id   text NOT NULL,
    year        int NOT NULL, -- of the bundle it came with
    student_id  text NOT NULL,
    ord         int NOT NULL, -- the order of the file
    grade       int NOT NULL, -- in which it is to be taken
    course_code text NOT NULL,
    kind        text NOT NULL CHECK (kind IN ('request', 'alternate')),
    cells       jsonb NOT NULL,
    PRIMARY KEY (school_id, year, student_id, grade, course_code),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet,
    FOREIGN KEY (school_id, year, course_code) REFERENCES course
);
GRANT SELECT, INSERT, UPDATE, DELETE ON plan TO rubricon_server;

ALTER TABLE submission ADD COLUMN agreed jsonb NOT NULL DEFAULT '[]'; -- the ids of the commitments that the student agreed to
ALTER TABLE signature ADD COLUMN commitments jsonb NOT NULL DEFAULT '[]'; -- and those that the guardian did

ALTER TABLE account ADD COLUMN language text NOT NULL DEFAULT ''; -- BCP 47; empty: as the school or the browser has it

-- +goose Down
ALTER TABLE account DROP COLUMN language;
ALTER TABLE signature DROP COLUMN commitments;
ALTER TABLE submission DROP COLUMN agreed;
DROP TABLE plan;
DELETE FROM signal WHERE kind = 'errand';
ALTER TABLE signal DROP CONSTRAINT signal_kind_check;
ALTER TABLE signal ADD CONSTRAINT signal_kind_check CHECK (kind IN ('recommendation', 'placement', 'score', 'permission', 'waiver', 'assignment', 'claim', 'exemption'));
