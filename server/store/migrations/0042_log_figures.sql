-- Figures made of a field of log records: how many different values, or the share of each.
CREATE TABLE log_figure (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  -- An attribute's name, or a line with {value} in its place.
  field TEXT NOT NULL,
  -- Least severity number of the records that count; 0 for all.
  level INTEGER NOT NULL,
  measure TEXT NOT NULL CHECK (measure IN ('distinct', 'share')),
  minutes INTEGER NOT NULL,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL
) STRICT;
