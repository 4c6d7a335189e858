-- Who a letter says it is from: one of the mailbox's own addresses, a sender name, where answers go. Null where the mailbox says it.
ALTER TABLE rounds ADD COLUMN sender jsonb NOT NULL DEFAULT '{"address":null,"name":null,"replyTo":null}';

-- Whether letters offer to opt out.
ALTER TABLE rounds ALTER COLUMN tracking SET DEFAULT '{"opens":false,"clicks":false,"receipts":false,"optOut":false}';
UPDATE rounds SET tracking = '{"optOut":false}'::jsonb || tracking;

-- A mailbox's further addresses, and the lines that stand where a letter keeps the place for a signature.
UPDATE mailboxes SET settings = '{"aliases":[],"signature":""}'::jsonb || settings;

-- One person's own words in a round.
CREATE TABLE notes (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  words text NOT NULL,
  PRIMARY KEY (round_id, row_id)
);

-- The shelf.
CREATE TABLE shelf (
  id serial PRIMARY KEY,
  name text NOT NULL,
  tags jsonb NOT NULL DEFAULT '[]',
  letter jsonb NOT NULL,
  created_at bigint NOT NULL,
  changed_at bigint NOT NULL
);

-- What a letter, of a round or of the shelf, was before: each kept when another begins after a while, or takes its place.
CREATE TABLE letter_versions (
  id serial PRIMARY KEY,
  round_id integer REFERENCES rounds ON DELETE CASCADE,
  shelf_id integer REFERENCES shelf ON DELETE CASCADE,
  letter jsonb NOT NULL,
  at bigint NOT NULL,
  CHECK ((round_id IS NULL) <> (shelf_id IS NULL))
);
CREATE INDEX versions_of_round ON letter_versions (round_id, at);
CREATE INDEX versions_of_shelf ON letter_versions (shelf_id, at);
