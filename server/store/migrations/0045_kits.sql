-- What was last taken from a kit: a rule, policy or chore that is still like this follows the kit's next version; one that people
-- changed stays theirs, and both differences are shown.
CREATE TABLE kit_offer (
  part TEXT NOT NULL CHECK (part IN ('rule', 'policy', 'chore')),
  name TEXT NOT NULL,
  -- JSON, with the fields of an object in the order of their names.
  definition TEXT NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (part, name)
) STRICT, WITHOUT ROWID;

-- Title of the kit's note in whose place this one is shown; empty for one that stands beside them.
ALTER TABLE own_note ADD COLUMN replaces TEXT NOT NULL DEFAULT '';
