-- One ground for what comes: checksums beside what a verdict reads, states of runs, what a record was before it was changed, and what was
-- taken back.

-- CRC-32 (ISO/IEC 13239) of the row's content, since the file itself has none for its pages. NULL: written before this version, and not checked.
ALTER TABLE readings ADD COLUMN crc32 INTEGER;     -- with its figures
ALTER TABLE log_chunks ADD COLUMN crc32 INTEGER;   -- of its samples
ALTER TABLE panel_kinds ADD COLUMN crc32 INTEGER;  -- of its label
ALTER TABLE tests ADD COLUMN crc32 INTEGER;        -- of its question, set-up and plan
ALTER TABLE runs ADD COLUMN crc32 INTEGER;

-- What was the case in a run of an open test: JSON by the core's names; NULL: a run of a plan, whose level says it.
ALTER TABLE runs ADD COLUMN state TEXT;

-- What a record was before a change: JSON of its row by the names of its columns. Only ever added to.
CREATE TABLE revisions (
    id          INTEGER PRIMARY KEY,
    what        TEXT NOT NULL,          -- the table
    row_id      INTEGER NOT NULL,
    until_utc   TEXT NOT NULL,          -- RFC 3339, UTC: when it was changed
    content     TEXT NOT NULL
) STRICT;
CREATE INDEX revisions_by_row ON revisions (what, row_id);
CREATE TRIGGER revisions_are_not_changed BEFORE UPDATE ON revisions
BEGIN SELECT RAISE(ABORT, 'what a record was is never changed'); END;

CREATE TRIGGER panels_as_they_were BEFORE UPDATE ON panels WHEN OLD.uid = NEW.uid
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('panels', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'tag', OLD.tag, 'kind_id', OLD.kind_id, 'is_used', OLD.is_used, 'age_years', OLD.age_years,
                    'price', OLD.price, 'notes', OLD.notes, 'provenance', OLD.provenance, 'wear', OLD.wear));
END;
CREATE TRIGGER kinds_as_they_were BEFORE UPDATE ON panel_kinds WHEN OLD.uid = NEW.uid
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('panel_kinds', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'name', OLD.name, 'price', OLD.price, 'rated_w', OLD.rated_w, 'tolerance', OLD.tolerance,
                    'voc_v', OLD.voc_v, 'isc_a', OLD.isc_a, 'vmp_v', OLD.vmp_v, 'imp_a', OLD.imp_a, 'alpha_isc', OLD.alpha_isc,
                    'beta_voc', OLD.beta_voc, 'gamma_pmax', OLD.gamma_pmax, 'cells_in_series', OLD.cells_in_series,
                    'technology', OLD.technology, 'noct_c', OLD.noct_c, 'construction', OLD.construction, 'length_m', OLD.length_m,
                    'width_m', OLD.width_m, 'bifaciality', OLD.bifaciality, 'weight_kg', OLD.weight_kg,
                    'degradation_percent_per_year', OLD.degradation_percent_per_year, 'doubts_kept', OLD.doubts_kept));
END;
CREATE TRIGGER gear_as_it_was BEFORE UPDATE ON gear WHEN OLD.uid = NEW.uid
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('gear', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'kind', OLD.kind, 'name', OLD.name, 'notes', OLD.notes, 'fields',
                    (SELECT json_group_object(name, value) FROM gear_fields WHERE gear_id = OLD.id)));
END;
CREATE TRIGGER places_as_they_were BEFORE UPDATE ON places WHEN OLD.uid = NEW.uid
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('places', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'name', OLD.name, 'lat_deg', OLD.lat_deg, 'lon_deg', OLD.lon_deg, 'elevation_m', OLD.elevation_m,
                    'time_zone', OLD.time_zone, 'horizon', OLD.horizon, 'ground', OLD.ground, 'clarity', OLD.clarity,
                    'coldest_c', OLD.coldest_c, 'hottest_c', OLD.hottest_c));
END;
CREATE TRIGGER rigs_as_they_were BEFORE UPDATE ON rigs WHEN OLD.uid = NEW.uid
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('rigs', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'name', OLD.name, 'wiring', OLD.wiring, 'string_fuse_id', OLD.string_fuse_id, 'joint_id', OLD.joint_id,
                    'lead_id', OLD.lead_id, 'sink_id', OLD.sink_id, 'battery_id', OLD.battery_id, 'ends_in', OLD.ends_in, 'meters',
                    (SELECT json_group_object(spot, gear_id) FROM rig_meters WHERE rig_id = OLD.id)));
END;
CREATE TRIGGER set_ups_as_they_were BEFORE UPDATE OF tilt_deg, azimuth_deg, load, sun, cell_temperature, unsteady, volts_percent, volts_digits,
    amps_percent, amps_digits, watts_percent, watts_digits, sun_percent, thermometer_k, mounting ON tests
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('tests', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'tilt_deg', OLD.tilt_deg, 'azimuth_deg', OLD.azimuth_deg, 'load', OLD.load, 'sun', OLD.sun,
                    'cell_temperature', OLD.cell_temperature, 'unsteady', OLD.unsteady, 'volts_percent', OLD.volts_percent,
                    'volts_digits', OLD.volts_digits, 'amps_percent', OLD.amps_percent, 'amps_digits', OLD.amps_digits,
                    'watts_percent', OLD.watts_percent, 'watts_digits', OLD.watts_digits, 'sun_percent', OLD.sun_percent,
                    'thermometer_k', OLD.thermometer_k, 'mounting', OLD.mounting));
END;

-- What was entered by mistake is withdrawn, and can be restored: the newest row of a record says which. Only ever added to.
CREATE TABLE withdrawals (
    id          INTEGER PRIMARY KEY,
    what        TEXT NOT NULL CHECK (what IN ('test', 'panel', 'kind', 'gear', 'rig', 'place', 'log', 'review')),
    row_id      INTEGER NOT NULL,
    at_utc      TEXT NOT NULL,          -- RFC 3339, UTC
    is_withdrawn INTEGER NOT NULL CHECK (is_withdrawn IN (0, 1)), -- 0: restored
    reason      TEXT NOT NULL
) STRICT;
CREATE INDEX withdrawals_by_row ON withdrawals (what, row_id, id);
CREATE TRIGGER withdrawals_are_not_changed BEFORE UPDATE ON withdrawals
BEGIN SELECT RAISE(ABORT, 'a withdrawal is restored, never changed'); END;
CREATE TRIGGER withdrawals_are_not_deleted BEFORE DELETE ON withdrawals
BEGIN SELECT RAISE(ABORT, 'a withdrawal is restored, never deleted'); END;
CREATE VIEW withdrawn AS
SELECT what, row_id, at_utc, reason FROM withdrawals w
WHERE is_withdrawn = 1 AND NOT EXISTS (SELECT 1 FROM withdrawals n WHERE n.what = w.what AND n.row_id = w.row_id AND n.id > w.id);

-- A table of readings brings the place of its tests along.
CREATE TABLE import_rows (
    import_id INTEGER NOT NULL REFERENCES open_imports (id) ON DELETE CASCADE,
    what      TEXT NOT NULL CHECK (what IN ('test', 'run', 'panel', 'kind', 'place')),
    row_id    INTEGER NOT NULL,
    PRIMARY KEY (what, row_id)
) STRICT;
INSERT INTO import_rows SELECT import_id, what, row_id FROM open_import_rows;
DROP TABLE open_import_rows;
ALTER TABLE import_rows RENAME TO open_import_rows;
