-- What was truly erased, by its unique name: a merge does not bring it back.

CREATE TABLE forgotten (
    uid    TEXT PRIMARY KEY,
    what   TEXT NOT NULL CHECK (what IN ('test', 'panel', 'kind', 'gear', 'rig', 'place', 'log', 'review')),
    at_utc TEXT NOT NULL           -- RFC 3339, UTC
) STRICT, WITHOUT ROWID;
