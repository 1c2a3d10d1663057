-- What was taken in of costs: files, and what platforms tell. Only what is taken counts.
CREATE TABLE spend_import (
  id INTEGER PRIMARY KEY,
  -- Platform that told it; null for a file.
  source_id INTEGER REFERENCES source (id) ON DELETE SET NULL,
  name TEXT NOT NULL,
  -- SHA-256 of a file.
  digest TEXT,
  bytes INTEGER NOT NULL DEFAULT 0,
  state TEXT NOT NULL CHECK (state IN ('reading', 'taken')),
  taken_at INTEGER NOT NULL,
  taken_by TEXT NOT NULL,
  lines INTEGER NOT NULL DEFAULT 0,
  -- What was noticed in it, as a sentence.
  note TEXT NOT NULL DEFAULT ''
) STRICT;
-- What is paid for: lines that are equal in all that says what they are of.
CREATE TABLE spend_item (
  id INTEGER PRIMARY KEY,
  digest TEXT NOT NULL UNIQUE,
  provider TEXT NOT NULL,
  account_id TEXT NOT NULL,
  account TEXT NOT NULL,
  resource_id TEXT NOT NULL,
  -- All columns of FOCUS that say what it is, as a JSON object without the empty ones.
  columns TEXT NOT NULL
) STRICT;
CREATE INDEX spend_item_resource ON spend_item (resource_id);
-- Sums of an item by day (UTC) and billing period.
CREATE TABLE spend_day (
  day INTEGER NOT NULL,
  item_id INTEGER NOT NULL REFERENCES spend_item (id),
  import_id INTEGER NOT NULL REFERENCES spend_import (id) ON DELETE CASCADE,
  billing_at INTEGER NOT NULL,
  billed REAL NOT NULL,
  effective REAL NOT NULL,
  list REAL NOT NULL,
  contracted REAL NOT NULL,
  consumed REAL NOT NULL,
  priced REAL NOT NULL,
  lines INTEGER NOT NULL,
  PRIMARY KEY (day, item_id, import_id, billing_at)
) STRICT, WITHOUT ROWID;
CREATE INDEX spend_day_import ON spend_day (import_id, billing_at);
-- What a month may cost, of everything or of one value of a dimension; in the currency of reporting.
CREATE TABLE budget (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE COLLATE NOCASE,
  dimension TEXT,
  value TEXT,
  amount REAL NOT NULL CHECK (amount > 0),
  made_at INTEGER NOT NULL,
  made_by TEXT NOT NULL
) STRICT;
-- Units of the currency of reporting that one unit of a currency is worth, by people's word.
CREATE TABLE spend_rate (
  currency TEXT PRIMARY KEY,
  rate REAL NOT NULL CHECK (rate > 0)
) STRICT, WITHOUT ROWID;
