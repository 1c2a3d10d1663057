CREATE TABLE meta (key TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;

-- Where things are looked for. Communities are encrypted at rest.
CREATE TABLE source (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  site TEXT NOT NULL,
  ranges TEXT NOT NULL,
  ports TEXT NOT NULL,
  snmp_port INTEGER NOT NULL,
  community_sealed TEXT NOT NULL,
  poll_seconds INTEGER NOT NULL,
  created_at INTEGER NOT NULL
) STRICT;

CREATE TABLE sweep (
  id INTEGER PRIMARY KEY,
  source_id INTEGER NOT NULL REFERENCES source (id) ON DELETE CASCADE,
  state TEXT NOT NULL CHECK (state IN ('running', 'done', 'stopped', 'failed')),
  started_by TEXT NOT NULL,
  started_at INTEGER NOT NULL,
  ended_at INTEGER,
  addresses INTEGER NOT NULL,
  tried INTEGER NOT NULL DEFAULT 0,
  answering INTEGER NOT NULL DEFAULT 0,
  recognised INTEGER NOT NULL DEFAULT 0,
  failed INTEGER NOT NULL DEFAULT 0,
  message TEXT
) STRICT;
CREATE INDEX sweep_started ON sweep (started_at);

CREATE TABLE component (
  id INTEGER PRIMARY KEY,
  kind TEXT NOT NULL,
  name TEXT NOT NULL,
  site TEXT NOT NULL,
  source_id INTEGER REFERENCES source (id) ON DELETE SET NULL,
  host_id INTEGER REFERENCES component (id),
  address TEXT,
  reason TEXT NOT NULL,
  -- Sweeps in a row that looked for it and did not see it.
  missed INTEGER NOT NULL DEFAULT 0,
  last_seen_at INTEGER NOT NULL,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER
) STRICT;
CREATE INDEX component_name ON component (name);
CREATE INDEX component_host ON component (host_id);
CREATE INDEX component_valid ON component (valid_to, kind);

CREATE TABLE component_key (
  key TEXT PRIMARY KEY,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE
) STRICT, WITHOUT ROWID;
CREATE INDEX component_key_component ON component_key (component_id);

CREATE TABLE fact (
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  value TEXT NOT NULL,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER,
  PRIMARY KEY (component_id, name, valid_from)
) STRICT, WITHOUT ROWID;

-- Tables of the last sweep of one host: interfaces, storage, software, listeners, connections.
CREATE TABLE inventory (
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER,
  data TEXT NOT NULL,
  PRIMARY KEY (component_id, valid_from)
) STRICT, WITHOUT ROWID;

CREATE TABLE relation (
  id INTEGER PRIMARY KEY,
  type TEXT NOT NULL,
  from_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  to_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  detail TEXT NOT NULL DEFAULT '',
  connections INTEGER NOT NULL DEFAULT 0,
  seen_by TEXT NOT NULL DEFAULT '',
  missed INTEGER NOT NULL DEFAULT 0,
  last_seen_at INTEGER NOT NULL,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER
) STRICT;
CREATE INDEX relation_from ON relation (from_id);
CREATE INDEX relation_to ON relation (to_id);
CREATE UNIQUE INDEX relation_current ON relation (type, from_id, to_id, detail) WHERE valid_to IS NULL;

CREATE TABLE finding (
  sweep_id INTEGER NOT NULL REFERENCES sweep (id) ON DELETE CASCADE,
  outcome TEXT NOT NULL CHECK (outcome IN ('new', 'back', 'changed', 'missing', 'gone', 'failed', 'unmatched')),
  component_id INTEGER REFERENCES component (id) ON DELETE CASCADE,
  address TEXT NOT NULL,
  title TEXT NOT NULL,
  detail TEXT NOT NULL
) STRICT;
CREATE INDEX finding_sweep ON finding (sweep_id, outcome);

CREATE TABLE service (
  id INTEGER PRIMARY KEY,
  uid TEXT NOT NULL UNIQUE,
  name TEXT NOT NULL,
  purpose TEXT NOT NULL,
  owner TEXT NOT NULL,
  -- Entry points: host name pattern and process name.
  entries TEXT NOT NULL,
  figure TEXT,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER
) STRICT;

CREATE TABLE member (
  service_id INTEGER NOT NULL REFERENCES service (id) ON DELETE CASCADE,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  entry INTEGER NOT NULL DEFAULT 0,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER,
  PRIMARY KEY (service_id, component_id, valid_from)
) STRICT, WITHOUT ROWID;
CREATE INDEX member_component ON member (component_id);

CREATE TABLE reliance (
  service_id INTEGER NOT NULL REFERENCES service (id) ON DELETE CASCADE,
  on_service_id INTEGER NOT NULL REFERENCES service (id) ON DELETE CASCADE,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER,
  PRIMARY KEY (service_id, on_service_id, valid_from)
) STRICT, WITHOUT ROWID;

CREATE TABLE change (
  id INTEGER PRIMARY KEY,
  at INTEGER NOT NULL,
  kind TEXT NOT NULL,
  component_id INTEGER REFERENCES component (id) ON DELETE CASCADE,
  summary TEXT NOT NULL,
  detail TEXT NOT NULL DEFAULT '',
  by_whom TEXT NOT NULL,
  ticket TEXT
) STRICT;
CREATE INDEX change_at ON change (at);
CREATE INDEX change_component ON change (component_id, at);
