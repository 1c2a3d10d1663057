CREATE TABLE rule (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  metric TEXT NOT NULL,
  kind TEXT NOT NULL,
  direction TEXT NOT NULL CHECK (direction IN ('above', 'below')),
  limits TEXT NOT NULL,
  samples INTEGER NOT NULL,
  hysteresis REAL NOT NULL,
  memory_ms INTEGER NOT NULL,
  enabled INTEGER NOT NULL DEFAULT 1
) STRICT;

-- RFC 8632: one alarm for each resource, alarm type and qualifier; its life is the list of its status changes.
CREATE TABLE alarm (
  id INTEGER PRIMARY KEY,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  rule_id INTEGER REFERENCES rule (id) ON DELETE SET NULL,
  series_id INTEGER REFERENCES series (id) ON DELETE SET NULL,
  alarm_type TEXT NOT NULL,
  qualifier TEXT NOT NULL,
  severity TEXT NOT NULL,
  worst TEXT NOT NULL,
  text TEXT NOT NULL,
  raised_at INTEGER NOT NULL,
  changed_at INTEGER NOT NULL,
  cleared_at INTEGER,
  acknowledged_by TEXT,
  acknowledged_at INTEGER
) STRICT;
CREATE INDEX alarm_raised ON alarm (raised_at);
CREATE INDEX alarm_component ON alarm (component_id, raised_at);
CREATE UNIQUE INDEX alarm_current ON alarm (component_id, alarm_type, qualifier) WHERE cleared_at IS NULL;

CREATE TABLE alarm_change (
  alarm_id INTEGER NOT NULL REFERENCES alarm (id) ON DELETE CASCADE,
  at INTEGER NOT NULL,
  severity TEXT NOT NULL,
  text TEXT NOT NULL
) STRICT;
CREATE INDEX alarm_change_alarm ON alarm_change (alarm_id, at);

CREATE TABLE health (
  subject TEXT NOT NULL CHECK (subject IN ('component', 'service')),
  subject_id INTEGER NOT NULL,
  severity TEXT NOT NULL,
  reason TEXT NOT NULL,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER,
  PRIMARY KEY (subject, subject_id, valid_from)
) STRICT, WITHOUT ROWID;
CREATE INDEX health_open ON health (valid_to, subject);

CREATE TABLE incident (
  id INTEGER PRIMARY KEY,
  subject TEXT NOT NULL,
  service_id INTEGER REFERENCES service (id) ON DELETE SET NULL,
  title TEXT NOT NULL,
  severity TEXT NOT NULL,
  worst TEXT NOT NULL,
  opened_at INTEGER NOT NULL,
  resolved_at INTEGER,
  suspect_alarm_id INTEGER REFERENCES alarm (id) ON DELETE SET NULL,
  suspect_reasons TEXT NOT NULL DEFAULT '[]',
  taken_by TEXT,
  taken_at INTEGER
) STRICT;
CREATE INDEX incident_opened ON incident (opened_at);

CREATE TABLE incident_alarm (
  incident_id INTEGER NOT NULL REFERENCES incident (id) ON DELETE CASCADE,
  alarm_id INTEGER NOT NULL REFERENCES alarm (id) ON DELETE CASCADE,
  joined_at INTEGER NOT NULL,
  why TEXT NOT NULL,
  PRIMARY KEY (incident_id, alarm_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX incident_alarm_alarm ON incident_alarm (alarm_id);

CREATE TABLE incident_event (
  incident_id INTEGER NOT NULL REFERENCES incident (id) ON DELETE CASCADE,
  at INTEGER NOT NULL,
  kind TEXT NOT NULL,
  text TEXT NOT NULL,
  by_whom TEXT NOT NULL
) STRICT;
CREATE INDEX incident_event_incident ON incident_event (incident_id, at);

-- What the host's process table said when an alarm was raised.
CREATE TABLE process_snapshot (
  alarm_id INTEGER PRIMARY KEY REFERENCES alarm (id) ON DELETE CASCADE,
  at INTEGER NOT NULL,
  memory_bytes REAL NOT NULL,
  processes TEXT NOT NULL,
  failure TEXT
) STRICT;
