-- What is taken for the cause of an incident, likeliest first: each with its probability, what it explains and why.
ALTER TABLE incident ADD COLUMN causes TEXT NOT NULL DEFAULT '[]';
