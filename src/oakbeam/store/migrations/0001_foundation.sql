-- Rooms, charts with their lines and bands, exposures, audit.
-- An approved chart version never changes: the triggers hold that even against a hand-written statement.

CREATE TABLE room (
    id        TEXT PRIMARY KEY,
    name      TEXT NOT NULL,
    equipment TEXT NOT NULL CHECK (json_valid(equipment)),
    revision  INTEGER NOT NULL DEFAULT 1
) STRICT;

CREATE TABLE chart (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    room        TEXT NOT NULL REFERENCES room (id),
    name        TEXT NOT NULL,
    version     INTEGER NOT NULL CHECK (version >= 1),
    status      TEXT NOT NULL CHECK (status IN ('draft', 'approved', 'superseded')),
    grid_table  TEXT NOT NULL CHECK (grid_table IN ('average', 'by_kvp')),
    author      TEXT NOT NULL,
    approver    TEXT NOT NULL DEFAULT '',
    created_at  TEXT NOT NULL,
    approved_at TEXT NOT NULL DEFAULT '',
    note        TEXT NOT NULL DEFAULT '',
    revision    INTEGER NOT NULL DEFAULT 1,
    UNIQUE (room, version)
) STRICT;

CREATE UNIQUE INDEX one_draft_per_room ON chart (room) WHERE status = 'draft';
CREATE UNIQUE INDEX one_approved_per_room ON chart (room) WHERE status = 'approved';

CREATE TABLE chart_line (
    id           INTEGER PRIMARY KEY AUTOINCREMENT,
    chart        INTEGER NOT NULL REFERENCES chart (id) ON DELETE CASCADE,
    position     INTEGER NOT NULL,
    projection   TEXT NOT NULL,
    receptor     TEXT NOT NULL,
    support      TEXT NOT NULL,
    grid_ratio   INTEGER NOT NULL,
    sid_cm       REAL NOT NULL CHECK (sid_cm > 0),
    range_min_cm REAL NOT NULL,
    range_max_cm REAL NOT NULL CHECK (range_max_cm > range_min_cm),
    target_ei    REAL,
    field_w_cm   REAL,
    field_h_cm   REAL,
    note         TEXT NOT NULL DEFAULT '',
    school       TEXT NOT NULL CHECK (school IN ('fixed_kvp', 'variable_kvp', 'banded')),
    thickness_cm REAL,
    kvp          REAL,
    mas          REAL,
    doubling_cm  REAL,
    kvp_per_cm   REAL,
    CHECK ((school = 'banded') = (mas IS NULL)),
    CHECK ((school = 'fixed_kvp') = (doubling_cm IS NOT NULL)),
    CHECK ((school = 'variable_kvp') = (kvp_per_cm IS NOT NULL)),
    CHECK ((field_w_cm IS NULL) = (field_h_cm IS NULL))
) STRICT;

CREATE INDEX chart_line_of_chart ON chart_line (chart, position);

