-- Work that people plan by hand. JSON, see core/changes/planned-work.ts.
CREATE TABLE planned_work (
  id INTEGER PRIMARY KEY,
  definition TEXT NOT NULL,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  -- When the window that was under way was ended before its time.
  ended_at INTEGER
) STRICT;
