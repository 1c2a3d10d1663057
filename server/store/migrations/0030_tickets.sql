-- Planned work, a row for each window of each ticket; a source's are replaced whole whenever it was read in full.
CREATE TABLE ticket (
  id INTEGER PRIMARY KEY,
  source_id INTEGER NOT NULL REFERENCES source (id) ON DELETE CASCADE,
  ref TEXT NOT NULL,
  title TEXT NOT NULL,
  state TEXT NOT NULL,
  person TEXT NOT NULL,
  -- Milliseconds; null where the window is open.
  from_at INTEGER,
  to_at INTEGER,
  -- Names of what it is about, as JSON.
  things TEXT NOT NULL,
  read_at INTEGER NOT NULL
) STRICT;
CREATE INDEX ticket_ref ON ticket (ref);
CREATE INDEX ticket_source ON ticket (source_id);
