-- The folders a file lay in when it was added: two files of one name may go to different people.
ALTER TABLE round_files ADD COLUMN folder text NOT NULL DEFAULT '';
ALTER TABLE round_files DROP CONSTRAINT round_files_round_id_name_key;
ALTER TABLE round_files ADD UNIQUE (round_id, folder, name);

-- How own files find their people besides the column that names them, and what they are called on the way out.
ALTER TABLE rounds ADD COLUMN file_pattern text;
ALTER TABLE rounds ADD COLUMN sent_as text;
-- Goes up with every change of the round's files, so that they are read again only then.
ALTER TABLE rounds ADD COLUMN files_version integer NOT NULL DEFAULT 0;

-- Files given to a person by hand.
CREATE TABLE file_matches (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  file_id integer NOT NULL REFERENCES round_files ON DELETE CASCADE,
  PRIMARY KEY (round_id, row_id, file_id)
);

-- What was found in a content when it was examined: what is wrong with it, and its words.
CREATE TABLE file_facts (
  hash text PRIMARY KEY REFERENCES files,
  -- The ending that the content asks for.
  kind text,
  fault text,
  detail text NOT NULL,
  words text
);

-- What is made for each person, and the files that were made, each with a print of what it was made of.
ALTER TABLE rounds ADD COLUMN made jsonb;
CREATE TABLE made_files (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  file_id integer NOT NULL REFERENCES round_files ON DELETE CASCADE,
  print text NOT NULL,
  PRIMARY KEY (round_id, row_id)
);

-- Messages put into the mailbox as drafts, and when they were found to have been sent from there.
CREATE TABLE drafts (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  key text NOT NULL UNIQUE,
  message_id text NOT NULL,
  put_at bigint NOT NULL,
  sent_at bigint,
  PRIMARY KEY (round_id, row_id)
);
