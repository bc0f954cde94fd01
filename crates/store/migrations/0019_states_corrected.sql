-- What a run was of can be put right: the state as it really was, beside the one that was begun with.

CREATE TABLE run_events_new (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    run_id      INTEGER NOT NULL REFERENCES runs (id),
    at_utc      TEXT NOT NULL,          -- RFC 3339, UTC
    what        TEXT NOT NULL CHECK (what IN ('begun', 'done', 'skipped', 'taken_up', 'cloud', 'note', 'confirmed', 'corrected')),
    text        TEXT NOT NULL           -- reason, note, the reading that was confirmed, or the corrected state as JSON
) STRICT;
INSERT INTO run_events_new SELECT id, uid, run_id, at_utc, what, text FROM run_events;
DROP TABLE run_events;
ALTER TABLE run_events_new RENAME TO run_events;
CREATE INDEX run_events_by_run ON run_events (run_id);
CREATE TRIGGER run_events_are_not_changed BEFORE UPDATE ON run_events
BEGIN SELECT RAISE(ABORT, 'what happened is never changed'); END;
CREATE TRIGGER run_events_are_not_deleted BEFORE DELETE ON run_events
BEGIN SELECT RAISE(ABORT, 'what happened is never deleted'); END;
