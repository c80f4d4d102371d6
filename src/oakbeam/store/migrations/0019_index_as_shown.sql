-- What a console with an index scale of its own showed; ei is what that stood for when it was recorded.
ALTER TABLE exposure ADD COLUMN shown_index REAL;
DROP TRIGGER exposure_never_changes;
CREATE TRIGGER exposure_never_changes BEFORE UPDATE OF
    id, taken_at, room, chart, chart_version, projection, study_key, age_band, thickness_cm, suggested_kvp, suggested_mas,
    kvp, mas, sid_cm, support, grid_ratio, receptor, exposure_control, ei, target_ei, optical_density, di,
    incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, findings, reliable, note, filter, recorded_by, side,
    thickness_from, attempt, held_by, digit, shown_index
ON exposure BEGIN SELECT RAISE(ABORT, 'a recorded exposure can only be undone'); END;
