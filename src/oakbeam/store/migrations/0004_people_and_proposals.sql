-- People, sessions and attempts to sign in; proposals; comments; lines that keep a key and may follow another line.
-- A CHECK cannot be altered, so chart is made anew: a version is proposed before it is approved.

DROP TRIGGER chart_keeps_its_approval;
DROP TRIGGER chart_is_kept;

CREATE TABLE chart_new (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    room        TEXT NOT NULL REFERENCES room (id),
    name        TEXT NOT NULL,
    version     INTEGER NOT NULL CHECK (version >= 1),
    status      TEXT NOT NULL CHECK (status IN ('draft', 'proposed', 'approved', 'superseded')),
    grid_table  TEXT NOT NULL CHECK (grid_table IN ('average', 'by_kvp')),
    author      TEXT NOT NULL,
    approver    TEXT NOT NULL DEFAULT '',
    created_at  TEXT NOT NULL,
    approved_at TEXT NOT NULL DEFAULT '',
    note        TEXT NOT NULL DEFAULT '',
    revision    INTEGER NOT NULL DEFAULT 1,
    proposed_by TEXT NOT NULL DEFAULT '',
    proposed_at TEXT NOT NULL DEFAULT '',
    next_key    INTEGER NOT NULL DEFAULT 1,
    UNIQUE (room, version)
) STRICT;

INSERT INTO chart_new (id, room, name, version, status, grid_table, author, approver, created_at, approved_at, note, revision)
SELECT id, room, name, version, status, grid_table, author, approver, created_at, approved_at, note, revision FROM chart;
DROP TABLE chart;
ALTER TABLE chart_new RENAME TO chart;

CREATE UNIQUE INDEX one_draft_per_room ON chart (room) WHERE status IN ('draft', 'proposed');
CREATE UNIQUE INDEX one_approved_per_room ON chart (room) WHERE status = 'approved';

CREATE TRIGGER chart_waits_unchanged BEFORE UPDATE ON chart
WHEN OLD.status = 'proposed' AND (
    NEW.status NOT IN ('draft', 'approved')
    OR (OLD.id, OLD.room, OLD.name, OLD.version, OLD.grid_table, OLD.author, OLD.created_at, OLD.note, OLD.revision)
    <> (NEW.id, NEW.room, NEW.name, NEW.version, NEW.grid_table, NEW.author, NEW.created_at, NEW.note, NEW.revision))
BEGIN SELECT RAISE(ABORT, 'a proposed chart version waits unchanged'); END;

CREATE TRIGGER chart_is_proposed_first BEFORE UPDATE OF status ON chart
WHEN OLD.status = 'draft' AND NEW.status NOT IN ('draft', 'proposed')
BEGIN SELECT RAISE(ABORT, 'a chart version is proposed before it is approved'); END;

CREATE TRIGGER chart_is_kept BEFORE DELETE ON chart WHEN OLD.status <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

-- key: which line this is, in every version of the room's chart; never given twice (chart.next_key). follows: the key of the line whose law it takes.
DROP TRIGGER line_changes_in_draft;

ALTER TABLE chart_line ADD COLUMN key INTEGER;
ALTER TABLE chart_line ADD COLUMN follows INTEGER;
ALTER TABLE chart_line ADD COLUMN follows_kvp REAL;
ALTER TABLE chart_line ADD COLUMN follows_mas REAL;
ALTER TABLE chart_line ADD COLUMN follows_cm REAL;
ALTER TABLE chart_line ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
UPDATE chart_line SET key = (
    SELECT count(*) FROM chart_line AS o
    WHERE o.chart = chart_line.chart AND (o.position, o.id) <= (chart_line.position, chart_line.id)
);
UPDATE chart SET next_key = (SELECT coalesce(max(key), 0) + 1 FROM chart_line WHERE chart_line.chart = chart.id);

-- What was approved stays as it was; a proposed version only goes back to draft or on to approved, its numbers untouched.
CREATE TRIGGER chart_keeps_its_approval BEFORE UPDATE ON chart
WHEN OLD.status IN ('approved', 'superseded') AND NOT (
    OLD.status = 'approved' AND NEW.status = 'superseded'
    AND (OLD.id, OLD.room, OLD.name, OLD.version, OLD.grid_table, OLD.author, OLD.approver, OLD.created_at,
         OLD.approved_at, OLD.note, OLD.revision, OLD.proposed_by, OLD.proposed_at)
      = (NEW.id, NEW.room, NEW.name, NEW.version, NEW.grid_table, NEW.author, NEW.approver, NEW.created_at,
         NEW.approved_at, NEW.note, NEW.revision, NEW.proposed_by, NEW.proposed_at))
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE UNIQUE INDEX one_key_per_chart ON chart_line (chart, key);

CREATE TRIGGER line_changes_in_draft BEFORE UPDATE ON chart_line
WHEN (SELECT count(*) FROM chart WHERE id IN (OLD.chart, NEW.chart) AND status <> 'draft') > 0
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TABLE comment (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    chart       INTEGER NOT NULL REFERENCES chart (id) ON DELETE CASCADE,
    line_key    INTEGER,
    at          TEXT NOT NULL,
    author      TEXT NOT NULL,
    text        TEXT NOT NULL CHECK (length(text) BETWEEN 1 AND 1000),
    resolved_at TEXT,
    resolved_by TEXT,
    CHECK ((resolved_at IS NULL) = (resolved_by IS NULL))
) STRICT;

CREATE INDEX comment_of_chart ON comment (chart, id);

CREATE TRIGGER comment_stays BEFORE UPDATE OF id, chart, line_key, at, author, text ON comment
BEGIN SELECT RAISE(ABORT, 'a comment is answered, not altered'); END;

CREATE TABLE person (
    id            TEXT PRIMARY KEY CHECK (length(id) BETWEEN 1 AND 40),
    name          TEXT NOT NULL,
    roles         TEXT NOT NULL CHECK (json_valid(roles)),
    password_hash TEXT NOT NULL,
    active        INTEGER NOT NULL DEFAULT 1 CHECK (active IN (0, 1)),
    created_at    TEXT NOT NULL,
    revision      INTEGER NOT NULL DEFAULT 1
) STRICT, WITHOUT ROWID;

-- Only the hash of a session's token is kept: who reads the file cannot take a session over.
CREATE TABLE session (
    token_hash TEXT PRIMARY KEY,
    person     TEXT NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    csrf       TEXT NOT NULL,
    created_at TEXT NOT NULL,
    seen_at    TEXT NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE sign_in (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      TEXT NOT NULL,
    person  TEXT NOT NULL,
    address TEXT NOT NULL,
    passed  INTEGER NOT NULL CHECK (passed IN (0, 1))
) STRICT;

CREATE INDEX sign_in_of_person ON sign_in (person, id DESC);
CREATE INDEX sign_in_of_address ON sign_in (address, id DESC);
