-- Browsers that were let in from elsewhere, when the bench was shared. The token itself is with the browser alone.

CREATE TABLE sessions (
    id           INTEGER PRIMARY KEY,
    token_sha256 TEXT NOT NULL UNIQUE,
    opened_ms    INTEGER NOT NULL,       -- ms since 1970, UTC
    from_address TEXT NOT NULL,
    program      TEXT NOT NULL           -- what the browser calls itself
) STRICT;
