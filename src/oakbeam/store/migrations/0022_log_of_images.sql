-- The log takes in what images and dose reports say, not only what somebody typed at the Desk: of such an exposure the chart
-- line, the suggestion or the distance may not be known. A column cannot lose its NOT NULL, so the table is made anew.
DROP TRIGGER exposure_never_changes;
DROP TRIGGER exposure_stays_undone;
DROP TRIGGER exposure_is_kept;

CREATE TABLE exposure_new (
    id               INTEGER PRIMARY KEY AUTOINCREMENT,
    taken_at         TEXT NOT NULL,
    room             TEXT NOT NULL REFERENCES room (id),
    chart            INTEGER REFERENCES chart (id),
    chart_version    INTEGER,
    line_key         INTEGER,
    projection       TEXT NOT NULL,
    side             TEXT NOT NULL DEFAULT '' CHECK (side IN ('', 'right', 'left', 'both')),
    digit            TEXT NOT NULL DEFAULT '' CHECK (digit IN ('', '1', '2', '3', '4', '5', 'all')),
    study_key        TEXT NOT NULL DEFAULT '',
    event_key        TEXT,
    age_band         TEXT,
    sex              TEXT CHECK (sex IN ('female', 'male')),
    weight_kg        REAL,
    height_cm        REAL,
    thickness_cm     REAL NOT NULL,
    thickness_from   TEXT NOT NULL DEFAULT 'measured' CHECK (thickness_from IN ('measured', 'carried', 'estimated')),
    thickness_spread_cm REAL,
    suggested_kvp    REAL,
    suggested_mas    REAL,
    kvp              REAL NOT NULL,
    mas              REAL NOT NULL CHECK (mas > 0),
    sid_cm           REAL,
    support          TEXT,
    grid_ratio       INTEGER,
    receptor         TEXT,
    filter           TEXT,
    exposure_control TEXT NOT NULL,
    ei               REAL,
    shown_index      REAL,
    target_ei        REAL,
    optical_density  REAL,
    di               REAL,
    incident_air_kerma_mgy REAL,
    kap_mgycm2       REAL,
    reported_kerma_mgy REAL,
    reported_kap_mgycm2 REAL,
    outcome          TEXT NOT NULL CHECK (outcome IN ('accepted', 'rejected')),
    rejects_known    INTEGER NOT NULL DEFAULT 1 CHECK (rejects_known IN (0, 1)),
    reject_reason    TEXT,
    findings         TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(findings)),
    reliable         INTEGER NOT NULL CHECK (reliable IN (0, 1)),
    far_over         INTEGER NOT NULL DEFAULT 0 CHECK (far_over IN (0, 1)),
    attempt          INTEGER NOT NULL DEFAULT 1 CHECK (attempt BETWEEN 1 AND 20),
    held_by          TEXT NOT NULL DEFAULT '',
    note             TEXT NOT NULL DEFAULT '',
    origin           TEXT NOT NULL DEFAULT 'desk' CHECK (origin IN ('desk', 'image', 'both', 'file')),
    sources          TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(sources)),
    recorded_by      TEXT,
    recorded_as      TEXT NOT NULL DEFAULT '',
    undone_at        TEXT,
    CHECK ((outcome = 'rejected') = (reject_reason IS NOT NULL)),
    CHECK ((chart IS NULL) = (chart_version IS NULL)),
    CHECK ((suggested_kvp IS NULL) = (suggested_mas IS NULL))
) STRICT;

INSERT INTO exposure_new (
    id, taken_at, room, chart, chart_version, projection, side, digit, study_key, age_band, thickness_cm, thickness_from,
    suggested_kvp, suggested_mas, kvp, mas, sid_cm, support, grid_ratio, receptor, filter, exposure_control, ei, shown_index,
    target_ei, optical_density, di, incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, findings, reliable, attempt,
    held_by, note, recorded_by, undone_at
) SELECT
    id, taken_at, room, chart, chart_version, projection, side, digit, study_key, age_band, thickness_cm, thickness_from,
    suggested_kvp, suggested_mas, kvp, mas, sid_cm, support, grid_ratio, receptor, filter, exposure_control, ei, shown_index,
    target_ei, optical_density, di, incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, findings, reliable, attempt,
    held_by, note, recorded_by, undone_at
FROM exposure;
DROP TABLE exposure;
ALTER TABLE exposure_new RENAME TO exposure;

