-- What makes results findable and comparable across tests: two more figures of a label, what was done to a panel between its tests, reviews, and
-- calculations kept by name with the tests that were started from them.

ALTER TABLE panel_kinds ADD COLUMN weight_kg REAL;                    -- kg; NULL: not on the label
ALTER TABLE panel_kinds ADD COLUMN degradation_percent_per_year REAL; -- percent of rated power; NULL: not stated

CREATE TABLE panel_events (
    id       INTEGER PRIMARY KEY,
    uid      TEXT NOT NULL UNIQUE,
    panel_id INTEGER NOT NULL REFERENCES panels (id),
    day      TEXT NOT NULL,   -- year-month-day, by the clock of the bench
    what     TEXT NOT NULL,   -- by the core's names: cleaned, moved, repaired, damaged, other
    text     TEXT NOT NULL
) STRICT;
CREATE INDEX panel_events_by_panel ON panel_events (panel_id, day);

CREATE TABLE reviews (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    name        TEXT NOT NULL,
    created_utc TEXT NOT NULL,
    tests       TEXT NOT NULL,   -- JSON: uids of its tests, in the order chosen
    claims      TEXT NOT NULL,   -- JSON: claims by the core's names
    notes       TEXT NOT NULL
) STRICT;

CREATE TABLE calculations (
    id          INTEGER PRIMARY KEY,
    uid         TEXT NOT NULL UNIQUE,
    name        TEXT NOT NULL COLLATE NOCASE,
    page        TEXT NOT NULL,   -- its path: /shade
    fields      TEXT NOT NULL,   -- the fields of its form as typed, URL-encoded
    created_utc TEXT NOT NULL,
    UNIQUE (page, name)
) STRICT;

CREATE TABLE calculation_tests (
    test_id        INTEGER PRIMARY KEY REFERENCES tests (id),
    calculation_id INTEGER NOT NULL REFERENCES calculations (id)
) STRICT;
CREATE INDEX calculation_tests_by_calculation ON calculation_tests (calculation_id);

-- Few readings have a note: words are looked for among these alone.
CREATE INDEX readings_with_note ON readings (test_id) WHERE note <> '';
