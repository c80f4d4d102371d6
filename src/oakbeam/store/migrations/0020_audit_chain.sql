-- Each audit row carries a hash of itself and of the row before; the rows that are there are taken in by the next one.
ALTER TABLE audit ADD COLUMN link TEXT;
