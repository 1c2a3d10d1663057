-- Pages of OpenMetrics text that are read again and again.
CREATE TABLE scrape_target (
  id INTEGER PRIMARY KEY,
  url TEXT NOT NULL UNIQUE,
  every_seconds INTEGER NOT NULL,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL
) STRICT;

-- Events that were taken in, so that one delivered twice is kept once (CloudEvents 1.0: source and id together are unique).
CREATE TABLE event_seen (
  source TEXT NOT NULL,
  id TEXT NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (source, id)
) STRICT, WITHOUT ROWID;
