-- How many rows a list has was counted anew wherever a list was looked up: at a million rows a sixth of a second, several times for each request.
-- Whoever writes rows has the list's own row in hand (see 047), and notes there how many they have become.
ALTER TABLE lists ADD COLUMN row_count integer NOT NULL DEFAULT 0;
UPDATE lists l SET row_count = (SELECT count(*) FROM list_rows r WHERE r.list_id = l.id);
