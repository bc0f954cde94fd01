-- Which meter read what in a test, and checksums of the minutes of logs.

-- Only ever added to: of each quantity of a test the row with the highest uid counts, which is the newest (UUID version 7). The accuracies of the set-up stay copied in `tests`.
CREATE TABLE test_meters (
    id         INTEGER PRIMARY KEY,
    uid        TEXT NOT NULL UNIQUE,
    test_id    INTEGER NOT NULL REFERENCES tests (id) ON DELETE CASCADE,
    reads      TEXT NOT NULL CHECK (reads IN ('volts', 'amps', 'watts', 'irradiance', 'temperature')),
    place      TEXT NOT NULL,          -- where in the circuit, by the core's name; empty: not said
    gear_id    INTEGER REFERENCES gear (id), -- NULL: a meter without a record
    calibrated TEXT NOT NULL,          -- the day of its last calibration as its record said then; empty: not said
    crc32      INTEGER NOT NULL        -- CRC-32 (ISO/IEC 13239) of the row
) STRICT;
CREATE INDEX test_meters_by_test ON test_meters (test_id, reads, uid);
CREATE TRIGGER test_meters_are_not_changed BEFORE UPDATE OF test_id, reads, place, calibrated ON test_meters
BEGIN SELECT RAISE(ABORT, 'a meter of a test is replaced by a new row, never changed'); END;
-- What was worked out from the test is of before: its row counts as written.
CREATE TRIGGER test_meters_are_of_the_test AFTER INSERT ON test_meters
BEGIN UPDATE tests SET crc32 = crc32 WHERE id = NEW.test_id; END;

-- Of a log that is complete: the watt-hours of runs are read from its minutes.
CREATE TABLE log_minute_sums (
    log_id   INTEGER NOT NULL REFERENCES logs (id) ON DELETE CASCADE,
    quantity TEXT NOT NULL,
    crc32    INTEGER NOT NULL,         -- of all its minutes, in the order of time
    PRIMARY KEY (log_id, quantity)
) STRICT, WITHOUT ROWID;
-- A log that goes on has other minutes.
CREATE TRIGGER minutes_are_added AFTER INSERT ON log_minutes
BEGIN DELETE FROM log_minute_sums WHERE log_id = NEW.log_id AND quantity = NEW.quantity; END;
CREATE TRIGGER minutes_go_on AFTER UPDATE ON log_minutes
WHEN (OLD.low, OLD.high, OLD.total, OLD.samples) <> (NEW.low, NEW.high, NEW.total, NEW.samples)
BEGIN DELETE FROM log_minute_sums WHERE log_id = NEW.log_id AND quantity = NEW.quantity; END;
