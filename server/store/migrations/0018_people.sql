-- People who sign in, their sessions, the tokens of programs, and an audit record that is a chain.
CREATE TABLE account (
  id INTEGER PRIMARY KEY,
  -- As it stands on what they do.
  name TEXT NOT NULL UNIQUE COLLATE NOCASE,
  -- As they type it in to sign in.
  sign_in TEXT NOT NULL UNIQUE COLLATE NOCASE,
  role TEXT NOT NULL CHECK (role IN ('reader', 'responder', 'operator', 'administrator')),
  -- What they do here, in a few words.
  remark TEXT NOT NULL DEFAULT '',
  -- Offered by the demonstration's sign-in page.
  is_demo INTEGER NOT NULL DEFAULT 0,
  made_at INTEGER NOT NULL,
  made_by TEXT NOT NULL,
  closed_at INTEGER
) STRICT;

CREATE TABLE password (
  account_id INTEGER PRIMARY KEY REFERENCES account (id) ON DELETE CASCADE,
  -- argon2id in the PHC string format, salt and costs included.
  hash TEXT NOT NULL,
  set_at INTEGER NOT NULL
) STRICT;

-- Instants of sessions, invitations and tokens are the machine's, not those of the clock that pages show.
CREATE TABLE session (
  id INTEGER PRIMARY KEY,
  account_id INTEGER NOT NULL REFERENCES account (id) ON DELETE CASCADE,
  -- SHA-256 of what the browser keeps.
  hash BLOB NOT NULL UNIQUE,
  way TEXT NOT NULL,
  address TEXT NOT NULL,
  browser TEXT NOT NULL,
  began_at INTEGER NOT NULL,
  seen_at INTEGER NOT NULL,
  ended_at INTEGER
) STRICT;
CREATE INDEX session_account ON session (account_id);

-- A link that makes an account, or lets its owner choose a new password, once.
CREATE TABLE invitation (
  id INTEGER PRIMARY KEY,
  hash BLOB NOT NULL UNIQUE,
  role TEXT NOT NULL CHECK (role IN ('reader', 'responder', 'operator', 'administrator')),
  -- The account whose password is chosen anew; NULL for a new one.
  account_id INTEGER REFERENCES account (id) ON DELETE CASCADE,
  name TEXT NOT NULL DEFAULT '',
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  ends_at INTEGER NOT NULL,
  used_at INTEGER
) STRICT;

CREATE TABLE token (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  hash BLOB NOT NULL UNIQUE,
  -- What it may: core/people/tokens.ts, as JSON.
  scope TEXT NOT NULL,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  ends_at INTEGER,
  revoked_at INTEGER,
  used_at INTEGER,
  used_from TEXT
) STRICT;

-- A code with which agents fetch a token of their own.
CREATE TABLE enrolment (
  id INTEGER PRIMARY KEY,
  hash BLOB NOT NULL UNIQUE,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  ends_at INTEGER NOT NULL,
  -- How many hosts may still use it.
  remaining INTEGER NOT NULL
) STRICT;

ALTER TABLE audit ADD COLUMN address TEXT NOT NULL DEFAULT '';
ALTER TABLE audit ADD COLUMN subject TEXT NOT NULL DEFAULT '';
ALTER TABLE audit ADD COLUMN before TEXT;
ALTER TABLE audit ADD COLUMN after TEXT;
-- SHA-256 of this entry and the hash of the one before; entries of the versions before get theirs at the next start.
ALTER TABLE audit ADD COLUMN hash BLOB;
CREATE TRIGGER audit_kept BEFORE DELETE ON audit BEGIN SELECT RAISE(ABORT, 'The audit record is append-only.'); END;
CREATE TRIGGER audit_fixed BEFORE UPDATE ON audit
  WHEN OLD.hash IS NOT NULL OR NEW.id <> OLD.id OR NEW.at <> OLD.at OR NEW.who <> OLD.who OR NEW.via <> OLD.via
    OR NEW.command <> OLD.command OR NEW.summary <> OLD.summary OR NEW.outcome <> OLD.outcome
    OR NEW.reason IS NOT OLD.reason
  BEGIN SELECT RAISE(ABORT, 'The audit record is append-only.'); END;
