-- Drills as somebody practised them: when, what was named, how it ended, and the pages on the way.
CREATE TABLE drill_attempt (
  id INTEGER PRIMARY KEY,
  drill TEXT NOT NULL,
  title TEXT NOT NULL,
  by_whom TEXT NOT NULL,
  -- The title is not shown before the cause was named or the attempt given up.
  is_blind INTEGER NOT NULL CHECK (is_blind IN (0, 1)),
  started_at INTEGER NOT NULL,
  noticed_at INTEGER,
  named_at INTEGER,
  revealed_at INTEGER,
  ended_at INTEGER,
  ended_how TEXT CHECK (ended_how IN ('repaired', 'ended')),
  tries INTEGER NOT NULL DEFAULT 0,
  -- Roots named so far, and all pages looked at with their instants: JSON.
  roots TEXT NOT NULL DEFAULT '[]',
  trail TEXT NOT NULL DEFAULT '[]'
) STRICT;
CREATE INDEX drill_attempt_by ON drill_attempt (by_whom, started_at);
