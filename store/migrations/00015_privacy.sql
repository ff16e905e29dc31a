-- +goose Up

-- Who of the school looked at a student's sheet on which day; it is never rewritten, and goes with the student.
CREATE TABLE sheet_look (
    school_id  text NOT NULL,
    year       int NOT NULL,
    student_id text NOT NULL,
    person_id  text NOT NULL,
    day        date NOT NULL, -- in the school's time zone
    by_name    text NOT NULL, -- as it was then
    at         timestamptz NOT NULL, -- the first time
    PRIMARY KEY (school_id, year, student_id, person_id, day),
    FOREIGN KEY (school_id, year, student_id) REFERENCES sheet
);
GRANT SELECT, INSERT ON sheet_look TO rubricon_server;

-- Since when the school's data no longer names somebody; and whether all that is of them has been taken away since.
ALTER TABLE person ADD COLUMN gone_at timestamptz;
ALTER TABLE person ADD COLUMN erased boolean NOT NULL DEFAULT false;
UPDATE person SET gone_at = now() WHERE NOT present;

-- How many asked for a course in a year, of students who have been taken away since; nobody can be told from it.
CREATE TABLE tally (
    school_id   text NOT NULL,
    year        int NOT NULL,
    course_code text NOT NULL,
    grade       int NOT NULL,
    kind        text NOT NULL CHECK (kind IN ('request', 'alternate', 'given')),
    students    int NOT NULL CHECK (students > 0),
    PRIMARY KEY (school_id, year, course_code, grade, kind),
    FOREIGN KEY (school_id, year) REFERENCES school_year
);
GRANT SELECT ON tally TO rubricon_server;

-- +goose Down
DROP TABLE tally;
ALTER TABLE person DROP COLUMN erased, DROP COLUMN gone_at;
DROP TABLE sheet_look;
