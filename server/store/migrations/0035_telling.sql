-- Ways by which people and programs are told: a mail server, a webhook, a chat, the browser.
CREATE TABLE channel (
  id INTEGER PRIMARY KEY,
  kind TEXT NOT NULL,
  name TEXT NOT NULL UNIQUE,
  -- JSON by the schema of its kind.
  settings TEXT NOT NULL,
  credential_id INTEGER REFERENCES credential (id) ON DELETE SET NULL,
  is_on INTEGER NOT NULL DEFAULT 1,
  made_at INTEGER NOT NULL,
  made_by TEXT NOT NULL
) STRICT;

-- Where somebody is reached, and how much they can bear.
CREATE TABLE contact (
  account_id INTEGER PRIMARY KEY REFERENCES account (id) ON DELETE CASCADE,
  mail TEXT NOT NULL DEFAULT '',
  browser INTEGER NOT NULL DEFAULT 1,
  sound TEXT NOT NULL DEFAULT 'none',
  most_an_hour INTEGER NOT NULL DEFAULT 20,
  -- JSON: hours of the week; null for none.
  quiet TEXT,
  zone TEXT NOT NULL DEFAULT 'UTC'
) STRICT;

-- What is sent where somebody wrote something else than the ready message, by occasion.
CREATE TABLE message_template (
  moment TEXT PRIMARY KEY,
  subject TEXT NOT NULL,
  plain TEXT NOT NULL,
  rich TEXT NOT NULL,
  headers TEXT NOT NULL,
  changed_at INTEGER NOT NULL,
  changed_by TEXT NOT NULL
) STRICT, WITHOUT ROWID;

-- Which incidents are told to whom, when: JSON, see core/telling/rule.ts.
CREATE TABLE telling_rule (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  definition TEXT NOT NULL,
  since INTEGER NOT NULL,
  changed_by TEXT NOT NULL
) STRICT;

-- Who is on call when: JSON, see core/telling/rotation.ts.
CREATE TABLE rotation (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  definition TEXT NOT NULL,
  changed_at INTEGER NOT NULL,
  changed_by TEXT NOT NULL
) STRICT;

CREATE TABLE rotation_override (
  id INTEGER PRIMARY KEY,
  rotation_id INTEGER NOT NULL REFERENCES rotation (id) ON DELETE CASCADE,
  account_id INTEGER NOT NULL REFERENCES account (id) ON DELETE CASCADE,
  from_at INTEGER NOT NULL,
  to_at INTEGER NOT NULL CHECK (to_at > from_at),
  remark TEXT NOT NULL DEFAULT '',
  made_at INTEGER NOT NULL,
  made_by TEXT NOT NULL
) STRICT;
CREATE INDEX rotation_override_of ON rotation_override (rotation_id, to_at);

-- A shift that was handed over: what was said, signed by who leaves and by who takes over.
CREATE TABLE shift_hand_over (
  id INTEGER PRIMARY KEY,
  from_at INTEGER NOT NULL,
  to_at INTEGER NOT NULL,
  remark TEXT NOT NULL,
  left_by TEXT NOT NULL,
  left_at INTEGER NOT NULL,
  taken_by TEXT,
  taken_at INTEGER,
  -- How things stood when it was signed: JSON.
  page TEXT NOT NULL
) STRICT;

-- The outbox, and with it the record of what was told to whom: written with the decision, kept with the outcome.
CREATE TABLE message (
  id INTEGER PRIMARY KEY,
  -- Null for a test and for a digest.
  incident_id INTEGER REFERENCES incident (id) ON DELETE CASCADE,
  rule_id INTEGER,
  -- The shift whose hand-over it tells of.
  shift_id INTEGER REFERENCES shift_hand_over (id) ON DELETE CASCADE,
  channel_id INTEGER REFERENCES channel (id) ON DELETE SET NULL,
  channel TEXT NOT NULL,
  address TEXT NOT NULL,
  person_id INTEGER REFERENCES account (id) ON DELETE SET NULL,
  name TEXT NOT NULL,
  moment TEXT NOT NULL,
  version INTEGER NOT NULL,
  severity TEXT NOT NULL,
  cause TEXT,
  taken_by TEXT,
  why TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  -- due: to be sent; held: waits for a digest; sending: handed over, answer not heard yet; the others are ends.
  state TEXT NOT NULL CHECK (state IN ('due', 'held', 'sending', 'sent', 'refused', 'given up', 'dropped')),
  tries INTEGER NOT NULL DEFAULT 0,
  next_at INTEGER NOT NULL,
  ended_at INTEGER,
  -- What the other side answered last, word by word.
  answer TEXT NOT NULL DEFAULT '',
  subject TEXT NOT NULL DEFAULT '',
  digest_id INTEGER REFERENCES message (id) ON DELETE SET NULL
) STRICT;
CREATE UNIQUE INDEX message_once ON message (incident_id, channel_id, address, version) WHERE incident_id IS NOT NULL;
CREATE INDEX message_open ON message (next_at) WHERE state IN ('due', 'held', 'sending');
CREATE INDEX message_at ON message (made_at);
CREATE INDEX message_person ON message (person_id, made_at);

-- Every try of a message, with the answer.
CREATE TABLE message_try (
  message_id INTEGER NOT NULL REFERENCES message (id) ON DELETE CASCADE,
  at INTEGER NOT NULL,
  took_ms INTEGER NOT NULL,
  outcome TEXT NOT NULL,
  answer TEXT NOT NULL
) STRICT;
CREATE INDEX message_try_of ON message_try (message_id);
