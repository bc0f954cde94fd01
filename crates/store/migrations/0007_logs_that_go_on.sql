-- What happened to a log while it was recorded; its samples counted, and put together by the minute, so that a long log opens as quickly as a short
-- one. Count and minutes follow from the samples and are written in one step with them.

CREATE TABLE log_events (
    id      INTEGER PRIMARY KEY,
    log_id  INTEGER NOT NULL REFERENCES logs (id) ON DELETE CASCADE,
    at_ms   INTEGER NOT NULL,           -- ms since 1970, UTC
    what    TEXT NOT NULL,              -- resumed, lost
    samples INTEGER NOT NULL            -- how many were lost; 0 otherwise
) STRICT;
CREATE INDEX log_events_by_log ON log_events (log_id);

ALTER TABLE logs ADD COLUMN samples INTEGER NOT NULL DEFAULT 0;
UPDATE logs SET samples = (SELECT count(*) FROM log_samples s WHERE s.log_id = logs.id);
CREATE INDEX logs_by_start ON logs (started_utc, id);

CREATE TABLE log_minutes (
    log_id    INTEGER NOT NULL REFERENCES logs (id) ON DELETE CASCADE,
    quantity  TEXT NOT NULL,
    minute_ms INTEGER NOT NULL,         -- its first millisecond
    low       REAL NOT NULL,
    high      REAL NOT NULL,
    total     REAL NOT NULL,            -- of all samples
    samples   INTEGER NOT NULL,
    PRIMARY KEY (log_id, quantity, minute_ms)
) STRICT, WITHOUT ROWID;
INSERT INTO log_minutes
SELECT log_id, quantity, at_ms - at_ms % 60000, min(value), max(value), sum(value), count(*)
FROM log_samples GROUP BY 1, 2, 3;
