-- Who has which round open, and where in it: each window says so again and again, and goes when it has not been heard of for a while.
CREATE TABLE company (
  round int NOT NULL REFERENCES rounds ON DELETE CASCADE,
  window_id text NOT NULL,
  account int NOT NULL REFERENCES accounts ON DELETE CASCADE,
  stage text NOT NULL,
  seen bigint NOT NULL,
  PRIMARY KEY (round, window_id)
);

-- The pen of a round's letter: who wrote in it last, from which window, when, and how many times it was written. Whoever wrote within the
-- last minute, and is still there, has the pen. Beside it whoever asks for it.
CREATE TABLE pens (
  round int PRIMARY KEY REFERENCES rounds ON DELETE CASCADE,
  window_id text NOT NULL,
  -- The window that wrote last: the pen may have been given on since.
  wrote text,
  account int,
  name text,
  written bigint NOT NULL,
  version int NOT NULL DEFAULT 1,
  asked_window text,
  asked_account int,
  asked_name text
);

-- Who wrote a version of a letter that was not taken over, for somebody else had the pen; null: it stood in the letter once.
ALTER TABLE letter_versions ADD COLUMN left_by text;

-- Whose change of a list it is, and the version of the list that it made when it was done, undone or done again last. Where nobody signs in,
-- it is everybody's.
ALTER TABLE list_edits ADD COLUMN account int;
ALTER TABLE list_edits ADD COLUMN name text;
ALTER TABLE list_edits ADD COLUMN version int NOT NULL DEFAULT 0;
