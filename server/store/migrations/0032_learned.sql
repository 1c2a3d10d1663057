-- What is usual of each series, as it was learned, from an instant on: the past is drawn with the band of its time.
CREATE TABLE learned (
  series_id INTEGER NOT NULL REFERENCES series (id) ON DELETE CASCADE,
  at INTEGER NOT NULL,
  range BLOB NOT NULL,
  PRIMARY KEY (series_id, at)
) STRICT, WITHOUT ROWID;

-- What was found odd and raised no alarm: evidence. It ends when it is as usual again.
CREATE TABLE odd_finding (
  id INTEGER PRIMARY KEY,
  subject_type TEXT NOT NULL CHECK (subject_type IN ('component', 'relation', 'service', 'source', 'self')),
  subject_id INTEGER NOT NULL,
  rule_id INTEGER REFERENCES rule (id) ON DELETE SET NULL,
  series_id INTEGER REFERENCES series (id) ON DELETE SET NULL,
  detector TEXT NOT NULL,
  metric TEXT NOT NULL,
  direction TEXT NOT NULL CHECK (direction IN ('above', 'below')),
  qualifier TEXT NOT NULL,
  score REAL NOT NULL,
  onset_at INTEGER NOT NULL,
  found_at INTEGER NOT NULL,
  ended_at INTEGER,
  text TEXT NOT NULL
) STRICT;
CREATE INDEX odd_finding_found ON odd_finding (found_at);
CREATE INDEX odd_finding_subject ON odd_finding (subject_type, subject_id, found_at);
CREATE UNIQUE INDEX odd_finding_current ON odd_finding (subject_type, subject_id, metric, direction, qualifier) WHERE ended_at IS NULL;

-- Oddities that somebody expects, up to an instant: they are not told of meanwhile.
CREATE TABLE expected (
  id INTEGER PRIMARY KEY,
  subject_type TEXT NOT NULL,
  subject_id INTEGER NOT NULL,
  metric TEXT NOT NULL,
  qualifier TEXT NOT NULL,
  reason TEXT NOT NULL,
  by_whom TEXT NOT NULL,
  at INTEGER NOT NULL,
  until_at INTEGER NOT NULL
) STRICT;
CREATE INDEX expected_until ON expected (until_at);

-- Alarms that are kept quiet for a while: shelved by somebody (RFC 8632 §3.5.2), or within planned work. They stand and count, and tell nobody.
ALTER TABLE alarm ADD COLUMN quiet TEXT;
ALTER TABLE alarm ADD COLUMN quiet_until INTEGER;
CREATE INDEX alarm_quiet ON alarm (quiet_until) WHERE quiet_until IS NOT NULL;
CREATE TABLE shelf (
  id INTEGER PRIMARY KEY,
  subject_type TEXT NOT NULL,
  subject_id INTEGER NOT NULL,
  alarm_type TEXT NOT NULL,
  qualifier TEXT NOT NULL,
  reason TEXT NOT NULL,
  by_whom TEXT NOT NULL,
  at INTEGER NOT NULL,
  until_at INTEGER NOT NULL
) STRICT;
CREATE INDEX shelf_until ON shelf (until_at);
-- What people say of an alarm.
CREATE TABLE alarm_comment (
  alarm_id INTEGER NOT NULL REFERENCES alarm (id) ON DELETE CASCADE,
  at INTEGER NOT NULL,
  by_whom TEXT NOT NULL,
  text TEXT NOT NULL
) STRICT;
CREATE INDEX alarm_comment_alarm ON alarm_comment (alarm_id, at);
