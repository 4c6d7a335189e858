-- The last rehearsal of a round, with a print of what the round was then. What arrived lies with the practice mailbox.
CREATE TABLE rehearsals (
  round_id integer PRIMARY KEY REFERENCES rounds ON DELETE CASCADE,
  at bigint NOT NULL,
  print text NOT NULL
);
CREATE TABLE rehearsed (
  round_id integer NOT NULL REFERENCES rehearsals ON DELETE CASCADE,
  row_id integer NOT NULL,
  person text NOT NULL,
  address text NOT NULL,
  -- All who get it: the person first, then Cc and Bcc.
  recipients jsonb NOT NULL,
  -- When it would leave, and how many octets it has; null where it could not be made or has no time.
  at bigint,
  size bigint,
  -- What the host answered, or why it was not given the message.
  answer text NOT NULL,
  taken boolean NOT NULL,
  PRIMARY KEY (round_id, row_id)
);
