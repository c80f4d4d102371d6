-- What a department adds to the shipped catalogue or changes in it: one JSON object for each projection or exam, holding only
-- the fields that differ. Gates of an exam: who cleared what, when; rows are added and never altered.

CREATE TABLE local_entry (
    kind       TEXT NOT NULL CHECK (kind IN ('projection', 'exam')),
    id         TEXT NOT NULL CHECK (length(id) BETWEEN 1 AND 60),
    body       TEXT NOT NULL CHECK (json_valid(body)),
    revision   INTEGER NOT NULL DEFAULT 1,
    changed_at TEXT NOT NULL,
    changed_by TEXT NOT NULL,
    PRIMARY KEY (kind, id)
) STRICT, WITHOUT ROWID;

CREATE TABLE setting (
    key      TEXT PRIMARY KEY,
    body     TEXT NOT NULL CHECK (json_valid(body)),
    revision INTEGER NOT NULL DEFAULT 1
) STRICT, WITHOUT ROWID;

CREATE TABLE gate_record (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    at         TEXT NOT NULL,
    room       TEXT NOT NULL REFERENCES room (id),
    exam       TEXT NOT NULL,
    gate       TEXT NOT NULL,
    decision   TEXT NOT NULL CHECK (decision IN ('cleared', 'not_applicable')),
    decided_by TEXT NOT NULL CHECK (length(decided_by) BETWEEN 1 AND 80),
    why        TEXT NOT NULL DEFAULT '',
    study_key  TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE TRIGGER gate_record_stays BEFORE UPDATE ON gate_record
BEGIN SELECT RAISE(ABORT, 'a gate record is never altered'); END;

CREATE TRIGGER gate_record_remains BEFORE DELETE ON gate_record
BEGIN SELECT RAISE(ABORT, 'a gate record is never removed'); END;
