-- How often a relation was seen; and that it comes and goes, because a look saw it again that another had missed.
ALTER TABLE relation ADD COLUMN seen_times INTEGER NOT NULL DEFAULT 1;
ALTER TABLE relation ADD COLUMN intermittent INTEGER NOT NULL DEFAULT 0;

-- What people say of a service besides its entry points: hours, limits, notes, members by hand.
ALTER TABLE service ADD COLUMN details TEXT NOT NULL DEFAULT '{}';

-- Which sources saw a component, when last, and how deep.
CREATE TABLE sighting (
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  source_id INTEGER NOT NULL REFERENCES source (id) ON DELETE CASCADE,
  first_at INTEGER NOT NULL,
  last_at INTEGER NOT NULL,
  depth INTEGER NOT NULL,
  reader TEXT NOT NULL,
  PRIMARY KEY (component_id, source_id)
) STRICT, WITHOUT ROWID;

-- Products that people named: by words that they show.
CREATE TABLE fingerprint (
  id INTEGER PRIMARY KEY,
  product TEXT NOT NULL,
  kind TEXT,
  clue TEXT NOT NULL,
  words TEXT NOT NULL,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  UNIQUE (clue, words)
) STRICT;

-- Operations that begin traces: work that starts by itself is no answer to anybody, and is listed all the same.
ALTER TABLE operation ADD COLUMN begins INTEGER NOT NULL DEFAULT 0;
UPDATE operation SET begins = 1 WHERE kind NOT IN (2, 5)
  AND EXISTS (SELECT 1 FROM span WHERE span.operation_id = operation.id AND span.parent_id IS NULL);

-- What people say of components: who owns them, environment, tier, tags. A part goes by its host's labels too.
CREATE TABLE label (
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  name TEXT NOT NULL CHECK (name IN ('owner', 'environment', 'tier', 'tag', 'note')),
  value TEXT NOT NULL,
  by_whom TEXT NOT NULL,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER,
  PRIMARY KEY (component_id, name, value, valid_from)
) STRICT, WITHOUT ROWID;
CREATE INDEX label_value ON label (name, value) WHERE valid_to IS NULL;

-- Filters of the estate that people keep: whatever fits belongs to the collection.
CREATE TABLE collection (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  filter TEXT NOT NULL,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL
) STRICT;
