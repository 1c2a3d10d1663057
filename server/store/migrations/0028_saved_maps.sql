-- Maps that people keep: an address of the map without the window, for themselves or for everybody.
CREATE TABLE saved_map (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  -- Query of the address: "by=site,kind&only=unwell".
  query TEXT NOT NULL,
  made_by TEXT NOT NULL,
  shared INTEGER NOT NULL DEFAULT 0,
  at INTEGER NOT NULL,
  UNIQUE (made_by, name)
) STRICT;
