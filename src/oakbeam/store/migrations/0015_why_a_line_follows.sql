-- Why a line follows another one, as the department gives it.
ALTER TABLE chart_line ADD COLUMN follows_why TEXT NOT NULL DEFAULT '';