CREATE TABLE chart_band (
    line     INTEGER NOT NULL REFERENCES chart_line (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    name     TEXT NOT NULL,
    min_cm   REAL NOT NULL,
    max_cm   REAL NOT NULL CHECK (max_cm > min_cm),
    kvp      REAL NOT NULL,
    mas      REAL NOT NULL CHECK (mas > 0),
    PRIMARY KEY (line, position)
) STRICT, WITHOUT ROWID;

CREATE TRIGGER chart_keeps_its_approval BEFORE UPDATE ON chart
WHEN OLD.status <> 'draft' AND NOT (
    OLD.status = 'approved' AND NEW.status = 'superseded'
    AND (OLD.id, OLD.room, OLD.name, OLD.version, OLD.grid_table, OLD.author, OLD.approver, OLD.created_at,
         OLD.approved_at, OLD.note, OLD.revision)
      = (NEW.id, NEW.room, NEW.name, NEW.version, NEW.grid_table, NEW.author, NEW.approver, NEW.created_at,
         NEW.approved_at, NEW.note, NEW.revision))
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER chart_is_kept BEFORE DELETE ON chart WHEN OLD.status <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER line_joins_draft BEFORE INSERT ON chart_line
WHEN (SELECT status FROM chart WHERE id = NEW.chart) <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER line_changes_in_draft BEFORE UPDATE ON chart_line
WHEN (SELECT count(*) FROM chart WHERE id IN (OLD.chart, NEW.chart) AND status <> 'draft') > 0
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER line_leaves_draft BEFORE DELETE ON chart_line
WHEN (SELECT status FROM chart WHERE id = OLD.chart) <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER band_joins_draft BEFORE INSERT ON chart_band
WHEN (SELECT status FROM chart JOIN chart_line ON chart_line.chart = chart.id WHERE chart_line.id = NEW.line) <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER band_changes_in_draft BEFORE UPDATE ON chart_band
WHEN (SELECT count(*) FROM chart JOIN chart_line ON chart_line.chart = chart.id
      WHERE chart_line.id IN (OLD.line, NEW.line) AND chart.status <> 'draft') > 0
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER band_leaves_draft BEFORE DELETE ON chart_band
WHEN (SELECT status FROM chart JOIN chart_line ON chart_line.chart = chart.id WHERE chart_line.id = OLD.line) <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

-- One row for each exposure made. No patient identity: study_key is a local key that means nothing elsewhere.
CREATE TABLE exposure (
    id               INTEGER PRIMARY KEY AUTOINCREMENT,
    taken_at         TEXT NOT NULL,
    room             TEXT NOT NULL REFERENCES room (id),
    chart            INTEGER NOT NULL REFERENCES chart (id),
    chart_version    INTEGER NOT NULL,
    projection       TEXT NOT NULL,
    study_key        TEXT NOT NULL DEFAULT '',
    age_band         TEXT,
    thickness_cm     REAL NOT NULL,
    suggested_kvp    REAL NOT NULL,
    suggested_mas    REAL NOT NULL,
    kvp              REAL NOT NULL,
    mas              REAL NOT NULL CHECK (mas > 0),
    sid_cm           REAL NOT NULL,
    support          TEXT NOT NULL,
    grid_ratio       INTEGER NOT NULL,
    receptor         TEXT NOT NULL,
    exposure_control TEXT NOT NULL,
    ei               REAL,
    target_ei        REAL,
    optical_density  REAL,
    di               REAL,
    incident_air_kerma_mgy REAL,
    kap_mgycm2       REAL,
    outcome          TEXT NOT NULL CHECK (outcome IN ('accepted', 'rejected')),
    reject_reason    TEXT,
    findings         TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(findings)),
    reliable         INTEGER NOT NULL CHECK (reliable IN (0, 1)),
    note             TEXT NOT NULL DEFAULT '',
    undone_at        TEXT,
    CHECK ((outcome = 'rejected') = (reject_reason IS NOT NULL))
) STRICT;

CREATE INDEX exposure_newest ON exposure (taken_at DESC, id DESC);
CREATE INDEX exposure_of_projection ON exposure (projection, taken_at DESC);

CREATE TRIGGER exposure_never_changes BEFORE UPDATE OF
    id, taken_at, room, chart, chart_version, projection, study_key, age_band, thickness_cm, suggested_kvp, suggested_mas,
    kvp, mas, sid_cm, support, grid_ratio, receptor, exposure_control, ei, target_ei, optical_density, di,
    incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, findings, reliable, note
ON exposure BEGIN SELECT RAISE(ABORT, 'a recorded exposure can only be undone'); END;

CREATE TRIGGER exposure_stays_undone BEFORE UPDATE OF undone_at ON exposure
WHEN OLD.undone_at IS NOT NULL OR NEW.undone_at IS NULL
BEGIN SELECT RAISE(ABORT, 'a recorded exposure is undone once'); END;

CREATE TRIGGER exposure_is_kept BEFORE DELETE ON exposure
BEGIN SELECT RAISE(ABORT, 'a recorded exposure is kept; undo it instead'); END;

CREATE TABLE audit (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      TEXT NOT NULL,
    actor   TEXT NOT NULL,
    action  TEXT NOT NULL,
    subject TEXT NOT NULL,
    detail  TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(detail))
) STRICT;

CREATE INDEX audit_of_subject ON audit (subject, id DESC);

CREATE TRIGGER audit_is_kept BEFORE DELETE ON audit BEGIN SELECT RAISE(ABORT, 'audit rows are kept'); END;
CREATE TRIGGER audit_never_changes BEFORE UPDATE ON audit BEGIN SELECT RAISE(ABORT, 'audit rows never change'); END;
