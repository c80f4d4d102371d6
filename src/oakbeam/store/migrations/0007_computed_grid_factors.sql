-- A chart may take its grid factors from the physics model for the part at hand, and new ones do. A CHECK cannot be altered,
-- so chart is made anew, with what guards it as it was.

DROP TRIGGER chart_waits_unchanged;
DROP TRIGGER chart_is_proposed_first;
DROP TRIGGER chart_is_kept;
DROP TRIGGER chart_keeps_its_approval;

CREATE TABLE chart_new (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    room        TEXT NOT NULL REFERENCES room (id),
    name        TEXT NOT NULL,
    version     INTEGER NOT NULL CHECK (version >= 1),
    status      TEXT NOT NULL CHECK (status IN ('draft', 'proposed', 'approved', 'superseded')),
    grid_table  TEXT NOT NULL CHECK (grid_table IN ('computed', 'average', 'by_kvp')),
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

INSERT INTO chart_new SELECT id, room, name, version, status, grid_table, author, approver, created_at, approved_at, note, revision,
    proposed_by, proposed_at, next_key FROM chart;
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

CREATE TRIGGER chart_keeps_its_approval BEFORE UPDATE ON chart
WHEN OLD.status IN ('approved', 'superseded') AND NOT (
    OLD.status = 'approved' AND NEW.status = 'superseded'
    AND (OLD.id, OLD.room, OLD.name, OLD.version, OLD.grid_table, OLD.author, OLD.approver, OLD.created_at,
         OLD.approved_at, OLD.note, OLD.revision, OLD.proposed_by, OLD.proposed_at)
      = (NEW.id, NEW.room, NEW.name, NEW.version, NEW.grid_table, NEW.author, NEW.approver, NEW.created_at,
         NEW.approved_at, NEW.note, NEW.revision, NEW.proposed_by, NEW.proposed_at))
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;
