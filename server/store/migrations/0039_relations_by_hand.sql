-- A relation that a person hid: from then on it is not drawn or followed, however often it is seen.
ALTER TABLE relation ADD COLUMN hidden_at INTEGER;
ALTER TABLE relation ADD COLUMN hidden_by TEXT;
CREATE INDEX relation_hidden ON relation (from_id, to_id) WHERE hidden_at IS NOT NULL;
