-- Answers that are written here leave as letters do: by a round of their own beside the one that they belong to, which stands in no
-- list of rounds. It has the mailbox and the list of that one.
ALTER TABLE rounds ADD COLUMN answers_of integer UNIQUE REFERENCES rounds;

-- Which entry of the in-tray a letter answers, with what was written. The name under which it was asked for: asked twice, it goes once.
CREATE TABLE sent_answers (
  message_id integer PRIMARY KEY REFERENCES messages,
  response_id integer NOT NULL REFERENCES responses,
  asked_as text NOT NULL UNIQUE,
  at bigint NOT NULL,
  words text NOT NULL
);
CREATE INDEX sent_answers_of ON sent_answers (response_id);

-- An answer that does not go, or of which nobody knows whether it went, leaves its entry to be looked at, as it was before.
CREATE FUNCTION answer_not_gone() RETURNS trigger AS $$
BEGIN
  UPDATE tray t SET done_at = CASE WHEN t.done_at = a.at THEN NULL ELSE t.done_at END,
    answered_at = CASE WHEN t.answered_at = a.at THEN NULL ELSE t.answered_at END
  FROM sent_answers a WHERE a.message_id = NEW.id AND t.response_id = a.response_id;
  RETURN NULL;
END $$ LANGUAGE plpgsql;
CREATE TRIGGER answer_not_gone AFTER UPDATE OF state, looked_at ON messages FOR EACH ROW
  WHEN ((NEW.state IN ('refused', 'setAside', 'withdrawn') AND OLD.state <> NEW.state) OR (NEW.state = 'inDoubt' AND NEW.looked_at IS NOT NULL AND OLD.looked_at IS NULL)) EXECUTE FUNCTION answer_not_gone();
