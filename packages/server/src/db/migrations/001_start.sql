-- Times are milliseconds since 1970, as bigint, given by the application's clock; never now().

CREATE TABLE mailboxes (
  id serial PRIMARY KEY,
  settings jsonb NOT NULL,
  secret text NOT NULL,
  practice boolean NOT NULL DEFAULT false,
  paused_until bigint,
  stopped boolean NOT NULL DEFAULT false,
  pause_reason text,
  reading_fault text,
  -- How far the inbox has been read: IMAP's UIDVALIDITY and the last UID. Null until it is opened for the first time.
  uid_validity bigint,
  last_uid bigint
);

CREATE TABLE lists (
  id serial PRIMARY KEY,
  name text NOT NULL,
  columns jsonb NOT NULL,
  version integer NOT NULL DEFAULT 1,
  next_row integer NOT NULL,
  source jsonb NOT NULL,
  created_at bigint NOT NULL
);

CREATE TABLE list_rows (
  list_id integer NOT NULL REFERENCES lists ON DELETE CASCADE,
  id integer NOT NULL,
  position integer NOT NULL,
  cells jsonb NOT NULL,
  PRIMARY KEY (list_id, id)
);

CREATE TABLE files (
  hash text PRIMARY KEY,
  size bigint NOT NULL,
  type text NOT NULL
);

CREATE TABLE rounds (
  id serial PRIMARY KEY,
  title text NOT NULL,
  mailbox_id integer NOT NULL REFERENCES mailboxes,
  list_id integer REFERENCES lists,
  letter jsonb NOT NULL,
  selection jsonb NOT NULL DEFAULT '{"match":"all","rules":[]}',
  address_column text,
  name_columns jsonb NOT NULL DEFAULT '[]',
  files_column text,
  cc jsonb NOT NULL DEFAULT '[]',
  bcc jsonb NOT NULL DEFAULT '[]',
  dispatch jsonb NOT NULL,
  tracking jsonb NOT NULL DEFAULT '{"opens":false,"clicks":false,"receipts":false}',
  posted_at bigint,
  held boolean NOT NULL DEFAULT false,
  created_at bigint NOT NULL,
  changed_at bigint NOT NULL,
  version integer NOT NULL DEFAULT 1
);

CREATE TABLE set_aside (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  reason text NOT NULL,
  PRIMARY KEY (round_id, row_id)
);

CREATE TABLE round_files (
  id serial PRIMARY KEY,
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  name text NOT NULL,
  hash text NOT NULL REFERENCES files,
  role text NOT NULL CHECK (role IN ('common', 'own')),
  UNIQUE (round_id, name)
);

CREATE TABLE accepted (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  key text NOT NULL,
  reason text NOT NULL,
  at bigint NOT NULL,
  PRIMARY KEY (round_id, key)
);

-- One row for each message of a posted round. What changes is here; what is frozen and large is in message_contents.
CREATE TABLE messages (
  id serial PRIMARY KEY,
  round_id integer NOT NULL REFERENCES rounds,
  row_id integer NOT NULL,
  mailbox_id integer NOT NULL REFERENCES mailboxes,
  position integer NOT NULL,
  -- The random name that its Message-ID and its signed addresses are made from.
  key text NOT NULL UNIQUE,
  message_id text NOT NULL UNIQUE,
  person text NOT NULL,
  address text NOT NULL,
  recipients integer NOT NULL,
  subject text NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'sending', 'sent', 'retrying', 'refused', 'inDoubt', 'setAside', 'withdrawn')),
  planned_at bigint,
  not_before bigint NOT NULL,
  gap double precision NOT NULL,
  attempts integer NOT NULL DEFAULT 0,
  -- Its Cc and Bcc have had it while the person's own host put it off: later tries go to the person only.
  copies_gone boolean NOT NULL DEFAULT false,
  claimed_at bigint,
  -- When it was begun to be handed to the host. A claimed message without it has certainly not gone.
  handed_at bigint,
  sent_at bigint,
  filed_at bigint,
  -- When a message in doubt was looked for in Sent in vain; from then on it asks the writer.
  looked_at bigint,
  reason text,
  -- One message to a person in a round, whatever happens.
  UNIQUE (round_id, row_id)
  -- Room in every page for the changes that each row will see.
) WITH (fillfactor = 50);
-- Headers, html, text, files with their hashes, links: written at posting, and never changed. Apart, because every change of
-- a row writes the whole row anew.
CREATE TABLE message_contents (
  message_id integer PRIMARY KEY REFERENCES messages,
  contents jsonb NOT NULL
);

CREATE INDEX messages_due ON messages (mailbox_id, planned_at) WHERE state IN ('waiting', 'retrying');
CREATE INDEX messages_open ON messages (mailbox_id) WHERE state IN ('sending', 'inDoubt');

-- What left each mailbox, by recipient count: what the allowance is reckoned from.
CREATE TABLE ledger (
  message_id integer PRIMARY KEY REFERENCES messages,
  mailbox_id integer NOT NULL REFERENCES mailboxes,
  at bigint NOT NULL,
  recipients integer NOT NULL
);
CREATE INDEX ledger_recent ON ledger (mailbox_id, at);

-- Copies to oneself count against the mailbox's allowance too, but belong to no message.
CREATE TABLE copies_sent (
  id serial PRIMARY KEY,
  mailbox_id integer NOT NULL REFERENCES mailboxes,
  at bigint NOT NULL,
  recipients integer NOT NULL
);

-- Append-only: what came back.
CREATE TABLE responses (
  id serial PRIMARY KEY,
  message_id integer NOT NULL REFERENCES messages,
  kind text NOT NULL,
  at bigint NOT NULL,
  details jsonb NOT NULL DEFAULT '{}',
  -- For mail: where it lies in the mailbox, so that reading twice adds it once.
  source text UNIQUE
);
CREATE INDEX responses_of ON responses (message_id);

CREATE TABLE tray_done (
  response_id integer PRIMARY KEY REFERENCES responses,
  at bigint NOT NULL
);
