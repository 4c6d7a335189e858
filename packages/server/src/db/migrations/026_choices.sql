-- The choice of the letter that its person has made last.
ALTER TABLE heard ADD COLUMN choice text;
-- Where nobody chose anything, this is known without looking at every letter.
CREATE INDEX heard_chosen ON heard (round_id) WHERE choice IS NOT NULL;
