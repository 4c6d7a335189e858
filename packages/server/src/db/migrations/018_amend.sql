-- What waits of a posted round can be amended: since when it is being done, and the round as each version of it was posted.
ALTER TABLE rounds ADD COLUMN amending_since bigint;
CREATE TABLE posted_versions (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  number integer NOT NULL,
  at bigint NOT NULL,
  -- Letter, sender, copies, enclosures and notes: what giving up an amendment brings back.
  kept jsonb NOT NULL,
  PRIMARY KEY (round_id, number)
);
-- The version that a person's letter is of.
ALTER TABLE messages ADD COLUMN version integer NOT NULL DEFAULT 1;