CREATE INDEX exposure_newest ON exposure (taken_at DESC, id DESC);
CREATE INDEX exposure_of_room ON exposure (room, taken_at DESC, id DESC);
CREATE INDEX exposure_of_projection ON exposure (projection, taken_at DESC, id DESC);
CREATE INDEX exposure_of_room_projection ON exposure (room, projection, taken_at DESC, id DESC);
CREATE INDEX exposure_of_person ON exposure (recorded_by, taken_at DESC, id DESC);
CREATE INDEX exposure_far_over ON exposure (taken_at DESC, id DESC) WHERE far_over = 1;
CREATE INDEX exposure_not_of_the_desk ON exposure (taken_at DESC, id DESC) WHERE origin <> 'desk';
CREATE INDEX exposure_rejected ON exposure (taken_at DESC, id DESC) WHERE outcome = 'rejected';
CREATE INDEX exposure_of_study ON exposure (study_key, projection) WHERE study_key <> '';
CREATE UNIQUE INDEX exposure_of_event ON exposure (event_key) WHERE event_key IS NOT NULL AND undone_at IS NULL;

-- What somebody recorded never changes: what they left out may come from the image. A row that only images made, which nobody
-- recorded yet, takes in the Desk's record and further objects.
CREATE TRIGGER exposure_never_changes BEFORE UPDATE ON exposure
WHEN OLD.origin <> 'image' AND (
    NEW.id IS NOT OLD.id OR NEW.taken_at IS NOT OLD.taken_at OR NEW.room IS NOT OLD.room
    OR (OLD.chart IS NOT NULL AND NEW.chart IS NOT OLD.chart)
    OR (OLD.chart_version IS NOT NULL AND NEW.chart_version IS NOT OLD.chart_version)
    OR (OLD.line_key IS NOT NULL AND NEW.line_key IS NOT OLD.line_key)
    OR NEW.projection IS NOT OLD.projection OR NEW.side IS NOT OLD.side OR NEW.digit IS NOT OLD.digit
    OR NEW.study_key IS NOT OLD.study_key
    OR (OLD.event_key IS NOT NULL AND NEW.event_key IS NOT OLD.event_key)
    OR (OLD.age_band IS NOT NULL AND NEW.age_band IS NOT OLD.age_band)
    OR (OLD.sex IS NOT NULL AND NEW.sex IS NOT OLD.sex)
    OR (OLD.weight_kg IS NOT NULL AND NEW.weight_kg IS NOT OLD.weight_kg)
    OR (OLD.height_cm IS NOT NULL AND NEW.height_cm IS NOT OLD.height_cm)
    OR NEW.thickness_cm IS NOT OLD.thickness_cm OR NEW.thickness_from IS NOT OLD.thickness_from
    OR NEW.thickness_spread_cm IS NOT OLD.thickness_spread_cm
    OR (OLD.suggested_kvp IS NOT NULL AND NEW.suggested_kvp IS NOT OLD.suggested_kvp)
    OR (OLD.suggested_mas IS NOT NULL AND NEW.suggested_mas IS NOT OLD.suggested_mas)
    OR NEW.kvp IS NOT OLD.kvp OR NEW.mas IS NOT OLD.mas
    OR (OLD.sid_cm IS NOT NULL AND NEW.sid_cm IS NOT OLD.sid_cm)
    OR (OLD.support IS NOT NULL AND NEW.support IS NOT OLD.support)
    OR (OLD.grid_ratio IS NOT NULL AND NEW.grid_ratio IS NOT OLD.grid_ratio)
    OR (OLD.receptor IS NOT NULL AND NEW.receptor IS NOT OLD.receptor)
    OR (OLD.filter IS NOT NULL AND NEW.filter IS NOT OLD.filter)
    OR NEW.exposure_control IS NOT OLD.exposure_control
    OR (OLD.ei IS NOT NULL AND NEW.ei IS NOT OLD.ei)
    OR (OLD.shown_index IS NOT NULL AND NEW.shown_index IS NOT OLD.shown_index)
    OR (OLD.target_ei IS NOT NULL AND NEW.target_ei IS NOT OLD.target_ei)
    OR (OLD.optical_density IS NOT NULL AND NEW.optical_density IS NOT OLD.optical_density)
    OR (OLD.di IS NOT NULL AND NEW.di IS NOT OLD.di)
    OR (OLD.incident_air_kerma_mgy IS NOT NULL AND NEW.incident_air_kerma_mgy IS NOT OLD.incident_air_kerma_mgy)
    OR (OLD.kap_mgycm2 IS NOT NULL AND NEW.kap_mgycm2 IS NOT OLD.kap_mgycm2)
    OR (OLD.reported_kerma_mgy IS NOT NULL AND NEW.reported_kerma_mgy IS NOT OLD.reported_kerma_mgy)
    OR (OLD.reported_kap_mgycm2 IS NOT NULL AND NEW.reported_kap_mgycm2 IS NOT OLD.reported_kap_mgycm2)
    OR NEW.outcome IS NOT OLD.outcome OR NEW.rejects_known IS NOT OLD.rejects_known
    OR NEW.reject_reason IS NOT OLD.reject_reason OR NEW.findings IS NOT OLD.findings
    OR NEW.reliable IS NOT OLD.reliable OR NEW.far_over < OLD.far_over OR NEW.attempt IS NOT OLD.attempt OR NEW.held_by IS NOT OLD.held_by
    OR NEW.note IS NOT OLD.note OR NEW.recorded_by IS NOT OLD.recorded_by OR NEW.recorded_as IS NOT OLD.recorded_as
)
BEGIN SELECT RAISE(ABORT, 'a recorded exposure can only be undone'); END;

