-- Which source told a fact that only platforms tell: another one neither changes it nor takes it back. Empty for all others.
ALTER TABLE fact ADD COLUMN told_by TEXT NOT NULL DEFAULT '';
