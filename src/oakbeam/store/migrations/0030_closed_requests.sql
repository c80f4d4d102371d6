-- Requests of the worklist whose views that are still due somebody said are not to be taken, by study key.
CREATE TABLE closed_request (study_key TEXT PRIMARY KEY, at TEXT NOT NULL, by TEXT NOT NULL) STRICT, WITHOUT ROWID;
