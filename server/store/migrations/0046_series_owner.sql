-- What a component or the members of a service have measured is read from the index alone.
DROP INDEX series_owner;
CREATE INDEX series_owner ON series (component_id, metric, instance) WHERE component_id IS NOT NULL;
