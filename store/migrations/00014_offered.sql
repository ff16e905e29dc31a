-- +goose Up

-- Who is offered a seat is told by mail too.
ALTER TABLE letter DROP CONSTRAINT letter_kind_check;
ALTER TABLE letter ADD CONSTRAINT letter_kind_check
    CHECK (kind IN ('opens', 'reminder', 'submitted', 'sign', 'asked', 'sentBack', 'decided', 'cleared', 'placed', 'unplaced', 'notRunning', 'running', 'offered', 'password', 'code'));

-- +goose Down
DELETE FROM letter WHERE kind = 'offered';
ALTER TABLE letter DROP CONSTRAINT letter_kind_check;
ALTER TABLE letter ADD CONSTRAINT letter_kind_check
    CHECK (kind IN ('opens', 'reminder', 'submitted', 'sign', 'asked', 'sentBack', 'decided', 'cleared', 'placed', 'unplaced', 'notRunning', 'running', 'password', 'code'));
