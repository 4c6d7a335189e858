-- What left a mailbox by other ways than Hand Post, as its Sent folder has it: it counts in the allowance. Only when, and to how many.
CREATE TABLE other_mail (
  mailbox_id integer NOT NULL REFERENCES mailboxes ON DELETE CASCADE,
  -- Its Message-ID or, where it has none, its place in the folder.
  source text NOT NULL,
  at bigint NOT NULL,
  recipients integer NOT NULL,
  PRIMARY KEY (mailbox_id, source)
);
CREATE INDEX other_mail_at ON other_mail (mailbox_id, at);
-- How far the Sent folder was read, when it was looked into last, and what kept it from being read then.
ALTER TABLE mailboxes ADD COLUMN sent_uid_validity bigint;
ALTER TABLE mailboxes ADD COLUMN sent_last_uid bigint;
ALTER TABLE mailboxes ADD COLUMN sent_read_at bigint;
ALTER TABLE mailboxes ADD COLUMN sent_fault text;
