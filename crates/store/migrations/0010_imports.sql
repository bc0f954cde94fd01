-- A file is brought in by parts, so that readings come through meanwhile. Until its last part is in, what it brought is there and not shown; what was
-- begun and not ended is taken out again when the bench is opened.

CREATE TABLE open_imports (
    id       INTEGER PRIMARY KEY AUTOINCREMENT, -- never used again: readings keep it
    begun_ms INTEGER NOT NULL                   -- ms since 1970, UTC
) STRICT;

-- What an open import added besides readings.
CREATE TABLE open_import_rows (
    import_id INTEGER NOT NULL REFERENCES open_imports (id) ON DELETE CASCADE,
    what      TEXT NOT NULL CHECK (what IN ('test', 'run', 'panel', 'kind')),
    row_id    INTEGER NOT NULL,
    PRIMARY KEY (what, row_id)
) STRICT;

ALTER TABLE readings ADD COLUMN import_id INTEGER; -- the file it came with; NULL: it came alone
CREATE INDEX readings_by_import ON readings (import_id) WHERE import_id IS NOT NULL;

DROP TRIGGER readings_are_not_deleted;
CREATE TRIGGER readings_are_not_deleted BEFORE DELETE ON readings
WHEN NOT EXISTS (SELECT 1 FROM open_imports i WHERE i.id = OLD.import_id)
BEGIN SELECT RAISE(ABORT, 'readings are never deleted: add a withdrawal'); END;
DROP TRIGGER figures_are_not_deleted;
CREATE TRIGGER figures_are_not_deleted BEFORE DELETE ON reading_figures
WHEN NOT EXISTS (SELECT 1 FROM readings r JOIN open_imports i ON i.id = r.import_id WHERE r.id = OLD.reading_id)
BEGIN SELECT RAISE(ABORT, 'readings are never deleted: add a withdrawal'); END;
