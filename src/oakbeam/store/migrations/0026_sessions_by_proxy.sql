-- A session that a proxy vouched for is bound to the person it names.
ALTER TABLE session ADD COLUMN by_proxy INTEGER NOT NULL DEFAULT 0 CHECK (by_proxy IN (0, 1));
