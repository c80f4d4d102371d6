-- What was typed into a room's generator, by line and size: who entered it and who checked it there, with the values of that day.
CREATE TABLE generator_program (
    room       TEXT NOT NULL REFERENCES room (id),
    line_key   INTEGER NOT NULL,
    size       TEXT NOT NULL,
    stored     TEXT NOT NULL CHECK (json_valid(stored)),
    entered_at TEXT NOT NULL,
    entered_by TEXT NOT NULL,
    checked_at TEXT,
    checked_by TEXT,
    PRIMARY KEY (room, line_key, size),
    CHECK ((checked_at IS NULL) = (checked_by IS NULL))
) STRICT, WITHOUT ROWID;
