-- Names of facts that components have now are asked for by every list that can be grouped or sorted by them.
CREATE INDEX fact_name ON fact (name) WHERE valid_to IS NULL;
