-- Lines that were tuned by what their images said: the evidence, kept with the draft it went into, for the history and to see
-- later whether it worked.
CREATE TABLE tuning (
    chart    INTEGER NOT NULL REFERENCES chart (id) ON DELETE CASCADE,
    line_key INTEGER NOT NULL,
    at       TEXT NOT NULL,
    by       TEXT NOT NULL,
    evidence TEXT NOT NULL CHECK (json_valid(evidence)),
    PRIMARY KEY (chart, line_key)
) STRICT, WITHOUT ROWID;

-- What somebody said of an alert of the log; key says which alert it was.
CREATE TABLE alert_note (
    id   INTEGER PRIMARY KEY AUTOINCREMENT,
    room TEXT NOT NULL REFERENCES room (id),
    key  TEXT NOT NULL,
    at   TEXT NOT NULL,
    by   TEXT NOT NULL,
    note TEXT NOT NULL CHECK (length(note) BETWEEN 1 AND 500)
) STRICT;

CREATE INDEX alert_note_of_room ON alert_note (room, key);
CREATE TRIGGER alert_note_is_kept BEFORE DELETE ON alert_note BEGIN SELECT RAISE(ABORT, 'notes of alerts are kept'); END;
CREATE TRIGGER alert_note_never_changes BEFORE UPDATE ON alert_note
BEGIN SELECT RAISE(ABORT, 'notes of alerts are kept'); END;

-- An exposure far too high: what happened, who was told, and who closed it, why.
CREATE TABLE incident (
    exposure  INTEGER PRIMARY KEY REFERENCES exposure (id),
    at        TEXT NOT NULL,
    by        TEXT NOT NULL,
    happened  TEXT NOT NULL CHECK (length(happened) BETWEEN 1 AND 1000),
    told      TEXT NOT NULL CHECK (length(told) BETWEEN 1 AND 200),
    closed_at TEXT,
    closed_by TEXT,
    outcome   TEXT NOT NULL DEFAULT '',
    CHECK ((closed_at IS NULL) = (closed_by IS NULL))
) STRICT;

CREATE TRIGGER incident_is_kept BEFORE DELETE ON incident BEGIN SELECT RAISE(ABORT, 'an incident is kept'); END;
CREATE TRIGGER incident_is_closed_once BEFORE UPDATE ON incident
WHEN OLD.closed_at IS NOT NULL OR NEW.exposure <> OLD.exposure OR NEW.at <> OLD.at OR NEW.by <> OLD.by
    OR NEW.happened <> OLD.happened OR NEW.told <> OLD.told
BEGIN SELECT RAISE(ABORT, 'an incident is closed once, and stays as it was written'); END;