CREATE TRIGGER exposure_stays_undone BEFORE UPDATE ON exposure
WHEN OLD.undone_at IS NOT NULL
BEGIN SELECT RAISE(ABORT, 'a recorded exposure is undone once'); END;

CREATE TRIGGER exposure_is_kept BEFORE DELETE ON exposure
BEGIN SELECT RAISE(ABORT, 'a recorded exposure is kept; undo it instead'); END;

-- The log in sums, kept in the transaction that changes an exposure (store/tally.py). A room or a projection of '' stands for
-- all of them. Sums are whole numbers, so that what is taken back leaves nothing behind: DI in hundredths and its square in
-- ten-thousandths, dose in thousandths of a decade.
CREATE TABLE log_day (
    room          TEXT NOT NULL,
    projection    TEXT NOT NULL,
    day           TEXT NOT NULL,
    made          INTEGER NOT NULL,
    rejects_known INTEGER NOT NULL,
    rejected      INTEGER NOT NULL,
    repeats       INTEGER NOT NULL,
    judged        INTEGER NOT NULL,
    within        INTEGER NOT NULL,
    di_sum        INTEGER NOT NULL,
    di_squares    INTEGER NOT NULL,
    dosed         INTEGER NOT NULL,
    kerma_sum     INTEGER NOT NULL,
    PRIMARY KEY (room, projection, day)
) STRICT, WITHOUT ROWID;

-- How many of what, by month: what is 'di' (bin: tenths), 'kerma' and 'kap' (bin: fortieths of a decade of mGy and mGy·cm²),
-- 'reason' (bin: why rejected), 'made by' and 'rejected by' (bin: as what the person recorded).
CREATE TABLE log_month (
    room       TEXT NOT NULL,
    month      TEXT NOT NULL,
    projection TEXT NOT NULL,
    what       TEXT NOT NULL,
    bin        ANY NOT NULL,
    n          INTEGER NOT NULL,
    PRIMARY KEY (room, month, projection, what, bin)
) STRICT, WITHOUT ROWID;

-- One row for each object that was read, so that reading it again changes nothing. Keys are one-way. facts: what it says,
-- without identity, kept while it waits; waits_for says for what.
CREATE TABLE image (
    key       TEXT PRIMARY KEY,
    read_at   TEXT NOT NULL,
    device    TEXT NOT NULL DEFAULT '',
    view      TEXT NOT NULL DEFAULT '',
    event     TEXT,
    exposure  INTEGER REFERENCES exposure (id),
    waits_for TEXT CHECK (waits_for IN ('room', 'view', 'same')),
    facts     TEXT CHECK (facts IS NULL OR json_valid(facts)),
    CHECK ((waits_for IS NULL) = (facts IS NULL))
) STRICT, WITHOUT ROWID;

-- Images that a reject note named before they came, by key, and why.
CREATE TABLE image_rejected (key TEXT PRIMARY KEY, reason TEXT NOT NULL) STRICT, WITHOUT ROWID;

