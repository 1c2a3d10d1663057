-- Calls summed up by half hours, from the minutes of them, so that windows of days are answered by few rows.

CREATE TABLE operation_half (
  operation_id INTEGER NOT NULL,
  half_at INTEGER NOT NULL,
  calls INTEGER NOT NULL,
  failed INTEGER NOT NULL,
  sum_us INTEGER NOT NULL,
  sketch BLOB NOT NULL,
  PRIMARY KEY (operation_id, half_at)
) STRICT, WITHOUT ROWID;

CREATE TABLE call_half (
  from_origin_id INTEGER NOT NULL,
  to_origin_id INTEGER NOT NULL,
  half_at INTEGER NOT NULL,
  calls INTEGER NOT NULL,
  failed INTEGER NOT NULL,
  sum_us INTEGER NOT NULL,
  sketch BLOB NOT NULL,
  PRIMARY KEY (from_origin_id, to_origin_id, half_at)
) STRICT, WITHOUT ROWID;
