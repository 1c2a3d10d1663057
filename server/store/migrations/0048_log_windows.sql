-- Which records can lie in a window is asked by every page with logs: without this every block there ever was is read.
CREATE INDEX log_block_time ON log_block (max_at, min_at, first_id, last_id);
