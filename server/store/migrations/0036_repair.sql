-- Versions of runbooks: written, tried, approved by a second person, retired. `runbook` holds the one that runs.
ALTER TABLE runbook ADD COLUMN state TEXT NOT NULL DEFAULT 'approved';
ALTER TABLE runbook ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
CREATE TABLE runbook_version (
  runbook_id INTEGER NOT NULL REFERENCES runbook (id) ON DELETE CASCADE,
  version INTEGER NOT NULL,
  definition TEXT NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('draft', 'tried', 'approved', 'retired')),
  remark TEXT NOT NULL DEFAULT '',
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  approved_by TEXT,
  approved_at INTEGER,
  PRIMARY KEY (runbook_id, version)
) STRICT, WITHOUT ROWID;
INSERT INTO runbook_version (runbook_id, version, definition, state, remark, made_by, made_at, approved_by, approved_at)
  SELECT id, 1, definition, 'approved', '', 'kit', updated_at, 'kit', updated_at FROM runbook;

-- When a policy proposes, asks for or starts a runbook: JSON, see core/repair/policy.ts.
CREATE TABLE policy (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  definition TEXT NOT NULL,
  since INTEGER NOT NULL,
  changed_by TEXT NOT NULL,
  fell_back_at INTEGER,
  fell_back_why TEXT NOT NULL DEFAULT ''
) STRICT;

ALTER TABLE run ADD COLUMN version INTEGER;
ALTER TABLE run ADD COLUMN policy_id INTEGER REFERENCES policy (id) ON DELETE SET NULL;
-- Values taken out of answers on the way: JSON.
ALTER TABLE run ADD COLUMN taken TEXT NOT NULL DEFAULT '{}';
-- The step of which nobody knows whether it was carried out.
ALTER TABLE run ADD COLUMN unknown_step INTEGER;
ALTER TABLE run ADD COLUMN rollback TEXT CHECK (rollback IN ('running', 'passed', 'failed'));
-- What the guardrails said when it began: JSON.
ALTER TABLE run ADD COLUMN rulings TEXT NOT NULL DEFAULT '[]';
ALTER TABLE run ADD COLUMN proof TEXT
  CHECK (proof IN ('watching', 'proved', 'eased', 'no effect', 'worse', 'not measured'));
ALTER TABLE run ADD COLUMN proof_text TEXT NOT NULL DEFAULT '';
ALTER TABLE run ADD COLUMN proof_at INTEGER;
ALTER TABLE run ADD COLUMN proof_until INTEGER;
-- The figures that showed the fault, as they were when it began: JSON.
ALTER TABLE run ADD COLUMN watched TEXT NOT NULL DEFAULT '[]';
CREATE INDEX run_open ON run (state) WHERE state = 'running' OR proof = 'watching';
CREATE INDEX run_component ON run (component_id, started_at);

-- What a run acts on: nothing else may act there meanwhile.
CREATE TABLE run_target (
  run_id INTEGER NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  PRIMARY KEY (run_id, component_id)
) STRICT, WITHOUT ROWID;
INSERT INTO run_target (run_id, component_id) SELECT id, component_id FROM run;

ALTER TABLE run_step ADD COLUMN parent INTEGER;
ALTER TABLE run_step ADD COLUMN branch TEXT NOT NULL DEFAULT '';
ALTER TABLE run_step ADD COLUMN component_id INTEGER;
-- The step as it was laid out, and what its placeholders stand for: JSON.
ALTER TABLE run_step ADD COLUMN step TEXT;
ALTER TABLE run_step ADD COLUMN words TEXT NOT NULL DEFAULT '{}';
ALTER TABLE run_step ADD COLUMN tries INTEGER NOT NULL DEFAULT 0;
ALTER TABLE run_step ADD COLUMN ask_until INTEGER;
ALTER TABLE run_step ADD COLUMN answered_by TEXT;
-- Characters that are not in the output here; the whole is in a file.
ALTER TABLE run_step ADD COLUMN left_out INTEGER NOT NULL DEFAULT 0;

-- What policies did, proposed, asked for, would have done or were held back from.
CREATE TABLE policy_act (
  id INTEGER PRIMARY KEY,
  policy_id INTEGER NOT NULL REFERENCES policy (id) ON DELETE CASCADE,
  incident_id INTEGER NOT NULL REFERENCES incident (id) ON DELETE CASCADE,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  at INTEGER NOT NULL,
  did TEXT NOT NULL CHECK (did IN ('would', 'proposed', 'asked', 'started', 'held')),
  args TEXT NOT NULL,
  why TEXT NOT NULL,
  -- What each guardrail said: JSON.
  rulings TEXT NOT NULL,
  run_id INTEGER REFERENCES run (id) ON DELETE SET NULL
) STRICT;
CREATE INDEX policy_act_of ON policy_act (policy_id, at);
CREATE INDEX policy_act_incident ON policy_act (incident_id);
