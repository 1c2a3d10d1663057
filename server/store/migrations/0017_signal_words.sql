-- What OpenTelemetry calls a resource was an origin here, its instrument a form; samples not packed yet were a journal.
ALTER TABLE origin RENAME TO resource;
ALTER TABLE series RENAME COLUMN origin_id TO resource_id;
ALTER TABLE series RENAME COLUMN form TO instrument;
ALTER TABLE log RENAME COLUMN origin_id TO resource_id;
ALTER TABLE log_tally RENAME COLUMN origin_id TO resource_id;
ALTER TABLE operation RENAME COLUMN origin_id TO resource_id;
ALTER TABLE call_minute RENAME COLUMN from_origin_id TO from_resource_id;
ALTER TABLE call_minute RENAME COLUMN to_origin_id TO to_resource_id;
ALTER TABLE exemplar RENAME COLUMN origin_id TO resource_id;
ALTER TABLE journal RENAME TO sample_wal;
ALTER TABLE call_half RENAME COLUMN from_origin_id TO from_resource_id;
ALTER TABLE call_half RENAME COLUMN to_origin_id TO to_resource_id;
ALTER TABLE log_tally_half RENAME COLUMN origin_id TO resource_id;
