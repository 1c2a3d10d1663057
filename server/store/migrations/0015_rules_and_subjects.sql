-- A rule is a detector with its settings and what it is about.
ALTER TABLE rule ADD COLUMN type TEXT NOT NULL DEFAULT 'threshold';
ALTER TABLE rule ADD COLUMN settings TEXT NOT NULL DEFAULT '{}';
ALTER TABLE rule ADD COLUMN scope TEXT NOT NULL DEFAULT '{}';
UPDATE rule SET
  scope = json_object('subject', 'component', 'kind', kind),
  settings = json_patch(
    json_object('metric', metric, 'direction', direction, 'samples', samples, 'hysteresis', hysteresis, 'memoryMinutes', memory_ms / 60000.0),
    coalesce((SELECT json_group_object(json_extract(one.value, '$.severity'), json_extract(one.value, '$.value'))
      FROM json_each(rule.limits) one WHERE json_extract(one.value, '$.severity') <> 'indeterminate'), '{}')
  );
ALTER TABLE rule DROP COLUMN metric;
ALTER TABLE rule DROP COLUMN kind;
ALTER TABLE rule DROP COLUMN direction;
ALTER TABLE rule DROP COLUMN limits;
ALTER TABLE rule DROP COLUMN samples;
ALTER TABLE rule DROP COLUMN hysteresis;
ALTER TABLE rule DROP COLUMN memory_ms;

-- An alarm is on a subject, which is not always a component, and says of which metric or condition and by which detector.
CREATE TABLE alarm_next (
  id INTEGER PRIMARY KEY,
  subject_type TEXT NOT NULL CHECK (subject_type IN ('component', 'relation', 'service', 'source', 'self')),
  -- 0 for Holotaxis itself.
  subject_id INTEGER NOT NULL,
  component_id INTEGER GENERATED ALWAYS AS (CASE subject_type WHEN 'component' THEN subject_id END) VIRTUAL,
  rule_id INTEGER REFERENCES rule (id) ON DELETE SET NULL,
  series_id INTEGER REFERENCES series (id) ON DELETE SET NULL,
  detector TEXT NOT NULL,
  -- A metric, or the name of a condition.
  metric TEXT NOT NULL,
  direction TEXT NOT NULL CHECK (direction IN ('above', 'below')),
  -- RFC 8632: with the subject, these two tell alarms apart.
  alarm_type TEXT NOT NULL,
  qualifier TEXT NOT NULL,
  severity TEXT NOT NULL,
  worst TEXT NOT NULL,
  text TEXT NOT NULL,
  score REAL NOT NULL DEFAULT 0,
  onset_at INTEGER NOT NULL,
  raised_at INTEGER NOT NULL,
  changed_at INTEGER NOT NULL,
  cleared_at INTEGER,
  acknowledged_by TEXT,
  acknowledged_at INTEGER
) STRICT;
INSERT INTO alarm_next (id, subject_type, subject_id, rule_id, series_id, detector, metric, direction, alarm_type, qualifier, severity, worst, text, onset_at, raised_at, changed_at, cleared_at, acknowledged_by, acknowledged_at)
  SELECT id, 'component', component_id, rule_id, series_id, 'threshold',
    CASE WHEN alarm_type LIKE '%.high' THEN substr(alarm_type, 1, length(alarm_type) - 5) WHEN alarm_type LIKE '%.low' THEN substr(alarm_type, 1, length(alarm_type) - 4) ELSE alarm_type END,
    CASE WHEN alarm_type LIKE '%.low' THEN 'below' ELSE 'above' END,
    alarm_type, qualifier, severity, worst, text, raised_at, raised_at, changed_at, cleared_at, acknowledged_by, acknowledged_at FROM alarm;
DROP TABLE alarm;
ALTER TABLE alarm_next RENAME TO alarm;
CREATE INDEX alarm_raised ON alarm (raised_at);
CREATE INDEX alarm_subject ON alarm (subject_type, subject_id, raised_at);
CREATE INDEX alarm_component ON alarm (component_id, raised_at);
CREATE UNIQUE INDEX alarm_current ON alarm (subject_type, subject_id, alarm_type, qualifier) WHERE cleared_at IS NULL;
