-- What an accepted calibration moved: a row for each line of the charts in use and in the making, as the line stood then.
-- A line whose law is still the one of that day is off by di_change until it is corrected.
CREATE TABLE calibration (
    id   INTEGER PRIMARY KEY AUTOINCREMENT,
    room TEXT NOT NULL REFERENCES room (id),
    at   TEXT NOT NULL,
    by   TEXT NOT NULL
) STRICT;

CREATE INDEX calibration_of_room ON calibration (room, at);

CREATE TABLE calibration_line (
    calibration          INTEGER NOT NULL REFERENCES calibration (id),
    line_key             INTEGER NOT NULL,
    law                  TEXT NOT NULL CHECK (json_valid(law)),
    di_change            REAL NOT NULL,
    kerma_change_percent REAL NOT NULL,
    PRIMARY KEY (calibration, line_key, law)
) STRICT, WITHOUT ROWID;

CREATE TRIGGER calibration_is_kept BEFORE DELETE ON calibration BEGIN SELECT RAISE(ABORT, 'calibrations are kept'); END;
CREATE TRIGGER calibration_line_is_kept BEFORE DELETE ON calibration_line
BEGIN SELECT RAISE(ABORT, 'calibrations are kept'); END;
CREATE TRIGGER calibration_line_never_changes BEFORE UPDATE ON calibration_line
BEGIN SELECT RAISE(ABORT, 'calibrations are kept'); END;
