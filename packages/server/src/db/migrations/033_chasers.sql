-- A chaser is a round of its own beside the one whose letters it follows. It has the mailbox, the list and the people of that one.
ALTER TABLE rounds
  ADD COLUMN chases integer REFERENCES rounds ON DELETE CASCADE,
  ADD COLUMN chaser jsonb,
  -- The round that this one belongs to: the one that answers or chasers are beside, or itself.
  ADD COLUMN family integer GENERATED ALWAYS AS (coalesce(answers_of, chases, id)) STORED;
CREATE INDEX rounds_of_family ON rounds (family);

ALTER TABLE messages
  -- The letter that a chaser follows, and the earliest time by its rule (ms since 1970); null while that letter has no time itself.
  ADD COLUMN follows integer REFERENCES messages,
  ADD COLUMN follows_at bigint,
  -- Why it does not go, as far as is known now; null where it does.
  ADD COLUMN unfit text,
  -- When it was last judged whether it goes. Null: something has come since, or nobody has looked. Negative: it is being judged.
  ADD COLUMN judged_at bigint;
CREATE INDEX messages_that_follow ON messages (follows) WHERE follows IS NOT NULL;
CREATE INDEX chasers_of_mailbox ON messages (mailbox_id) WHERE follows IS NOT NULL;

-- Whatever comes of somebody, or is taken away, or is said by the writer: whether their chasers go is judged anew, and what came of a
-- chaser counts for the first letter too. It is done in the very transaction, so that no chaser is claimed past it.
CREATE FUNCTION judge_anew(families integer[], row_ids integer[]) RETURNS void LANGUAGE sql AS $$
  UPDATE messages c SET judged_at = NULL
  FROM unnest(families, row_ids) AS t (family, row_id) JOIN rounds r ON r.chases = t.family
  WHERE c.round_id = r.id AND c.row_id = t.row_id AND c.state IN ('waiting', 'retrying') AND c.judged_at IS NOT NULL
$$;
CREATE FUNCTION came_anew(families integer[], row_ids integer[]) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  IF families IS NULL THEN RETURN; END IF;
  PERFORM judge_anew(families, row_ids);
  INSERT INTO to_hear (message_id, round_id)
  SELECT m.id, m.round_id FROM unnest(families, row_ids) AS t (family, row_id) JOIN messages m ON m.round_id = t.family AND m.row_id = t.row_id
  ON CONFLICT (message_id) DO UPDATE SET touched = to_hear.touched + 1;
END $$;
CREATE FUNCTION note_chased() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM came_anew(array_agg(x.family), array_agg(x.row_id)) FROM (
    SELECT DISTINCT r.family, m.row_id FROM some_responses s JOIN messages m ON m.id = s.message_id JOIN rounds r ON r.id = m.round_id
    WHERE EXISTS (SELECT 1 FROM rounds c WHERE c.chases = r.family)) x;
  RETURN NULL;
END $$;
CREATE TRIGGER chased_added AFTER INSERT ON responses REFERENCING NEW TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_chased();
CREATE TRIGGER chased_changed AFTER UPDATE ON responses REFERENCING NEW TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_chased();
CREATE TRIGGER chased_taken AFTER DELETE ON responses REFERENCING OLD TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_chased();

CREATE FUNCTION note_chased_files() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM came_anew(array_agg(x.family), array_agg(x.row_id)) FROM (
    SELECT DISTINCT r.family, m.row_id FROM some_files f JOIN responses s ON s.id = f.response_id JOIN messages m ON m.id = s.message_id
    JOIN rounds r ON r.id = m.round_id WHERE EXISTS (SELECT 1 FROM rounds c WHERE c.chases = r.family)) x;
  RETURN NULL;
END $$;
CREATE TRIGGER chased_files_added AFTER INSERT ON returned_files REFERENCING NEW TABLE AS some_files FOR EACH STATEMENT EXECUTE FUNCTION note_chased_files();
CREATE TRIGGER chased_files_taken AFTER DELETE ON returned_files REFERENCING OLD TABLE AS some_files FOR EACH STATEMENT EXECUTE FUNCTION note_chased_files();

CREATE FUNCTION note_chased_words() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM judge_anew((SELECT array_agg(round_id ORDER BY round_id, row_id) FROM some_words), (SELECT array_agg(row_id ORDER BY round_id, row_id) FROM some_words));
  RETURN NULL;
END $$;
CREATE TRIGGER chased_words_added AFTER INSERT ON given_words REFERENCING NEW TABLE AS some_words FOR EACH STATEMENT EXECUTE FUNCTION note_chased_words();
CREATE TRIGGER chased_words_changed AFTER UPDATE ON given_words REFERENCING NEW TABLE AS some_words FOR EACH STATEMENT EXECUTE FUNCTION note_chased_words();
CREATE TRIGGER chased_words_taken AFTER DELETE ON given_words REFERENCING OLD TABLE AS some_words FOR EACH STATEMENT EXECUTE FUNCTION note_chased_words();
