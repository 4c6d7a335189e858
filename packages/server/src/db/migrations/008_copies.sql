-- Copies are people of their own: each Cc and Bcc of a letter with a fate of its own. They go when the person's letter was taken, and
-- not before; from then on they have a planned time.
CREATE TABLE copies (
  id serial PRIMARY KEY,
  message_id integer NOT NULL REFERENCES messages,
  address text NOT NULL,
  -- The form under which addresses count as the same.
  address_key text NOT NULL,
  role text NOT NULL CHECK (role IN ('cc', 'bcc')),
  state text NOT NULL CHECK (state IN ('waiting', 'sending', 'sent', 'retrying', 'refused', 'inDoubt', 'setAside', 'withdrawn')),
  planned_at bigint,
  not_before bigint NOT NULL DEFAULT 0,
  attempts integer NOT NULL DEFAULT 0,
  rests integer NOT NULL DEFAULT 0,
  claimed_at bigint,
  handed_at bigint,
  sent_at bigint,
  reason text
) WITH (fillfactor = 50);
CREATE INDEX copies_of ON copies (message_id);
CREATE INDEX copies_due ON copies (planned_at) WHERE state IN ('waiting', 'retrying') AND planned_at IS NOT NULL;
CREATE INDEX copies_open ON copies (message_id) WHERE state IN ('sending', 'inDoubt');

ALTER TABLE messages
  ADD COLUMN address_key text NOT NULL DEFAULT '',
  -- The Date that a message bears which is, or was, in hand: what is settled later keeps it.
  ADD COLUMN dated_at bigint,
  -- How often in a row the host answered this message with a rest for the whole mailbox.
  ADD COLUMN rests integer NOT NULL DEFAULT 0,
  -- What Sent said of its copy, how often it was tried, and when it is tried again.
  ADD COLUMN filing_fault text,
  ADD COLUMN filing_attempts integer NOT NULL DEFAULT 0,
  ADD COLUMN file_after bigint NOT NULL DEFAULT 0;
UPDATE messages SET address_key = lower(btrim(address));
CREATE INDEX messages_by_address ON messages (address_key);
CREATE INDEX messages_unfiled ON messages (mailbox_id, file_after) WHERE state = 'sent' AND filed_at IS NULL;

-- Letters of before went to all at once. Copies that have gone have gone; those of letters that wait, wait.
INSERT INTO copies (message_id, address, address_key, role, state, sent_at, reason)
SELECT m.id, x.address, lower(btrim(x.address)), x.role,
  CASE WHEN m.state = 'sent' OR m.copies_gone THEN 'sent' WHEN m.state IN ('refused', 'withdrawn', 'setAside') THEN 'withdrawn' ELSE 'waiting' END,
  CASE WHEN m.state = 'sent' OR m.copies_gone THEN coalesce(m.sent_at, m.claimed_at) END,
  CASE WHEN m.state = 'sent' THEN 'Went together with the letter.' WHEN m.copies_gone THEN 'Had it while the person’s was put off.' END
FROM messages m JOIN message_contents c ON c.message_id = m.id
CROSS JOIN LATERAL (
  SELECT value AS address, 'cc' AS role FROM jsonb_array_elements_text(c.contents->'cc')
  UNION ALL SELECT value, 'bcc' FROM jsonb_array_elements_text(c.contents->'bcc')
) x;
ALTER TABLE messages DROP COLUMN copies_gone;

-- One line for each transaction that a host took, with how many recipients it took.
ALTER TABLE ledger DROP CONSTRAINT ledger_pkey;
ALTER TABLE ledger ADD COLUMN id serial PRIMARY KEY, ADD COLUMN copies boolean NOT NULL DEFAULT false;
CREATE INDEX ledger_of ON ledger (message_id);

-- How often in a row a host has asked a mailbox to rest, and since when.
ALTER TABLE mailboxes
  ADD COLUMN rests integer NOT NULL DEFAULT 0,
  ADD COLUMN resting_since bigint,
  -- When the host was found to put sent mail into Sent by itself.
  ADD COLUMN found_filing bigint;

ALTER TABLE responses
  -- Whose it is: the person's, a copy's, or of an address that is neither. Only the person's counts.
  ADD COLUMN of text NOT NULL DEFAULT 'person' CHECK (of IN ('person', 'copy', 'other')),
  -- The address that it came from, or, for a report, that it is about.
  ADD COLUMN address text,
  -- Its own Message-ID (or a print of it where it has none): mail is known by that, wherever it lies.
  ADD COLUMN mail_id text;
CREATE UNIQUE INDEX responses_mail ON responses (message_id, mail_id, address) WHERE mail_id IS NOT NULL;
