-- The choice of the letter that its person has made last.
ALTER TABLE heard ADD COLUMN choice text;
