-- Logs of other loggers, and what a log belongs to.

-- A file of another logger. Its text is kept beside the bench until all of it is in.
CREATE TABLE log_files (
    id          INTEGER PRIMARY KEY,
    sha256      TEXT NOT NULL UNIQUE,   -- of the file as it came: the same file twice is one
    name        TEXT NOT NULL,
    added_utc   TEXT NOT NULL,          -- RFC 3339, UTC
    bytes       INTEGER NOT NULL,       -- of its text in UTF-8
    encoding    TEXT NOT NULL,          -- of the file as it came: utf-8, utf-16le, utf-16be, windows-1252
    bytes_done  INTEGER NOT NULL DEFAULT 0,
    rows_done   INTEGER NOT NULL DEFAULT 0,
    rows_aside  INTEGER NOT NULL DEFAULT 0, -- rows with a fault
    format      TEXT,                   -- JSON by the core's names; NULL: not yet confirmed
    ended_utc   TEXT                    -- NULL: not all of it is in
) STRICT;

-- Rows that could not be read, kept aside: the first thousand of a file.
CREATE TABLE log_file_faults (
    file_id     INTEGER NOT NULL REFERENCES log_files (id) ON DELETE CASCADE,
    line        INTEGER NOT NULL,       -- from 1
    place       INTEGER NOT NULL,       -- column, from 1
    name        TEXT NOT NULL,          -- of the column
    cell        TEXT NOT NULL,          -- as it stands there
    why         TEXT NOT NULL,
    PRIMARY KEY (file_id, line)
) STRICT, WITHOUT ROWID;

-- How files of a logger are read, by their look: delimiter and names of columns.
CREATE TABLE log_formats (
    look        TEXT PRIMARY KEY,
    format      TEXT NOT NULL           -- JSON by the core's names
) STRICT, WITHOUT ROWID;

ALTER TABLE logs ADD COLUMN file_id INTEGER REFERENCES log_files (id);
ALTER TABLE logs ADD COLUMN device TEXT NOT NULL DEFAULT '';    -- of a file of several
ALTER TABLE logs ADD COLUMN rig_id INTEGER REFERENCES rigs (id);
ALTER TABLE logs ADD COLUMN panel_id INTEGER REFERENCES panels (id);
ALTER TABLE logs ADD COLUMN place_id INTEGER REFERENCES places (id);
ALTER TABLE logs ADD COLUMN side INTEGER NOT NULL DEFAULT 0 CHECK (side IN (0, 1, 2)); -- rig of a test side by side; 0: the only one
ALTER TABLE logs ADD COLUMN tilt_deg REAL;                      -- degrees from flat; NULL: that of its test
ALTER TABLE logs ADD COLUMN azimuth_deg REAL;                   -- degrees from north, clockwise
ALTER TABLE logs ADD COLUMN meter_percent REAL;                 -- % of reading of its meter; NULL: usual
ALTER TABLE logs ADD COLUMN ahead_s REAL NOT NULL DEFAULT 0;    -- s: its clock was ahead of true time by this, as somebody confirmed
CREATE INDEX logs_by_test ON logs (test_id) WHERE test_id IS NOT NULL;
CREATE INDEX logs_by_file ON logs (file_id, device) WHERE file_id IS NOT NULL;

-- Samples of a file, a few thousand together as they came: pairs of at_ms (8 bytes, signed, low byte first) and value (8 bytes, IEEE 754, low byte first).
CREATE TABLE log_chunks (
    log_id      INTEGER NOT NULL REFERENCES logs (id) ON DELETE CASCADE,
    quantity    TEXT NOT NULL,          -- its name ends in its unit
    nth         INTEGER NOT NULL,       -- in the order of the file
    first_ms    INTEGER NOT NULL,       -- ms since 1970, UTC: of its earliest sample
    last_ms     INTEGER NOT NULL,       -- of its latest one
    samples     BLOB NOT NULL,
    PRIMARY KEY (log_id, quantity, nth)
) STRICT;
CREATE INDEX log_chunks_by_time ON log_chunks (log_id, quantity, last_ms, first_ms);
