-- What belongs to a collection gets labels by it, and may be left unwatched: [{"what":"label","name":"owner","value":"…"},{"what":"unwatched"}].
ALTER TABLE collection ADD COLUMN effects TEXT NOT NULL DEFAULT '[]';

-- Components that a collection keeps from being watched, parts go by their hosts.
CREATE TABLE unwatched (
  component_id INTEGER PRIMARY KEY REFERENCES component (id) ON DELETE CASCADE,
  by_whom TEXT NOT NULL,
  since INTEGER NOT NULL
) STRICT;
