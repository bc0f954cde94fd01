-- Where a bench stands; several places, one of them in use.
CREATE TABLE places (
    id          INTEGER PRIMARY KEY,
    name        TEXT NOT NULL COLLATE NOCASE UNIQUE,
    lat_deg     REAL NOT NULL,          -- degrees, north positive
    lon_deg     REAL NOT NULL,          -- degrees, east positive
    elevation_m REAL NOT NULL,          -- m above the sea
    time_zone   TEXT NOT NULL,          -- IANA name
    horizon     TEXT NOT NULL,          -- "azimuth height, azimuth height", degrees; empty: free
    ground      TEXT NOT NULL,          -- grass, soil, sand ...: its albedo is the core's
    clarity     TEXT NOT NULL,          -- very_clear, clear, hazy, dusty: its turbidity is the core's
    coldest_c   REAL NOT NULL,          -- C, lowest to expect
    hottest_c   REAL NOT NULL           -- C, highest to expect
) STRICT;

ALTER TABLE bench ADD COLUMN place_id INTEGER REFERENCES places (id);

-- A test remembers where it was made.
ALTER TABLE tests ADD COLUMN place_id INTEGER REFERENCES places (id);

-- What the sky looked like: clear, haze, thin_cloud, broken, overcast; NULL: not noted.
ALTER TABLE readings ADD COLUMN sky TEXT;

-- A year of hourly weather, from a file.
CREATE TABLE weather (
    id              INTEGER PRIMARY KEY,
    name            TEXT NOT NULL,
    lat_deg         REAL NOT NULL,      -- degrees, of the file
    lon_deg         REAL NOT NULL,      -- degrees, of the file
    sum             TEXT NOT NULL UNIQUE, -- SHA-256 of the file, so that the same file is there once
    file            TEXT NOT NULL       -- EPW, as it came
) STRICT;

CREATE INDEX readings_by_time ON readings (taken_utc);
