-- What is done again and again: a name at one sender.
CREATE TABLE operation (
  id INTEGER PRIMARY KEY,
  origin_id INTEGER NOT NULL REFERENCES origin (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  -- OpenTelemetry span kind: 1 internal, 2 server, 3 client, 4 producer, 5 consumer; 0 not given.
  kind INTEGER NOT NULL,
  UNIQUE (origin_id, name, kind)
) STRICT;

CREATE TABLE span (
  id INTEGER PRIMARY KEY,
  trace_id BLOB NOT NULL,
  span_id BLOB NOT NULL,
  parent_id BLOB,
  operation_id INTEGER NOT NULL,
  -- Epoch microseconds.
  start_us INTEGER NOT NULL,
  duration_us INTEGER NOT NULL,
  -- 0 not said, 1 fine, 2 failed.
  status INTEGER NOT NULL,
  -- Attributes, events and status message as JSON; null without.
  detail TEXT
) STRICT;
CREATE INDEX span_trace ON span (trace_id);
CREATE INDEX span_operation ON span (operation_id, start_us);

-- Calls of an operation in each minute, with a sketch of how long they took (microseconds).
CREATE TABLE operation_minute (
  operation_id INTEGER NOT NULL,
  minute_at INTEGER NOT NULL,
  calls INTEGER NOT NULL,
  failed INTEGER NOT NULL,
  sum_us INTEGER NOT NULL,
  sketch BLOB NOT NULL,
  PRIMARY KEY (operation_id, minute_at)
) STRICT, WITHOUT ROWID;

-- The same for calls from one sender to another.
CREATE TABLE call_minute (
  from_origin_id INTEGER NOT NULL,
  to_origin_id INTEGER NOT NULL,
  minute_at INTEGER NOT NULL,
  calls INTEGER NOT NULL,
  failed INTEGER NOT NULL,
  sum_us INTEGER NOT NULL,
  sketch BLOB NOT NULL,
  PRIMARY KEY (from_origin_id, to_origin_id, minute_at)
) STRICT, WITHOUT ROWID;
