-- What the listener refused: when, from whom, and why, without a word of what was sent. The newest of them are kept.
CREATE TABLE refused_object (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      TEXT NOT NULL,
    caller  TEXT NOT NULL,
    address TEXT NOT NULL,
    why     TEXT NOT NULL,
    n       INTEGER NOT NULL DEFAULT 1
) STRICT;
