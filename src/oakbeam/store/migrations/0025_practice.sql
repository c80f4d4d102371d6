-- A class test: drills and seeds that an instructor picked, the same for all who do it.
CREATE TABLE practice_class (
    id    INTEGER PRIMARY KEY AUTOINCREMENT,
    name  TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    by    TEXT NOT NULL,
    at    TEXT NOT NULL,
    items TEXT NOT NULL CHECK (json_valid(items))
) STRICT;

-- An answer to a drill; in_class: of which class test, null in free practice. Nothing here is of a patient or the real log.
CREATE TABLE practice_answer (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    person   TEXT NOT NULL,
    drill    TEXT NOT NULL,
    seed     INTEGER NOT NULL,
    at       TEXT NOT NULL,
    answer   TEXT NOT NULL CHECK (json_valid(answer)),
    hinted   INTEGER NOT NULL CHECK (hinted IN (0, 1)),
    credit   REAL NOT NULL CHECK (credit BETWEEN 0 AND 1),
    in_class INTEGER REFERENCES practice_class (id)
) STRICT;

CREATE INDEX practice_answer_of_person ON practice_answer (person, id);
CREATE UNIQUE INDEX practice_answer_in_class ON practice_answer (in_class, person, drill, seed) WHERE in_class IS NOT NULL;
