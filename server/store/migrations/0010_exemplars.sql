-- Single measurements of a metric that was sent to us, each with its trace; forgotten with the spans.
CREATE TABLE exemplar (
  origin_id INTEGER NOT NULL REFERENCES origin (id) ON DELETE CASCADE,
  -- Without what is worked out of it: duration, not duration.p95.
  metric TEXT NOT NULL,
  instance TEXT NOT NULL,
  at INTEGER NOT NULL,
  value REAL NOT NULL,
  trace_id BLOB NOT NULL,
  span_id BLOB
) STRICT;
CREATE INDEX exemplar_of ON exemplar (origin_id, metric, at);
CREATE INDEX exemplar_at ON exemplar (at);
