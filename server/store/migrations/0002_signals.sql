CREATE TABLE series (
  id INTEGER PRIMARY KEY,
  component_id INTEGER REFERENCES component (id) ON DELETE CASCADE,
  service_id INTEGER REFERENCES service (id) ON DELETE CASCADE,
  metric TEXT NOT NULL,
  instance TEXT NOT NULL,
  unit TEXT NOT NULL,
  created_at INTEGER NOT NULL
) STRICT;
CREATE UNIQUE INDEX series_component ON series (component_id, metric, instance) WHERE component_id IS NOT NULL;
CREATE UNIQUE INDEX series_service ON series (service_id, metric, instance) WHERE service_id IS NOT NULL;

-- Packed samples; the last chunk of a series is written anew until it is full.
CREATE TABLE chunk (
  series_id INTEGER NOT NULL REFERENCES series (id) ON DELETE CASCADE,
  start_at INTEGER NOT NULL,
  end_at INTEGER NOT NULL,
  count INTEGER NOT NULL,
  min REAL,
  max REAL,
  sum REAL NOT NULL,
  last REAL,
  data BLOB NOT NULL,
  PRIMARY KEY (series_id, start_at)
) STRICT, WITHOUT ROWID;
