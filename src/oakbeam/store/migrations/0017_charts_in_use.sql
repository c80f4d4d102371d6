-- An approved version in use: until when it is to be looked at again, and who has read what changed with it.
CREATE TABLE chart_review (
    id    INTEGER PRIMARY KEY AUTOINCREMENT,
    chart INTEGER NOT NULL REFERENCES chart (id),
    at    TEXT NOT NULL,
    by    TEXT NOT NULL,
    due   TEXT NOT NULL,
    note  TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE INDEX review_of_chart ON chart_review (chart, id DESC);

CREATE TABLE chart_read (
    chart  INTEGER NOT NULL REFERENCES chart (id),
    person TEXT NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    at     TEXT NOT NULL,
    PRIMARY KEY (chart, person)
) STRICT, WITHOUT ROWID;

CREATE TRIGGER chart_review_is_kept BEFORE DELETE ON chart_review BEGIN SELECT RAISE(ABORT, 'reviews are kept'); END;
CREATE TRIGGER chart_review_never_changes BEFORE UPDATE ON chart_review BEGIN SELECT RAISE(ABORT, 'reviews are kept'); END;
