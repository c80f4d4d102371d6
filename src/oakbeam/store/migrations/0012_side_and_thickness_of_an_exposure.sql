-- Which side was examined, how its thickness was known, which try of the view it was, and who held the patient.
ALTER TABLE exposure ADD COLUMN side TEXT NOT NULL DEFAULT '' CHECK (side IN ('', 'right', 'left', 'both'));
ALTER TABLE exposure ADD COLUMN thickness_from TEXT NOT NULL DEFAULT 'measured'
    CHECK (thickness_from IN ('measured', 'carried', 'estimated'));
ALTER TABLE exposure ADD COLUMN attempt INTEGER NOT NULL DEFAULT 1 CHECK (attempt BETWEEN 1 AND 20);
ALTER TABLE exposure ADD COLUMN held_by TEXT NOT NULL DEFAULT '';
DROP TRIGGER exposure_never_changes;
CREATE TRIGGER exposure_never_changes BEFORE UPDATE OF
    id, taken_at, room, chart, chart_version, projection, study_key, age_band, thickness_cm, suggested_kvp, suggested_mas,
    kvp, mas, sid_cm, support, grid_ratio, receptor, exposure_control, ei, target_ei, optical_density, di,
    incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, findings, reliable, note, filter, recorded_by, side,
    thickness_from, attempt, held_by
ON exposure BEGIN SELECT RAISE(ABORT, 'a recorded exposure can only be undone'); END;
