-- Two columns take the names of the field.
ALTER TABLE tests RENAME COLUMN warmth TO cell_temperature;
ALTER TABLE tests RENAME COLUMN wobble TO unsteady;
