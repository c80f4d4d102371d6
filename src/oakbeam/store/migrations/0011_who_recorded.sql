-- Who recorded an exposure, so that everybody takes back their own; the trigger knows the newer columns too.
ALTER TABLE exposure ADD COLUMN recorded_by TEXT;
UPDATE exposure SET recorded_by = (
    SELECT actor FROM audit WHERE action = 'exposure.record' AND subject = 'exposure:' || exposure.id
);
DROP TRIGGER exposure_never_changes;
CREATE TRIGGER exposure_never_changes BEFORE UPDATE OF
    id, taken_at, room, chart, chart_version, projection, study_key, age_band, thickness_cm, suggested_kvp, suggested_mas,
    kvp, mas, sid_cm, support, grid_ratio, receptor, exposure_control, ei, target_ei, optical_density, di,
    incident_air_kerma_mgy, kap_mgycm2, outcome, reject_reason, findings, reliable, note, filter, recorded_by
ON exposure BEGIN SELECT RAISE(ABORT, 'a recorded exposure can only be undone'); END;
