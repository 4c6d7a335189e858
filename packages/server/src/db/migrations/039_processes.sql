-- Several processes on one database. Which of them are there, by the database's own clock.
CREATE TABLE processes (
  id text PRIMARY KEY,
  -- Where it runs, for people: machine and number.
  name text NOT NULL,
  roles jsonb NOT NULL,
  seen_at timestamptz NOT NULL DEFAULT clock_timestamp()
);

-- Who works what: a mailbox by its name ('mailbox 3'), one process at a time. A lease that is over is anybody's; whoever takes it has
-- the next token, and what bears an older one is refused.
CREATE TABLE leases (
  what text PRIMARY KEY,
  owner text NOT NULL,
  token bigint NOT NULL DEFAULT 1,
  until timestamptz NOT NULL
);

-- Ends the statement in which it stands unless the lease is held by that token: whoever was stopped, and wakes when another has gone on
-- for it, writes nothing any more. Until the statement has ended nobody can take the lease. Without a token there is nobody else.
CREATE FUNCTION still_held(wanted text, had bigint) RETURNS boolean LANGUAGE plpgsql AS $$
BEGIN
  IF had IS NULL THEN
    RETURN true;
  END IF;
  PERFORM 1 FROM leases WHERE what = wanted AND token = had AND until > clock_timestamp() FOR SHARE;
  IF NOT FOUND THEN
    RAISE EXCEPTION 'another process works at “%” now', wanted USING ERRCODE = 'HP001';
  END IF;
  RETURN true;
END $$;

-- Rounds whose letters are not claimed just now, for something is being done to them: by whom, and until when at most.
CREATE TABLE aside (
  id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  round_id int NOT NULL REFERENCES rounds ON DELETE CASCADE,
  process text NOT NULL,
  until timestamptz NOT NULL
);

-- How often a mailbox was planned anew: of two who do so at the same time, the one who read first does it once more.
ALTER TABLE mailboxes ADD COLUMN planned int NOT NULL DEFAULT 0;

-- Each process examines contents, and notes which of them it has begun.
ALTER TABLE examining ADD COLUMN process text NOT NULL DEFAULT '';
ALTER TABLE examining DROP CONSTRAINT examining_pkey;
ALTER TABLE examining ADD PRIMARY KEY (hash, process);

-- Whether everything in here is moved, or being moved, to another database, or is just arriving from one: it is not worked with here then,
-- or letters could go twice.
CREATE TABLE moved (
  one boolean PRIMARY KEY DEFAULT true CHECK (one),
  at bigint NOT NULL,
  state text NOT NULL CHECK (state IN ('leaving', 'left', 'arriving')),
  -- Where to, in words.
  target text NOT NULL
);

-- What is one for the whole database: which folder its files lie in.
CREATE TABLE shared_folder (
  one boolean PRIMARY KEY DEFAULT true CHECK (one),
  id text NOT NULL
);
