-- How often a relation was seen; and that it comes and goes, because a look saw it again that another had missed.
ALTER TABLE relation ADD COLUMN seen_times INTEGER NOT NULL DEFAULT 1;
ALTER TABLE relation ADD COLUMN intermittent INTEGER NOT NULL DEFAULT 0;

-- What people say of a service besides its entry points: hours, limits, notes, members by hand.
ALTER TABLE service ADD COLUMN details TEXT NOT NULL DEFAULT '{}';
