-- Credentials as things of their own: what kind, what of it is no secret, for which destinations, and how it went.
ALTER TABLE credential RENAME COLUMN label TO name;
ALTER TABLE credential ADD COLUMN kind TEXT NOT NULL DEFAULT 'snmp-community';
-- Fields that are no secret, JSON.
ALTER TABLE credential ADD COLUMN about TEXT NOT NULL DEFAULT '{}';
-- Addresses, blocks, spans and names, separated by commas; it is used nowhere else.
ALTER TABLE credential ADD COLUMN destinations TEXT NOT NULL DEFAULT '';
ALTER TABLE credential ADD COLUMN made_by TEXT NOT NULL DEFAULT '';
-- Made with a source and removed with it.
ALTER TABLE credential ADD COLUMN is_own INTEGER NOT NULL DEFAULT 0;
ALTER TABLE credential ADD COLUMN used_at INTEGER;
ALTER TABLE credential ADD COLUMN used_for TEXT;
ALTER TABLE credential ADD COLUMN failed_at INTEGER;
ALTER TABLE credential ADD COLUMN failure TEXT;
UPDATE credential SET is_own = 1, destinations = coalesce(
  (SELECT s.settings ->> 'ranges' FROM source s WHERE s.credential_id = credential.id), '');

-- Which credentials a source may use, in which order; the own one of source.credential_id comes first.
CREATE TABLE source_credential (
  source_id INTEGER NOT NULL REFERENCES source (id) ON DELETE CASCADE,
  credential_id INTEGER NOT NULL REFERENCES credential (id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  PRIMARY KEY (source_id, credential_id)
) STRICT, WITHOUT ROWID;

-- Keys that seal credentials, each wrapped by a master key; by two while the master key is changed.
CREATE TABLE vault_key (
  id INTEGER NOT NULL,
  master TEXT NOT NULL,
  wrapped TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  PRIMARY KEY (id, master)
) STRICT, WITHOUT ROWID;

-- Who said that a host and its key may be trusted, and with which credential; NULL where it was met by a source's.
ALTER TABLE host_key ADD COLUMN approved_by TEXT;
ALTER TABLE host_key ADD COLUMN credential_id INTEGER REFERENCES credential (id) ON DELETE SET NULL;

-- What an endpoint is scraped with, and the private authority (PEM) that signed its certificate.
ALTER TABLE scrape_target ADD COLUMN credential_id INTEGER REFERENCES credential (id) ON DELETE SET NULL;
ALTER TABLE scrape_target ADD COLUMN authority TEXT NOT NULL DEFAULT '';
