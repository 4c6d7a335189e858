-- The journals of fetches that were taken in: one that lies on the disk still is not counted twice.
CREATE TABLE fetched_journals (name text PRIMARY KEY);
