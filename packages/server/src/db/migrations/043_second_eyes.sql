-- A second pair of eyes: what is to be posted only by somebody else than whoever changed it last, who has read the reading set.
ALTER TABLE rounds ADD COLUMN second_eyes boolean NOT NULL DEFAULT false;
UPDATE mailboxes SET settings = '{"secondEyes": false}'::jsonb || settings;

-- Who changed last what letters are made of: a round (by the number of the first of its family), or a list. Where nobody signs in nothing stands here.
CREATE TABLE last_changed (
  kind text NOT NULL CHECK (kind IN ('round', 'list')),
  thing int NOT NULL,
  account int NOT NULL,
  name text NOT NULL,
  at bigint NOT NULL,
  -- In which order: two may be of one moment.
  n bigint NOT NULL,
  PRIMARY KEY (kind, thing)
);

-- Each reads for themselves; 0: where nobody signs in.
ALTER TABLE messages_read ADD COLUMN account int NOT NULL DEFAULT 0;
ALTER TABLE messages_read DROP CONSTRAINT messages_read_pkey;
ALTER TABLE messages_read ADD PRIMARY KEY (round_id, row_id, account);
