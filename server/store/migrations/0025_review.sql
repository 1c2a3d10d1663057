-- Hosts that a person looked at after they were found.
CREATE TABLE reviewed (
  component_id INTEGER PRIMARY KEY REFERENCES component (id) ON DELETE CASCADE,
  by_whom TEXT NOT NULL,
  at INTEGER NOT NULL
) STRICT;
-- What is there already was looked at by whoever works with it.
INSERT INTO reviewed (component_id, by_whom, at)
  SELECT id, 'before reviews', valid_from FROM component WHERE host_id IS NULL AND valid_to IS NULL;
