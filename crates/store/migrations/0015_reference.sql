-- A reference panel or cell as the source of irradiance of a test.

ALTER TABLE tests ADD COLUMN reference_isc_a REAL;     -- at STC, A; NULL: not its Isc is read, or there is no reference
ALTER TABLE tests ADD COLUMN reference_pmax_w REAL;    -- at STC, W
ALTER TABLE tests ADD COLUMN reference_percent REAL;   -- within which its calibration holds, percent; NULL: the usual

-- As before, with the reference.
DROP TRIGGER set_ups_as_they_were;
CREATE TRIGGER set_ups_as_they_were BEFORE UPDATE OF tilt_deg, azimuth_deg, load, sun, cell_temperature, unsteady, volts_percent, volts_digits,
    amps_percent, amps_digits, watts_percent, watts_digits, sun_percent, thermometer_k, mounting, reference_isc_a, reference_pmax_w,
    reference_percent ON tests
BEGIN
    INSERT INTO revisions (what, row_id, until_utc, content) VALUES ('tests', OLD.id, strftime('%Y-%m-%dT%H:%M:%SZ', 'now'),
        json_object('uid', OLD.uid, 'tilt_deg', OLD.tilt_deg, 'azimuth_deg', OLD.azimuth_deg, 'load', OLD.load, 'sun', OLD.sun,
                    'cell_temperature', OLD.cell_temperature, 'unsteady', OLD.unsteady, 'volts_percent', OLD.volts_percent,
                    'volts_digits', OLD.volts_digits, 'amps_percent', OLD.amps_percent, 'amps_digits', OLD.amps_digits,
                    'watts_percent', OLD.watts_percent, 'watts_digits', OLD.watts_digits, 'sun_percent', OLD.sun_percent,
                    'thermometer_k', OLD.thermometer_k, 'mounting', OLD.mounting, 'reference_isc_a', OLD.reference_isc_a,
                    'reference_pmax_w', OLD.reference_pmax_w, 'reference_percent', OLD.reference_percent));
END;
