-- What the writer is told without looking: a round is done, has held itself, or wants an answer. Made once for each occasion.
CREATE TABLE notices (
  id serial PRIMARY KEY,
  round_id integer NOT NULL REFERENCES rounds,
  mailbox_id integer NOT NULL REFERENCES mailboxes,
  kind text NOT NULL CHECK (kind IN ('done', 'held', 'doubt')),
  -- The occasion: nothing is told twice.
  key text NOT NULL,
  at bigint NOT NULL,
  subject text NOT NULL,
  words text NOT NULL,
  -- As a message to the mailbox's own address: not wanted, or how far it is.
  state text NOT NULL CHECK (state IN ('notWanted', 'waiting', 'sending', 'sent', 'failed')),
  message_id text NOT NULL,
  not_before bigint NOT NULL DEFAULT 0,
  attempts integer NOT NULL DEFAULT 0,
  reason text,
  UNIQUE (round_id, key)
);
CREATE INDEX notices_waiting ON notices (mailbox_id) WHERE state IN ('waiting', 'sending');
-- Nothing is told of what was done before anybody could be told.
INSERT INTO notices (round_id, mailbox_id, kind, key, at, subject, words, state, message_id)
SELECT r.id, r.mailbox_id, 'done', 'done ' || count(m.id), 0, '', '', 'notWanted', '' FROM rounds r JOIN messages m ON m.round_id = r.id GROUP BY r.id;
UPDATE mailboxes SET settings = '{"tell": {"done": false, "held": false, "doubt": false}}'::jsonb || settings;
