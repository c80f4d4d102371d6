-- The tube filter that a line is exposed with, by its id in the room; none where it is NULL.
ALTER TABLE chart_line ADD COLUMN filter TEXT;
