-- The latest value of each setting that a log told of, so that the next change can say what it was before.
CREATE TABLE setting_value (
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  value TEXT NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (component_id, name)
) STRICT, WITHOUT ROWID;
