-- A service has two states: what it is hurt by, as measured, and how its members are, which it relies on.
CREATE TABLE health_next (
  subject TEXT NOT NULL CHECK (subject IN ('component', 'service', 'members')),
  subject_id INTEGER NOT NULL,
  severity TEXT NOT NULL,
  reason TEXT NOT NULL,
  valid_from INTEGER NOT NULL,
  valid_to INTEGER,
  PRIMARY KEY (subject, subject_id, valid_from)
) STRICT, WITHOUT ROWID;
INSERT INTO health_next SELECT subject, subject_id, severity, reason, valid_from, valid_to FROM health;
-- Until now the one was taken for the other.
INSERT INTO health_next SELECT 'members', subject_id, severity, reason, valid_from, valid_to FROM health WHERE subject = 'service';
DROP TABLE health;
ALTER TABLE health_next RENAME TO health;
CREATE INDEX health_open ON health (valid_to, subject);
