-- What was merged into an incident is looked up when a repair of it is proved.
CREATE INDEX incident_merged ON incident (merged_into) WHERE merged_into IS NOT NULL;
