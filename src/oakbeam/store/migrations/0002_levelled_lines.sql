-- Levelled lines: a school of its own and their points. A CHECK cannot be altered, so chart_line is made anew; its triggers
-- and those of chart_band, which name it, are dropped before and made again after.

DROP TRIGGER line_joins_draft;
DROP TRIGGER line_changes_in_draft;
DROP TRIGGER line_leaves_draft;
DROP TRIGGER band_joins_draft;
DROP TRIGGER band_changes_in_draft;
DROP TRIGGER band_leaves_draft;

CREATE TABLE chart_line_new (
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
    school       TEXT NOT NULL CHECK (school IN ('fixed_kvp', 'variable_kvp', 'banded', 'levelled')),
    thickness_cm REAL,
    kvp          REAL,
    mas          REAL,
    doubling_cm  REAL,
    kvp_per_cm   REAL,
    CHECK ((school IN ('banded', 'levelled')) = (mas IS NULL)),
    CHECK (school <> 'levelled' OR thickness_cm IS NOT NULL),
    CHECK ((school = 'fixed_kvp') = (doubling_cm IS NOT NULL)),
    CHECK ((school = 'variable_kvp') = (kvp_per_cm IS NOT NULL)),
    CHECK ((field_w_cm IS NULL) = (field_h_cm IS NULL))
) STRICT;

INSERT INTO chart_line_new SELECT * FROM chart_line;
DROP TABLE chart_line;
ALTER TABLE chart_line_new RENAME TO chart_line;
CREATE INDEX chart_line_of_chart ON chart_line (chart, position);

CREATE TABLE chart_point (
    line         INTEGER NOT NULL REFERENCES chart_line (id) ON DELETE CASCADE,
    position     INTEGER NOT NULL,
    thickness_cm REAL NOT NULL,
    kvp          REAL NOT NULL,
    mas          REAL NOT NULL CHECK (mas > 0),
    PRIMARY KEY (line, position)
) STRICT, WITHOUT ROWID;

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

CREATE TRIGGER point_joins_draft BEFORE INSERT ON chart_point
WHEN (SELECT status FROM chart JOIN chart_line ON chart_line.chart = chart.id WHERE chart_line.id = NEW.line) <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER point_changes_in_draft BEFORE UPDATE ON chart_point
WHEN (SELECT count(*) FROM chart JOIN chart_line ON chart_line.chart = chart.id
      WHERE chart_line.id IN (OLD.line, NEW.line) AND chart.status <> 'draft') > 0
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;

CREATE TRIGGER point_leaves_draft BEFORE DELETE ON chart_point
WHEN (SELECT status FROM chart JOIN chart_line ON chart_line.chart = chart.id WHERE chart_line.id = OLD.line) <> 'draft'
BEGIN SELECT RAISE(ABORT, 'an approved chart version is immutable'); END;
