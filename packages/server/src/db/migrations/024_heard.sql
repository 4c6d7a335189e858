-- What came back of each letter that has gone, taken together, so that a board of 100,000 is counted and paged by the database. Worked
-- out by the program when a board is next asked for.
CREATE TABLE heard (
  message_id integer PRIMARY KEY REFERENCES messages,
  round_id integer NOT NULL,
  row_id integer NOT NULL,
  sent_at bigint NOT NULL,
  -- The outcome that it makes; null where nothing came back that decides anything.
  outcome text,
  -- When each first came, of a person's own.
  replied_at bigint,
  automatic_at bigint,
  opened_at bigint,
  clicked_at bigint,
  receipt_at bigint,
  opted_out_at bigint,
  bounced_at bigint,
  -- A machine has fetched its picture.
  by_machine boolean NOT NULL,
  -- When anything last came.
  last_at bigint,
  -- The beginning of what they answered, or of why it came back; and the reason of returned mail.
  words text NOT NULL,
  reason text,
  hard boolean NOT NULL
);
CREATE INDEX heard_of ON heard (round_id);

-- The letters that are to be worked out, with how often something of each was touched since.
CREATE TABLE to_hear (
  message_id integer PRIMARY KEY REFERENCES messages,
  round_id integer NOT NULL,
  touched integer NOT NULL DEFAULT 1
);
CREATE INDEX to_hear_of ON to_hear (round_id);

-- Whatever is added, changed or taken away of what came back, its letter is worked out anew: nobody need think of it.
CREATE FUNCTION note_heard() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO to_hear (message_id, round_id)
  SELECT DISTINCT m.id, m.round_id FROM some_responses r JOIN messages m ON m.id = r.message_id
  ON CONFLICT (message_id) DO UPDATE SET touched = to_hear.touched + 1;
  RETURN NULL;
END $$;
CREATE TRIGGER heard_added AFTER INSERT ON responses REFERENCING NEW TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_heard();
CREATE TRIGGER heard_changed AFTER UPDATE ON responses REFERENCING NEW TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_heard();
CREATE TRIGGER heard_taken AFTER DELETE ON responses REFERENCING OLD TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_heard();
CREATE TRIGGER heard_added AFTER INSERT ON fetched REFERENCING NEW TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_heard();
CREATE TRIGGER heard_changed AFTER UPDATE ON fetched REFERENCING NEW TABLE AS some_responses FOR EACH STATEMENT EXECUTE FUNCTION note_heard();
INSERT INTO to_hear (message_id, round_id)
SELECT m.id, m.round_id FROM messages m WHERE EXISTS (SELECT 1 FROM responses r WHERE r.message_id = m.id) OR EXISTS (SELECT 1 FROM fetched f WHERE f.message_id = m.id);

-- The letters of a board in their order.
CREATE INDEX messages_in_order ON messages (round_id, position, again);
