-- What an exam waits for is a clearance in the field's words: the table, its column and the department's own exams say so too.
DROP TRIGGER gate_record_stays;
DROP TRIGGER gate_record_remains;
ALTER TABLE gate_record RENAME TO clearance;
ALTER TABLE clearance RENAME COLUMN gate TO clearance;
CREATE TRIGGER clearance_stays BEFORE UPDATE ON clearance
BEGIN SELECT RAISE(ABORT, 'a clearance record is never altered'); END;
CREATE TRIGGER clearance_remains BEFORE DELETE ON clearance
BEGIN SELECT RAISE(ABORT, 'a clearance record is never removed'); END;
-- A password that was generated has to be changed by its owner before anything is kept in their name.
ALTER TABLE person ADD COLUMN must_change INTEGER NOT NULL DEFAULT 0 CHECK (must_change IN (0, 1));

UPDATE local_entry SET body = replace(body, '"gate":', '"clearance":') WHERE kind = 'exam';
