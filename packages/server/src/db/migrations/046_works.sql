-- What is under way for more than a moment, in whichever process: seen, and stopped, from every desk. Each process says again and again that
-- it goes on; what was not heard of for a while went with its process. It keeps nothing that it is about from being deleted.
CREATE TABLE works (
  id text PRIMARY KEY,
  what text NOT NULL,
  round int,
  list int,
  account int,
  name text,
  began timestamptz NOT NULL DEFAULT clock_timestamp(),
  seen timestamptz NOT NULL DEFAULT clock_timestamp(),
  progress jsonb,
  -- Who has told it to stop: '' where nobody signs in.
  stopped_by text
);
