-- Log records counted by half hours too, so that windows of days are counted from few rows.

CREATE TABLE log_tally_half (
  half_at INTEGER NOT NULL,
  pattern_id INTEGER NOT NULL,
  origin_id INTEGER NOT NULL,
  severity INTEGER NOT NULL,
  count INTEGER NOT NULL,
  PRIMARY KEY (half_at, pattern_id, origin_id, severity)
) STRICT, WITHOUT ROWID;

INSERT INTO log_tally_half (half_at, pattern_id, origin_id, severity, count)
  SELECT minute_at / 1800000 * 1800000 AS half_at, pattern_id, origin_id, severity, sum(count) FROM log_tally GROUP BY 1, 2, 3, 4;
