CREATE TABLE runbook (
  id INTEGER PRIMARY KEY,
  uid TEXT NOT NULL UNIQUE,
  name TEXT NOT NULL,
  definition TEXT NOT NULL,
  updated_at INTEGER NOT NULL
) STRICT;

CREATE TABLE run (
  id INTEGER PRIMARY KEY,
  runbook_id INTEGER NOT NULL REFERENCES runbook (id),
  -- The runbook as it was when the run started.
  definition TEXT NOT NULL,
  component_id INTEGER NOT NULL REFERENCES component (id),
  incident_id INTEGER REFERENCES incident (id) ON DELETE SET NULL,
  args TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('running', 'passed', 'failed', 'stopped')),
  started_by TEXT NOT NULL,
  started_at INTEGER NOT NULL,
  ended_at INTEGER,
  message TEXT
) STRICT;
CREATE INDEX run_started ON run (started_at);
CREATE INDEX run_incident ON run (incident_id);

CREATE TABLE run_step (
  run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  type TEXT NOT NULL,
  title TEXT NOT NULL,
  state TEXT NOT NULL,
  started_at INTEGER,
  ended_at INTEGER,
  command TEXT,
  exit_code INTEGER,
  output TEXT NOT NULL DEFAULT '',
  message TEXT,
  PRIMARY KEY (run_id, position)
) STRICT, WITHOUT ROWID;

CREATE TABLE evidence (
  id INTEGER PRIMARY KEY,
  incident_id INTEGER REFERENCES incident (id) ON DELETE CASCADE,
  kind TEXT NOT NULL CHECK (kind IN ('chart', 'map')),
  title TEXT NOT NULL,
  -- Address inside the application that shows it again, its window included.
  address TEXT NOT NULL,
  detail TEXT NOT NULL,
  from_at INTEGER NOT NULL,
  to_at INTEGER NOT NULL,
  pinned_by TEXT NOT NULL,
  pinned_at INTEGER NOT NULL
) STRICT;
CREATE INDEX evidence_incident ON evidence (incident_id, pinned_at);

-- SSH host keys as first met; a key that differs later is refused.
CREATE TABLE host_key (
  address TEXT NOT NULL,
  port INTEGER NOT NULL,
  fingerprint TEXT NOT NULL,
  first_seen_at INTEGER NOT NULL,
  PRIMARY KEY (address, port)
) STRICT, WITHOUT ROWID;
