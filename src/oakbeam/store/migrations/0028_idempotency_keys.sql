-- The key that a browser gives a record, so that the same record sent again is the same row. digest: of what was sent.
CREATE TABLE exposure_key (
    person   TEXT NOT NULL,
    key      TEXT NOT NULL,
    digest   TEXT NOT NULL,
    exposure INTEGER NOT NULL REFERENCES exposure (id),
    at       TEXT NOT NULL,
    PRIMARY KEY (person, key)
) STRICT, WITHOUT ROWID;
CREATE INDEX exposure_key_age ON exposure_key (at);
