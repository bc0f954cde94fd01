-- Gear, rigs, planned tests with their runs, photos, logs.

ALTER TABLE panels ADD COLUMN units INTEGER NOT NULL DEFAULT 1;      -- number of panels of this kind under one tag
ALTER TABLE panels ADD COLUMN provenance TEXT NOT NULL DEFAULT '';   -- where it comes from
ALTER TABLE panels ADD COLUMN wear TEXT NOT NULL DEFAULT '';         -- what a look shows: cracked_glass, burn_marks ..., with commas

-- One piece of gear. Its figures are kept as typed, by the names of the core's table for its kind, which end in their unit.
CREATE TABLE gear (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    kind        TEXT NOT NULL,          -- meter, controller, battery, station, lead, joint, fuse
    name        TEXT NOT NULL COLLATE NOCASE UNIQUE,
    notes       TEXT NOT NULL
) STRICT;

CREATE TABLE gear_fields (
    gear_id     INTEGER NOT NULL REFERENCES gear (id) ON DELETE CASCADE,
    name        TEXT NOT NULL,
    value       TEXT NOT NULL,
    PRIMARY KEY (gear_id, name)
) STRICT, WITHOUT ROWID;

-- Panels and gear wired together.
CREATE TABLE rigs (
    id              INTEGER PRIMARY KEY,
    uid             TEXT NOT NULL UNIQUE,
    name            TEXT NOT NULL COLLATE NOCASE UNIQUE,
    wiring          TEXT NOT NULL,      -- "S-1 + S-2 | 2 x M-1": + in series, | in parallel
    string_fuse_id  INTEGER REFERENCES gear (id),
    joint_id        INTEGER REFERENCES gear (id),
    lead_id         INTEGER REFERENCES gear (id),
    sink_id         INTEGER REFERENCES gear (id),   -- a controller or a power station
    battery_id      INTEGER REFERENCES gear (id)
) STRICT;

CREATE TABLE rig_meters (
    rig_id      INTEGER NOT NULL REFERENCES rigs (id) ON DELETE CASCADE,
    spot        TEXT NOT NULL,          -- string, array, battery, plane
    gear_id     INTEGER NOT NULL REFERENCES gear (id),
    PRIMARY KEY (rig_id, spot)
) STRICT, WITHOUT ROWID;

-- A test asks one of the core's questions; with a rig it passes a preflight first.
ALTER TABLE tests DROP COLUMN question;
ALTER TABLE tests ADD COLUMN question TEXT NOT NULL DEFAULT 'makes_rating';
ALTER TABLE tests ADD COLUMN rig_id INTEGER REFERENCES rigs (id);

-- The plan of a test: a JSON object of its fields as typed, by the core's names; NULL: a test without runs.
ALTER TABLE tests ADD COLUMN plan TEXT;

CREATE TABLE runs (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    test_id     INTEGER NOT NULL REFERENCES tests (id),
    place       INTEGER NOT NULL,       -- in the order of the sheet, from 1; a run added later comes last
    level       INTEGER NOT NULL,       -- 0: the baseline; else the level of the plan
    rig         INTEGER NOT NULL,       -- 1 or 2 side by side, else 0
    is_added    INTEGER NOT NULL CHECK (is_added IN (0, 1)), -- 1: a baseline repeated, not on the sheet
    planned_utc TEXT,                   -- RFC 3339, UTC: when the sheet has it begin
    UNIQUE (test_id, place)
) STRICT;

-- What happened to a run. Only ever added to.
CREATE TABLE run_events (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    run_id      INTEGER NOT NULL REFERENCES runs (id),
    at_utc      TEXT NOT NULL,          -- RFC 3339, UTC
    what        TEXT NOT NULL CHECK (what IN ('begun', 'done', 'skipped', 'taken_up', 'cloud', 'note', 'confirmed')),
    text        TEXT NOT NULL           -- reason, note, or the reading that was confirmed
) STRICT;
CREATE INDEX run_events_by_run ON run_events (run_id);
CREATE TRIGGER run_events_are_not_changed BEFORE UPDATE ON run_events
BEGIN SELECT RAISE(ABORT, 'what happened is never changed'); END;
CREATE TRIGGER run_events_are_not_deleted BEFORE DELETE ON run_events
BEGIN SELECT RAISE(ABORT, 'what happened is never deleted'); END;

ALTER TABLE readings ADD COLUMN run_id INTEGER REFERENCES runs (id);

-- A stop of the preflight that somebody went on in spite of. Stays on the report.
CREATE TABLE acknowledgements (
    id          INTEGER PRIMARY KEY,
    test_id     INTEGER NOT NULL REFERENCES tests (id),
    key         TEXT NOT NULL,          -- the finding with its figures; other figures are another finding
    risk        TEXT NOT NULL,          -- its name, as the person confirmed it
    why         TEXT NOT NULL,          -- the sentence they read
    at_utc      TEXT NOT NULL,          -- RFC 3339, UTC
    UNIQUE (test_id, key)
) STRICT;

CREATE TABLE photos (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    test_id     INTEGER NOT NULL REFERENCES tests (id),
    run_id      INTEGER REFERENCES runs (id),
    added_utc   TEXT NOT NULL,          -- RFC 3339, UTC
    caption     TEXT NOT NULL,
    media_type  TEXT NOT NULL CHECK (media_type IN ('image/jpeg', 'image/png')),
    width_px    INTEGER NOT NULL,
    height_px   INTEGER NOT NULL,
    bytes       BLOB NOT NULL           -- encoded anew: no EXIF, no location
) STRICT;
CREATE INDEX photos_by_test ON photos (test_id);

-- A series of samples from a meter that is listened to.
CREATE TABLE logs (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    test_id     INTEGER REFERENCES tests (id),
    name        TEXT NOT NULL,
    started_utc TEXT NOT NULL,          -- RFC 3339, UTC
    ended_utc   TEXT                    -- NULL: still recording, or cut off by a stop of the program
) STRICT;

CREATE TABLE log_samples (
    log_id      INTEGER NOT NULL REFERENCES logs (id) ON DELETE CASCADE,
    quantity    TEXT NOT NULL,          -- its name ends in its unit
    at_ms       INTEGER NOT NULL,       -- ms since 1970, UTC
    value       REAL NOT NULL,          -- in that unit
    PRIMARY KEY (log_id, quantity, at_ms)
) STRICT, WITHOUT ROWID;
