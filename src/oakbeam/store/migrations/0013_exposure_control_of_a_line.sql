-- How a line is exposed: manual, by AEC (its chambers, NULL for the projection's usual ones, and density step), or breathing.
ALTER TABLE chart_line ADD COLUMN exposure_control TEXT NOT NULL DEFAULT 'manual'
    CHECK (exposure_control IN ('manual', 'aec', 'breathing'));
ALTER TABLE chart_line ADD COLUMN aec_cells TEXT;
ALTER TABLE chart_line ADD COLUMN aec_density INTEGER NOT NULL DEFAULT 0;
