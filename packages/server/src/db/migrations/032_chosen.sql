-- Where nobody chose anything, this is known without looking at every letter.
CREATE INDEX heard_chosen ON heard (round_id) WHERE choice IS NOT NULL;