-- Files of folders that were read, by one-way keys of path, size and time: an import that broke off goes on where it was.
CREATE TABLE image_file (key TEXT PRIMARY KEY) STRICT, WITHOUT ROWID;

CREATE INDEX image_of_event ON image (event) WHERE waits_for IS NOT NULL;
CREATE INDEX image_of_exposure ON image (exposure) WHERE exposure IS NOT NULL;
CREATE INDEX image_waiting ON image (waits_for, device, view) WHERE waits_for IS NOT NULL;

-- What the department said of a machine (by its one-way key) and of the words that images name a view by.
CREATE TABLE image_room (
    device TEXT PRIMARY KEY,
    room   TEXT NOT NULL REFERENCES room (id),
    at     TEXT NOT NULL,
    by     TEXT NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE image_view (
    view       TEXT PRIMARY KEY,
    projection TEXT NOT NULL,
    at         TEXT NOT NULL,
    by         TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- What identifiers are hashed with, the department's own: a key means nothing elsewhere.
INSERT INTO setting (key, body) VALUES ('image-salt', '"' || lower(hex(randomblob(32))) || '"');

-- What is there already, taken into the sums.
INSERT INTO log_day
SELECT iif(any_room, '', room), iif(any_view, '', projection), day,
    sum(made), sum(rejects_known), sum(rejected), sum(repeats), sum(judged), sum(within), sum(di_sum), sum(di_squares), sum(dosed), sum(kerma_sum)
FROM (SELECT room, projection, substr(taken_at, 1, 10) AS day, count(*) AS made, sum(rejects_known) AS rejects_known,
    sum(rejects_known AND outcome = 'rejected') AS rejected, sum(attempt > 1) AS repeats,
    sum(reliable AND di IS NOT NULL) AS judged, sum(reliable AND di IS NOT NULL AND abs(di) <= 1) AS within,
    sum(iif(reliable, CAST(round(100 * coalesce(di, 0)) AS INTEGER), 0)) AS di_sum,
    sum(iif(reliable, CAST(round(10000 * coalesce(di * di, 0)) AS INTEGER), 0)) AS di_squares,
    sum(coalesce(incident_air_kerma_mgy, 0) > 0) AS dosed,
    sum(iif(coalesce(incident_air_kerma_mgy, 0) > 0,
        CAST(round(1000 * log10(incident_air_kerma_mgy)) AS INTEGER), 0)) AS kerma_sum
FROM exposure WHERE undone_at IS NULL GROUP BY 1, 2, 3),
    (SELECT 0 AS any_room UNION ALL SELECT 1), (SELECT 0 AS any_view UNION ALL SELECT 1) GROUP BY 1, 2, 3;

INSERT INTO log_month
SELECT iif(any_room, '', room), month, projection, what, bin, sum(n)
FROM (WITH counted AS MATERIALIZED (
    SELECT room, projection, substr(taken_at, 1, 7) AS month, reliable, di, incident_air_kerma_mgy AS kerma, coalesce(reported_kap_mgycm2, kap_mgycm2) AS kap,
        reject_reason, rejects_known, outcome, recorded_as
    FROM exposure WHERE undone_at IS NULL
) SELECT room, projection, month, what, bin, count(*) AS n FROM (
    SELECT room, projection, month, 'di' AS what, CAST(round(10 * di) AS INTEGER) AS bin FROM counted WHERE reliable AND di IS NOT NULL
    UNION ALL SELECT room, projection, month, 'kerma' AS what, CAST(round(40 * log10(kerma)) AS INTEGER) AS bin FROM counted WHERE kerma > 0
    UNION ALL SELECT room, projection, month, 'kap' AS what, CAST(round(40 * log10(kap)) AS INTEGER) AS bin FROM counted WHERE kap > 0
    UNION ALL SELECT room, projection, month, 'reason' AS what, reject_reason AS bin FROM counted WHERE reject_reason IS NOT NULL
    UNION ALL SELECT room, projection, month, 'made by' AS what, recorded_as AS bin FROM counted WHERE rejects_known
    UNION ALL SELECT room, projection, month, 'rejected by' AS what, recorded_as AS bin FROM counted WHERE rejects_known AND outcome = 'rejected'
) GROUP BY 1, 2, 3, 4, 5),
    (SELECT 0 AS any_room UNION ALL SELECT 1) GROUP BY 1, 2, 3, 4, 5;
