-- What people do with an incident: how urgent they hold it for and why, whom they wait for, what it turned out to be.
ALTER TABLE incident ADD COLUMN priority INTEGER CHECK (priority BETWEEN 1 AND 4);
ALTER TABLE incident ADD COLUMN priority_reason TEXT NOT NULL DEFAULT '';
ALTER TABLE incident ADD COLUMN waiting_for TEXT NOT NULL DEFAULT '';
-- The cause as a person confirmed or corrected it: JSON like an entry of causes, with a remark; null while nobody did.
ALTER TABLE incident ADD COLUMN confirmed TEXT;
ALTER TABLE incident ADD COLUMN confirmed_by TEXT;
ALTER TABLE incident ADD COLUMN confirmed_at INTEGER;
-- The incident that this one was merged into.
ALTER TABLE incident ADD COLUMN merged_into INTEGER REFERENCES incident (id) ON DELETE SET NULL;

-- Two subjects that people told apart: their alarms are never put into one incident by themselves again.
CREATE TABLE told_apart (
  a TEXT NOT NULL,
  b TEXT NOT NULL,
  by_whom TEXT NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (a, b),
  CHECK (a < b)
) STRICT, WITHOUT ROWID;
