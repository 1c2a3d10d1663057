-- Kinds of log lines, learned as they arrive: words with <*> where they differ.
CREATE TABLE log_pattern (
  id INTEGER PRIMARY KEY,
  text TEXT NOT NULL,
  first_at INTEGER NOT NULL,
  last_at INTEGER NOT NULL,
  count INTEGER NOT NULL
) STRICT;

CREATE TABLE log (
  -- Rises in the order of arrival.
  id INTEGER PRIMARY KEY,
  at INTEGER NOT NULL,
  -- OpenTelemetry severity number, 1 to 24; 0 where none was given.
  severity INTEGER NOT NULL,
  origin_id INTEGER NOT NULL REFERENCES origin (id) ON DELETE CASCADE,
  pattern_id INTEGER NOT NULL,
  body TEXT NOT NULL,
  -- Attributes as JSON; null without.
  attributes TEXT,
  trace_id TEXT,
  span_id TEXT
) STRICT;
CREATE INDEX log_trace ON log (trace_id) WHERE trace_id IS NOT NULL;

-- Runs of records and the time they cover, so that a window is found without an index of every record.
CREATE TABLE log_block (
  first_id INTEGER PRIMARY KEY,
  last_id INTEGER NOT NULL,
  min_at INTEGER NOT NULL,
  max_at INTEGER NOT NULL
) STRICT;

-- How many records of a pattern, severity and origin came in each minute.
CREATE TABLE log_tally (
  minute_at INTEGER NOT NULL,
  pattern_id INTEGER NOT NULL,
  origin_id INTEGER NOT NULL,
  severity INTEGER NOT NULL,
  count INTEGER NOT NULL,
  PRIMARY KEY (minute_at, pattern_id, origin_id, severity)
) STRICT, WITHOUT ROWID;

-- The words of each day's records stand in a full-text index of its own, log_text_<day>, made with its first record and
-- dropped when the day is forgotten. This lists them.
CREATE TABLE log_day (
  day INTEGER PRIMARY KEY,
  count INTEGER NOT NULL
) STRICT;
