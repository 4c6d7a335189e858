-- When nothing of a round could leave at the times that were planned, and why.
ALTER TABLE rounds ADD COLUMN late jsonb;
-- What a host said last of its limits, with the limit that follows from it, until the writer has taken it or has not.
ALTER TABLE mailboxes ADD COLUMN said_limit jsonb;
