-- What is not everybody's: a list, a letter of the shelf, a round (with its chasers and answers: by the number of the first) or a mailbox,
-- whose it is, and whom besides it is shared with. What does not stand here is everybody's.
CREATE TABLE sharing (
  kind text NOT NULL CHECK (kind IN ('list', 'letter', 'round', 'mailbox')),
  thing int NOT NULL,
  owner int NOT NULL,
  PRIMARY KEY (kind, thing)
);
CREATE TABLE shared_with (
  kind text NOT NULL,
  thing int NOT NULL,
  account int NOT NULL,
  PRIMARY KEY (kind, thing, account),
  FOREIGN KEY (kind, thing) REFERENCES sharing ON DELETE CASCADE
);

-- Whether an account may see something, or what belongs to it. Whoever sees a round sees its list too, for that is what it is of.
-- What is not there is hidden from nobody.
CREATE FUNCTION may_see(of_kind text, of_thing int, who int) RETURNS boolean LANGUAGE plpgsql STABLE AS $$
DECLARE
  found int;
BEGIN
  CASE of_kind
    WHEN 'list', 'letter', 'mailbox' THEN
      IF NOT EXISTS (
        SELECT 1 FROM sharing s WHERE s.kind = of_kind AND s.thing = of_thing AND s.owner <> who
          AND NOT EXISTS (SELECT 1 FROM shared_with w WHERE w.kind = s.kind AND w.thing = s.thing AND w.account = who)
      ) THEN
        RETURN true;
      END IF;
      RETURN of_kind = 'list' AND EXISTS (SELECT 1 FROM rounds r WHERE r.list_id = of_thing AND may_see('round', r.id, who));
    WHEN 'round' THEN
      SELECT family INTO found FROM rounds WHERE id = of_thing;
      RETURN NOT EXISTS (
        SELECT 1 FROM sharing s WHERE s.kind = 'round' AND s.thing = found AND s.owner <> who
          AND NOT EXISTS (SELECT 1 FROM shared_with w WHERE w.kind = s.kind AND w.thing = s.thing AND w.account = who)
      );
    WHEN 'mailboxOfRound' THEN
      SELECT mailbox_id INTO found FROM rounds WHERE id = of_thing;
      RETURN found IS NULL OR may_see('mailbox', found, who);
    WHEN 'mailboxOfResponse' THEN
      SELECT m.mailbox_id INTO found FROM responses q JOIN messages m ON m.id = q.message_id WHERE q.id = of_thing;
      RETURN found IS NULL OR may_see('mailbox', found, who);
    WHEN 'message' THEN SELECT round_id INTO found FROM messages WHERE id = of_thing;
    WHEN 'copy' THEN SELECT m.round_id INTO found FROM copies c JOIN messages m ON m.id = c.message_id WHERE c.id = of_thing;
    WHEN 'response' THEN SELECT m.round_id INTO found FROM responses q JOIN messages m ON m.id = q.message_id WHERE q.id = of_thing;
    WHEN 'record' THEN SELECT round_id INTO found FROM posting_records WHERE id = of_thing;
    WHEN 'reminder' THEN SELECT round_id INTO found FROM reminders WHERE id = of_thing;
    WHEN 'returnedFile' THEN
      SELECT m.round_id INTO found FROM returned_files f JOIN responses q ON q.id = f.response_id JOIN messages m ON m.id = q.message_id WHERE f.id = of_thing;
    WHEN 'version' THEN
      SELECT shelf_id INTO found FROM letter_versions WHERE id = of_thing;
      IF found IS NOT NULL THEN
        RETURN may_see('letter', found, who);
      END IF;
      SELECT round_id INTO found FROM letter_versions WHERE id = of_thing;
  END CASE;
  RETURN found IS NULL OR may_see('round', found, who);
END $$;
