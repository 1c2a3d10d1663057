-- What was read of each platform: whose account, when, how long it took, and what went wrong.
CREATE TABLE platform (
  source_id INTEGER PRIMARY KEY REFERENCES source (id) ON DELETE CASCADE,
  account TEXT NOT NULL,
  -- Component that stands for the account.
  component_id INTEGER REFERENCES component (id) ON DELETE SET NULL,
  read_at INTEGER,
  tried_at INTEGER NOT NULL,
  took_ms INTEGER NOT NULL DEFAULT 0,
  things INTEGER NOT NULL DEFAULT 0,
  problem TEXT
) STRICT;
-- What parts of a platform could not be read in the last look, with the reason of each.
CREATE TABLE platform_failure (
  source_id INTEGER NOT NULL REFERENCES source (id) ON DELETE CASCADE,
  place TEXT NOT NULL,
  -- Id of the region there; empty for what is in none.
  region TEXT NOT NULL,
  reason TEXT NOT NULL,
  since INTEGER NOT NULL,
  PRIMARY KEY (source_id, place)
) STRICT, WITHOUT ROWID;
-- How REST interfaces are read; those that ship are put in at each start.
CREATE TABLE mapping (
  name TEXT PRIMARY KEY COLLATE NOCASE,
  text TEXT NOT NULL,
  changed_at INTEGER NOT NULL,
  changed_by TEXT NOT NULL
) STRICT;
