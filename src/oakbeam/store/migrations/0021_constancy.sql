-- Constancy tests as they were done: the sheet, the figure, and the tolerance that held then.
CREATE TABLE constancy (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    room     TEXT NOT NULL REFERENCES room (id),
    test     TEXT NOT NULL,
    receptor TEXT,
    done_on  TEXT NOT NULL,
    kept_at  TEXT NOT NULL,
    kept_by  TEXT NOT NULL,
    sheet    TEXT NOT NULL CHECK (json_valid(sheet)),
    value    REAL NOT NULL,
    unit     TEXT NOT NULL,
    most     REAL NOT NULL,
    passed   INTEGER NOT NULL CHECK (passed IN (0, 1)),
    note     TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE INDEX constancy_of_room ON constancy (room, test, receptor, done_on DESC);

CREATE TRIGGER constancy_is_kept BEFORE DELETE ON constancy BEGIN SELECT RAISE(ABORT, 'a constancy test is kept'); END;
CREATE TRIGGER constancy_never_changes BEFORE UPDATE ON constancy
BEGIN SELECT RAISE(ABORT, 'a constancy test never changes: do it again'); END;
