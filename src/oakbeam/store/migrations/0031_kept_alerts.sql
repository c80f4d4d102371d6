-- How often the log of a room changed; and what was found to have moved in it, kept with what it was found from.
CREATE TABLE log_mark (room TEXT PRIMARY KEY, n INTEGER NOT NULL) STRICT, WITHOUT ROWID;
CREATE TABLE kept_alerts (room TEXT PRIMARY KEY, mark TEXT NOT NULL, alerts TEXT NOT NULL) STRICT, WITHOUT ROWID;
-- A month of all views without looking at ten years of each.
CREATE INDEX log_day_of_room ON log_day (room, day, projection, made);
