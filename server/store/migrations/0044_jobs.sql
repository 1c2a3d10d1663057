-- How logs tell of the runs of batch jobs: lines in which {job} stands for the name and * for anything.
CREATE TABLE job_words (
  id INTEGER PRIMARY KEY,
  -- The job's name, where the lines do not say it.
  name TEXT NOT NULL,
  begins TEXT NOT NULL,
  ends TEXT NOT NULL,
  -- Empty where failures are not told.
  fails TEXT NOT NULL,
  made_by TEXT NOT NULL,
  made_at INTEGER NOT NULL,
  UNIQUE (name, begins, ends)
) STRICT;

CREATE TABLE job (
  id INTEGER PRIMARY KEY,
  component_id INTEGER NOT NULL REFERENCES component (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  -- Who tells of it: 'logs' or 'platform'.
  told_by TEXT NOT NULL,
  UNIQUE (component_id, name)
) STRICT;

CREATE TABLE job_run (
  job_id INTEGER NOT NULL REFERENCES job (id) ON DELETE CASCADE,
  started_at INTEGER NOT NULL,
  ended_at INTEGER,
  -- 'unknown': the next one began before this one told that it was over.
  outcome TEXT NOT NULL CHECK (outcome IN ('running', 'done', 'failed', 'unknown')),
  PRIMARY KEY (job_id, started_at)
) STRICT, WITHOUT ROWID;
CREATE INDEX job_run_started ON job_run (started_at);
