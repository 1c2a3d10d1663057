-- How many there are of each kind at each site, and how many fit, without reading the rows.
CREATE INDEX component_facets ON component (kind, site, valid_from, valid_to);
