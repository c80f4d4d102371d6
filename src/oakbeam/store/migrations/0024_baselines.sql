-- The period of a series that somebody accepted as how it should be: the limits of its control chart stand about it.
CREATE TABLE baseline (
    room   TEXT NOT NULL REFERENCES room (id),
    series TEXT NOT NULL,
    since  TEXT NOT NULL,
    until  TEXT NOT NULL CHECK (until >= since),
    at     TEXT NOT NULL,
    by     TEXT NOT NULL,
    PRIMARY KEY (room, series)
) STRICT, WITHOUT ROWID;

-- A filter of the log that a person keeps under a name: the words of its address.
CREATE TABLE kept_filter (
    person  TEXT NOT NULL,
    name    TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    address TEXT NOT NULL CHECK (length(address) BETWEEN 1 AND 600),
    PRIMARY KEY (person, name)
) STRICT, WITHOUT ROWID;
