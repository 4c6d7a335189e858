-- Answers that bring files, which are still to be fetched from the mailbox: where each lies, and how often it was tried in vain.
CREATE TABLE files_to_fetch (
  response_id integer PRIMARY KEY REFERENCES responses,
  mailbox_id integer NOT NULL REFERENCES mailboxes ON DELETE CASCADE,
  path text NOT NULL,
  uid_validity bigint NOT NULL,
  uid bigint NOT NULL,
  size bigint NOT NULL,
  tries integer NOT NULL DEFAULT 0
);

-- The files that came back with answers; without a content where it was not kept, and why.
CREATE TABLE returned_files (
  id serial PRIMARY KEY,
  response_id integer NOT NULL REFERENCES responses,
  position integer NOT NULL,
  name text NOT NULL,
  size bigint NOT NULL,
  type text NOT NULL,
  hash text REFERENCES files,
  why text,
  -- It is a file of the letter's own, sent back as it was.
  ours boolean NOT NULL DEFAULT false,
  UNIQUE (response_id, position)
);

-- When a file of the person's own first came back with their letter.
ALTER TABLE heard ADD COLUMN files_at bigint;
CREATE FUNCTION note_files() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO to_hear (message_id, round_id)
  SELECT DISTINCT m.id, m.round_id FROM some_files f JOIN responses r ON r.id = f.response_id JOIN messages m ON m.id = r.message_id
  ON CONFLICT (message_id) DO UPDATE SET touched = to_hear.touched + 1;
  RETURN NULL;
END $$;
CREATE TRIGGER files_added AFTER INSERT ON returned_files REFERENCING NEW TABLE AS some_files FOR EACH STATEMENT EXECUTE FUNCTION note_files();
CREATE TRIGGER files_taken AFTER DELETE ON returned_files REFERENCING OLD TABLE AS some_files FOR EACH STATEMENT EXECUTE FUNCTION note_files();
