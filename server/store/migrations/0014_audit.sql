-- Everything that a person had done, or was refused.
CREATE TABLE audit (
  id INTEGER PRIMARY KEY,
  at INTEGER NOT NULL,
  who TEXT NOT NULL,
  -- Way by which they came in.
  via TEXT NOT NULL,
  command TEXT NOT NULL,
  summary TEXT NOT NULL,
  outcome TEXT NOT NULL CHECK (outcome IN ('done', 'refused')),
  reason TEXT
) STRICT;
CREATE INDEX audit_at ON audit (at);
