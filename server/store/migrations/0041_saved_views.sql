-- Maps, lists of incidents and other pages as people keep them, each with the query of its address.
CREATE TABLE saved_view (
  id INTEGER PRIMARY KEY,
  page TEXT NOT NULL,
  name TEXT NOT NULL,
  query TEXT NOT NULL,
  made_by TEXT NOT NULL,
  shared INTEGER NOT NULL DEFAULT 0,
  at INTEGER NOT NULL,
  UNIQUE (page, made_by, name)
) STRICT;
INSERT INTO saved_view (page, name, query, made_by, shared, at)
  SELECT 'map', name, query, made_by, shared, at FROM saved_map ORDER BY id;
DROP TABLE saved_map;
