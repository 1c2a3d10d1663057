-- What a component is stands in columns of its own, so that nothing has to be read out of its name or its facts.
ALTER TABLE component ADD COLUMN process TEXT;
ALTER TABLE component ADD COLUMN port INTEGER;
ALTER TABLE component ADD COLUMN container TEXT;
-- Name without the host's, as entry points of services know it.
ALTER TABLE component ADD COLUMN label TEXT;
-- How deep it was looked at: 0 from outside, 1 told of by something on it, 2 its own system read; and by which driver.
ALTER TABLE component ADD COLUMN depth INTEGER NOT NULL DEFAULT 0;
ALTER TABLE component ADD COLUMN read_by TEXT NOT NULL DEFAULT '';
ALTER TABLE component ADD COLUMN kind_confidence REAL NOT NULL DEFAULT 0.4;

UPDATE component SET label = substr(name, 1, instr(name, ' @ ') - 1) WHERE host_id IS NOT NULL AND instr(name, ' @ ') > 0;
UPDATE component SET process = (SELECT f.value FROM fact f WHERE f.component_id = component.id AND f.name = 'process' ORDER BY f.valid_from DESC LIMIT 1)
  WHERE host_id IS NOT NULL AND kind <> 'app.container';
UPDATE component SET depth = 2, read_by = 'snmp', kind_confidence = 0.8 WHERE process IS NOT NULL;
UPDATE component SET container = (SELECT substr(k.key, 11) FROM component_key k WHERE k.component_id = component.id AND k.key LIKE 'container:%'),
  depth = 1, read_by = 'agent', kind_confidence = 0.95 WHERE kind = 'app.container';
UPDATE component SET depth = 1, read_by = 'agent', kind_confidence = 0.95 WHERE host_id IS NULL
  AND id IN (SELECT component_id FROM fact WHERE name = 'agent' AND valid_to IS NULL);
UPDATE component SET depth = 2, read_by = 'snmp', kind_confidence = 0.95 WHERE host_id IS NULL
  AND id IN (SELECT component_id FROM fact WHERE name = 'object id' AND valid_to IS NULL);
CREATE INDEX component_called ON component (lower(name)) WHERE valid_to IS NULL;

-- A component that turned out to be another one, with the keys it passed on; ended when the two were seen apart again.
CREATE TABLE component_join (
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  into_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  keys TEXT NOT NULL,
  reason TEXT NOT NULL,
  at INTEGER NOT NULL,
  split_at INTEGER,
  PRIMARY KEY (component_id, at)
) STRICT, WITHOUT ROWID;

-- Credentials are kept once, sealed, and sources point at them.
CREATE TABLE credential (
  id INTEGER PRIMARY KEY,
  label TEXT NOT NULL,
  sealed TEXT NOT NULL,
  created_at INTEGER NOT NULL
) STRICT;

ALTER TABLE source ADD COLUMN kind TEXT NOT NULL DEFAULT 'range';
ALTER TABLE source ADD COLUMN settings TEXT NOT NULL DEFAULT '{}';
ALTER TABLE source ADD COLUMN credential_id INTEGER REFERENCES credential (id);
ALTER TABLE source ADD COLUMN schedule TEXT NOT NULL DEFAULT '{}';
INSERT INTO credential (id, label, sealed, created_at) SELECT id, name, community_sealed, created_at FROM source;
UPDATE source SET credential_id = id, settings = json_object('ranges', ranges, 'ports', ports, 'snmpPort', snmp_port), schedule = json_object('pollSeconds', poll_seconds);
ALTER TABLE source DROP COLUMN ranges;
ALTER TABLE source DROP COLUMN ports;
ALTER TABLE source DROP COLUMN snmp_port;
ALTER TABLE source DROP COLUMN community_sealed;
ALTER TABLE source DROP COLUMN poll_seconds;
