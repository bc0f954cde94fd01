-- Devices that were let in, by a name, and whether they stay when the bench starts again with a new key.

ALTER TABLE sessions ADD COLUMN name TEXT NOT NULL DEFAULT '';
ALTER TABLE sessions ADD COLUMN stays INTEGER NOT NULL DEFAULT 0 CHECK (stays IN (0, 1));
