-- An incident on something that several services share is one incident that affects all of them.
CREATE TABLE incident_service (
  incident_id INTEGER NOT NULL REFERENCES incident (id) ON DELETE CASCADE,
  service_id INTEGER NOT NULL REFERENCES service (id) ON DELETE CASCADE,
  PRIMARY KEY (incident_id, service_id)
) STRICT, WITHOUT ROWID;
INSERT INTO incident_service (incident_id, service_id) SELECT id, service_id FROM incident WHERE service_id IS NOT NULL;
ALTER TABLE incident DROP COLUMN service_id;
