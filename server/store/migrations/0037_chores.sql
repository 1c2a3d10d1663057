-- Upkeep of the estate: which runbook is run where, and when it comes due. JSON, see core/repair/chore.ts.
CREATE TABLE chore (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  definition TEXT NOT NULL,
  since INTEGER NOT NULL,
  changed_by TEXT NOT NULL,
  -- When it is due next by the clock; null for what comes due otherwise.
  next_at INTEGER,
  fell_back_at INTEGER,
  fell_back_why TEXT NOT NULL DEFAULT ''
) STRICT;

-- One time that a chore came due.
CREATE TABLE chore_round (
  id INTEGER PRIMARY KEY,
  chore_id INTEGER NOT NULL REFERENCES chore (id) ON DELETE CASCADE,
  due_at INTEGER NOT NULL,
  until INTEGER NOT NULL,
  begun_by TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('watched', 'asking', 'going', 'done', 'stopped', 'out of time', 'declined', 'missed')),
  words TEXT NOT NULL DEFAULT '',
  answered_by TEXT,
  ended_at INTEGER
) STRICT;
CREATE INDEX chore_round_of ON chore_round (chore_id, due_at);
CREATE INDEX chore_round_open ON chore_round (state) WHERE state IN ('asking', 'going');

-- What a round is about, one component (and instance) each.
CREATE TABLE chore_item (
  id INTEGER PRIMARY KEY,
  round_id INTEGER NOT NULL REFERENCES chore_round (id) ON DELETE CASCADE,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  -- Tells two on the same component from each other: a mount point, a process.
  instance TEXT NOT NULL DEFAULT '',
  why TEXT NOT NULL,
  -- What its arguments are filled with: JSON.
  words TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('waiting', 'running', 'passed', 'failed', 'held', 'dropped')),
  -- What it would do, did, or what holds it back.
  said TEXT NOT NULL DEFAULT '',
  rulings TEXT NOT NULL DEFAULT '[]',
  run_id INTEGER REFERENCES run (id) ON DELETE SET NULL
) STRICT;
CREATE INDEX chore_item_of ON chore_item (round_id, id);
CREATE INDEX chore_item_on ON chore_item (component_id);
CREATE INDEX chore_item_run ON chore_item (run_id) WHERE run_id IS NOT NULL;

-- What waits for somebody's answer is counted on every page.
CREATE INDEX run_step_asking ON run_step (run_id) WHERE state = 'asking';
ALTER TABLE run ADD COLUMN chore_id INTEGER REFERENCES chore (id) ON DELETE SET NULL;

-- What people here know of a sort of alarm, shown with the next of it.
CREATE TABLE own_note (
  id INTEGER PRIMARY KEY,
  metric TEXT NOT NULL,
  title TEXT NOT NULL,
  text TEXT NOT NULL,
  incident_id INTEGER REFERENCES incident (id) ON DELETE SET NULL,
  by_whom TEXT NOT NULL,
  at INTEGER NOT NULL
) STRICT;
CREATE INDEX own_note_metric ON own_note (metric);
