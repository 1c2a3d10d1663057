-- Keys that a person said are a component's, for ever: who and when.
ALTER TABLE component_key ADD COLUMN pinned_by TEXT;
ALTER TABLE component_key ADD COLUMN pinned_at INTEGER;
