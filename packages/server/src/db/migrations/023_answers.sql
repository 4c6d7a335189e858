-- By what mail was found to belong to its letter; the pile in which it lies in the in-tray (null where nobody need look at it).
ALTER TABLE responses ADD COLUMN found_by text NOT NULL DEFAULT 'header', ADD COLUMN pile text;
-- Mail that may be an answer counts for nobody until the writer has taken it ("perhaps"), or for good when they have not ("no").
ALTER TABLE responses DROP CONSTRAINT responses_of_check;
ALTER TABLE responses ADD CONSTRAINT responses_of_check CHECK (of IN ('person', 'copy', 'other', 'perhaps', 'no'));
UPDATE responses SET pile = CASE kind WHEN 'reply' THEN 'answer' WHEN 'bounce' THEN 'returned' WHEN 'automatic' THEN 'automatic' WHEN 'receipt' THEN 'receipt' END;
CREATE INDEX responses_in_tray ON responses (at, id) WHERE pile IS NOT NULL;
-- Of mail that is no answer the words are forgotten after a day.
CREATE INDEX responses_refused ON responses (id) WHERE of = 'no';
CREATE INDEX responses_by_mail ON responses (mail_id) WHERE mail_id IS NOT NULL;

-- What the writer has done with an entry of the in-tray.
CREATE TABLE tray (
  response_id integer PRIMARY KEY REFERENCES responses,
  done_at bigint,
  -- Put by since when, until when, and until what: their answer is still missing then, or they have opened the letter.
  put_by_at bigint,
  back_at bigint,
  back_when text CHECK (back_when IN ('unanswered', 'opened')),
  -- When the writer's own answer was seen in Sent.
  answered_at bigint
);
INSERT INTO tray (response_id, done_at) SELECT response_id, at FROM tray_done;
-- Automatic replies and receipts did not lie in the in-tray before: nobody is asked about those of then.
INSERT INTO tray (response_id, done_at) SELECT id, at FROM responses WHERE kind IN ('automatic', 'receipt');
DROP TABLE tray_done;
CREATE INDEX tray_back ON tray (back_at) WHERE done_at IS NULL AND put_by_at IS NOT NULL;

-- Other addresses from which somebody was found to write, by the writer's word. Both as the form under which addresses count as the same.
CREATE TABLE also_addresses (
  address text PRIMARY KEY,
  person_address text NOT NULL,
  at bigint NOT NULL
);
CREATE INDEX also_addresses_of ON also_addresses (person_address);

-- The writer's own words for what came of a round, and to whom they were given.
ALTER TABLE rounds ADD COLUMN outcome_words jsonb NOT NULL DEFAULT '[]';
CREATE TABLE given_words (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  word text NOT NULL,
  at bigint NOT NULL,
  PRIMARY KEY (round_id, row_id)
);

-- What the writer wants to be reminded of: of some people of a round (null: of everybody in it), who have not answered by then.
CREATE TABLE reminders (
  id serial PRIMARY KEY,
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_ids jsonb,
  due_at bigint NOT NULL,
  made_at bigint NOT NULL,
  done_at bigint
);

-- How far each folder was read: IMAP's UIDVALIDITY and the last UID, null while it was not opened yet; what kept one beside the inbox
-- from being read.
CREATE TABLE read_folders (
  mailbox_id integer NOT NULL REFERENCES mailboxes ON DELETE CASCADE,
  path text NOT NULL,
  uid_validity bigint,
  last_uid bigint,
  fault text,
  PRIMARY KEY (mailbox_id, path)
);
INSERT INTO read_folders SELECT id, 'INBOX', coalesce(uid_validity, 0), last_uid FROM mailboxes WHERE last_uid IS NOT NULL;
ALTER TABLE mailboxes DROP COLUMN uid_validity, DROP COLUMN last_uid;
-- Further folders in which answers are looked for, and whether the junk folder is looked into, by headers only.
UPDATE mailboxes SET settings = '{"folders": [], "junk": true}'::jsonb || settings;

-- Mail that bears no header of ours is looked for by the subject of what it may answer. Of what has left only: what is posted and sent
-- writes nothing here before.
CREATE INDEX messages_by_subject ON messages (mailbox_id, md5(lower(regexp_replace(btrim(subject), '\s+', ' ', 'g')))) WHERE state = 'sent';
