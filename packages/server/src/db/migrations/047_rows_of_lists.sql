-- That each row belongs to a list was looked up anew for every row that came in, which took as long as all else of it. Whoever writes rows
-- has the list's own row in hand already: a list is made with its rows, and every change of them raises its version first.
ALTER TABLE list_rows DROP CONSTRAINT list_rows_list_id_fkey;

CREATE FUNCTION rows_of_lists_gone() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  DELETE FROM list_rows r USING gone WHERE r.list_id = gone.id;
  RETURN NULL;
END $$;
CREATE TRIGGER rows_of_lists_gone AFTER DELETE ON lists REFERENCING OLD TABLE AS gone
  FOR EACH STATEMENT EXECUTE FUNCTION rows_of_lists_gone();
