-- A bench: one file, one place, its panels, tests and readings.
-- Flindo's mark in the file header ("FLIN"), so that another program's database is never taken for a bench.
PRAGMA application_id = 1179404622;

CREATE TABLE bench (
    id          INTEGER PRIMARY KEY CHECK (id = 1),
    name        TEXT NOT NULL,              -- what the person calls the place
    time_zone   TEXT NOT NULL,              -- IANA name
    currency    TEXT NOT NULL,              -- of every price, as the person writes it
    is_demo     INTEGER NOT NULL CHECK (is_demo IN (0, 1))
) STRICT;

CREATE TABLE panels (
    id              INTEGER PRIMARY KEY,
    uid             TEXT NOT NULL UNIQUE,   -- the same in every bench and every file
    tag             TEXT NOT NULL COLLATE NOCASE UNIQUE, -- what is written on the tape
    name            TEXT NOT NULL,          -- kind of panel
    is_used         INTEGER NOT NULL CHECK (is_used IN (0, 1)),
    age_years       REAL,                   -- a
    price           REAL,                   -- in the currency of the bench
    notes           TEXT NOT NULL,
    -- the label at STC; NULL: not on the label
    rated_w         REAL NOT NULL,          -- W
    tolerance       TEXT NOT NULL,          -- as printed: "0/+3 %"
    voc_v           REAL,                   -- V
    isc_a           REAL,                   -- A
    vmp_v           REAL,                   -- V
    imp_a           REAL,                   -- A
    alpha_isc       TEXT NOT NULL,          -- as printed: "0.05 %/K" or "0.004 A/K"
    beta_voc        TEXT NOT NULL,          -- as printed: "-0.3 %/K" or "-0.11 V/K"
    gamma_pmax      TEXT NOT NULL,          -- as printed: "-0.4 %/K" or "-1.0 W/K"
    cells_in_series INTEGER,                -- number
    technology      TEXT NOT NULL,          -- mono, poly, thin_film
    noct_c          REAL,                   -- C
    doubts_kept     INTEGER NOT NULL CHECK (doubts_kept IN (0, 1)) -- 1: contradictions kept, because the label says so
) STRICT;

CREATE TABLE tests (
    id              INTEGER PRIMARY KEY,
    uid             TEXT NOT NULL UNIQUE,
    panel_id        INTEGER NOT NULL REFERENCES panels (id),
    question        TEXT NOT NULL CHECK (question IN ('makes_rating')),
    created_utc     TEXT NOT NULL,          -- RFC 3339, UTC
    tilt_deg        REAL NOT NULL,          -- degrees from flat
    azimuth_deg     REAL NOT NULL,          -- degrees from north, clockwise
    load            TEXT NOT NULL,          -- load_tester, tracking_controller, multimeter_only
    sun             TEXT NOT NULL,          -- plane_meter, flat_meter, clear_sky, nothing
    warmth          TEXT NOT NULL,          -- back_probe, infrared, air, own_voc, nothing
    wobble          TEXT NOT NULL,          -- middle, peak, settled
    volts_percent   REAL NOT NULL,          -- % of reading
    volts_digits    REAL NOT NULL,          -- last digits
    amps_percent    REAL NOT NULL,          -- % of reading
    amps_digits     REAL NOT NULL,          -- last digits
    watts_percent   REAL NOT NULL,          -- % of reading
    watts_digits    REAL NOT NULL,          -- last digits
    sun_percent     REAL NOT NULL,          -- % of reading
    thermometer_k   REAL NOT NULL           -- K
) STRICT;
CREATE INDEX tests_by_panel ON tests (panel_id);

-- Readings are only ever added. A correction or a withdrawal is a new row that names the one it replaces, and why.
CREATE TABLE readings (
    id              INTEGER PRIMARY KEY,
    uid             TEXT NOT NULL UNIQUE,   -- made by the sender; a second arrival of the same one adds nothing
    test_id         INTEGER NOT NULL REFERENCES tests (id),
    replaces_id     INTEGER UNIQUE REFERENCES readings (id),
    withdrawn       INTEGER NOT NULL DEFAULT 0 CHECK (withdrawn IN (0, 1)),
    reason          TEXT,                   -- of a correction or withdrawal
    taken_utc       TEXT NOT NULL,          -- RFC 3339, UTC: when it was seen
    accepted_utc    TEXT NOT NULL,          -- RFC 3339, UTC: when the bench took it
    typed           TEXT NOT NULL,          -- the line as typed; empty where it was not typed
    note            TEXT NOT NULL,
    CHECK ((replaces_id IS NULL) = (reason IS NULL)),
    CHECK (withdrawn = 0 OR replaces_id IS NOT NULL)
) STRICT;
CREATE INDEX readings_by_test ON readings (test_id);

CREATE TABLE reading_figures (
    reading_id      INTEGER NOT NULL REFERENCES readings (id),
    quantity        TEXT NOT NULL,          -- its name ends in its unit: voltage_v, current_a, power_w, voc_v, isc_a, poa_w_m2, cell_c, back_c, air_c
    low             REAL NOT NULL,          -- in that unit
    high            REAL NOT NULL,          -- in that unit; equal to low unless it was a range
    step            REAL NOT NULL,          -- in that unit; step of the display, 0 where unknown
    how             TEXT NOT NULL CHECK (how IN ('shown', 'range', 'peak', 'settled')),
    PRIMARY KEY (reading_id, quantity),
    CHECK (low <= high AND step >= 0)
) STRICT, WITHOUT ROWID;

CREATE TRIGGER readings_are_not_changed BEFORE UPDATE ON readings
BEGIN SELECT RAISE(ABORT, 'readings are never changed: add a revision'); END;
CREATE TRIGGER readings_are_not_deleted BEFORE DELETE ON readings
BEGIN SELECT RAISE(ABORT, 'readings are never deleted: add a withdrawal'); END;
CREATE TRIGGER figures_are_not_changed BEFORE UPDATE ON reading_figures
BEGIN SELECT RAISE(ABORT, 'readings are never changed: add a revision'); END;
CREATE TRIGGER figures_are_not_deleted BEFORE DELETE ON reading_figures
BEGIN SELECT RAISE(ABORT, 'readings are never deleted: add a withdrawal'); END;
CREATE TRIGGER a_revision_stays_in_its_test BEFORE INSERT ON readings
WHEN NEW.replaces_id IS NOT NULL AND NEW.test_id <> (SELECT test_id FROM readings WHERE id = NEW.replaces_id)
BEGIN SELECT RAISE(ABORT, 'a revision belongs to the test of the reading it replaces'); END;
