-- A table of readings brings the rig and the gear of its tests along.

CREATE TABLE import_rows (
    import_id INTEGER NOT NULL REFERENCES open_imports (id) ON DELETE CASCADE,
    what      TEXT NOT NULL CHECK (what IN ('test', 'run', 'panel', 'kind', 'place', 'gear', 'rig')),
    row_id    INTEGER NOT NULL,
    PRIMARY KEY (what, row_id)
) STRICT;
INSERT INTO import_rows SELECT import_id, what, row_id FROM open_import_rows;
DROP TABLE open_import_rows;
ALTER TABLE import_rows RENAME TO open_import_rows;

-- An import that failed takes out the runs that it brought, with when they were begun.
DROP TRIGGER run_events_are_not_deleted;
CREATE TRIGGER run_events_are_not_deleted BEFORE DELETE ON run_events
WHEN NOT EXISTS (SELECT 1 FROM open_import_rows WHERE what = 'run' AND row_id = OLD.run_id)
BEGIN SELECT RAISE(ABORT, 'what happened is never deleted'); END;
