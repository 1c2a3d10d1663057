-- Where signals came from that were sent to us: what the sender said of itself, and the component it was named to.
CREATE TABLE origin (
  id INTEGER PRIMARY KEY,
  -- The sender's resource attributes as sorted JSON.
  attributes TEXT NOT NULL UNIQUE,
  component_id INTEGER REFERENCES component (id) ON DELETE SET NULL,
  -- The rule that named it, or why none did.
  matched_by TEXT NOT NULL,
  first_at INTEGER NOT NULL,
  last_at INTEGER NOT NULL
) STRICT;
CREATE INDEX origin_component ON origin (component_id);

-- Made by people for what fits nobody: an attribute's value, with * for anything, and the component it means.
CREATE TABLE naming_rule (
  id INTEGER PRIMARY KEY,
  attribute TEXT NOT NULL,
  pattern TEXT NOT NULL,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  UNIQUE (attribute, pattern)
) STRICT;

CREATE TABLE series (
  id INTEGER PRIMARY KEY,
  component_id INTEGER REFERENCES component (id) ON DELETE CASCADE,
  service_id INTEGER REFERENCES service (id) ON DELETE CASCADE,
  origin_id INTEGER REFERENCES origin (id) ON DELETE CASCADE,
  metric TEXT NOT NULL,
  -- What tells series of one metric and owner apart: a disk, a port, or attributes as "name=value, name=value".
  instance TEXT NOT NULL,
  unit TEXT NOT NULL,
  -- gauge: the value itself; total: a counter that only rises until it starts anew; delta: what was counted since the sample before.
  form TEXT NOT NULL DEFAULT 'gauge' CHECK (form IN ('gauge', 'total', 'delta')),
  created_at INTEGER NOT NULL,
  -- Everything before this instant is in the rollups; null while none of it is.
  rolled_to INTEGER
) STRICT;
CREATE UNIQUE INDEX series_component ON series (component_id, metric, instance) WHERE component_id IS NOT NULL AND origin_id IS NULL;
CREATE UNIQUE INDEX series_service ON series (service_id, metric, instance) WHERE service_id IS NOT NULL;
CREATE UNIQUE INDEX series_origin ON series (origin_id, metric, instance) WHERE origin_id IS NOT NULL;
CREATE INDEX series_metric ON series (metric);
CREATE INDEX series_owner ON series (component_id) WHERE component_id IS NOT NULL;

-- Packed samples, up to 240 a row. The last row of a series may be written anew until it is full.
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

-- Samples that are kept but not yet packed: one row for each tick or delivery, so that keeping them costs one insert.
CREATE TABLE journal (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  count INTEGER NOT NULL,
  newest_at INTEGER NOT NULL,
  -- count series numbers (uint32), count instants (float64), count values (float64), little-endian.
  data BLOB NOT NULL
) STRICT;

-- Samples summed up by five minutes, an hour or a day; a row holds up to 288 of them in packed columns.
CREATE TABLE rollup (
  series_id INTEGER NOT NULL REFERENCES series (id) ON DELETE CASCADE,
  step_ms INTEGER NOT NULL,
  start_at INTEGER NOT NULL,
  -- End of the last span in it.
  end_at INTEGER NOT NULL,
  count INTEGER NOT NULL,
  data BLOB NOT NULL,
  PRIMARY KEY (series_id, step_ms, start_at)
) STRICT, WITHOUT ROWID;
