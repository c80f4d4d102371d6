-- Where a line's numbers come from, and how sure a draft from test exposures was; the filter an exposure was made with.
-- What stands here already was typed, as far as anybody can tell now.
ALTER TABLE chart_line ADD COLUMN origin TEXT NOT NULL DEFAULT 'typed' CHECK (origin IN ('typed', 'exposure', 'tests', 'model'));
ALTER TABLE chart_line ADD COLUMN origin_spread_di REAL;
ALTER TABLE exposure ADD COLUMN filter TEXT;
