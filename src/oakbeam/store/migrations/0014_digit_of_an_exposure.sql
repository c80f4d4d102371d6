-- Which finger or toe was asked for.
ALTER TABLE exposure ADD COLUMN digit TEXT NOT NULL DEFAULT '' CHECK (digit IN ('', '1', '2', '3', '4', '5', 'all'));
DROP TRIGGER exposure_never_changes;
CREATE TRIGGER exposure_never_changes BEFORE UPDATE OF
    id, taken_at, room, chart, chart_version, projection, study_key, age_band, thickness_cm, suggested_kvp, suggested_mas,
    kvp, mas, sid_cm, support, grid_ratio, receptor, exposure_control, ei, target_ei, optical_density, di,
    incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, findings, reliable, note, filter, recorded_by, side,
    thickness_from, attempt, held_by, digit
ON exposure BEGIN SELECT RAISE(ABORT, 'a recorded exposure can only be undone'); END;
