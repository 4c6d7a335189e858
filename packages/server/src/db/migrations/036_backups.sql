-- Copies of everything that were made here, and that this is one that was put back: once for each, whatever breaks in between.
CREATE TABLE backups (
  id serial PRIMARY KEY,
  made_at bigint NOT NULL,
  size bigint NOT NULL,
  with_key boolean NOT NULL
);
CREATE TABLE restores (
  id text PRIMARY KEY,
  made_at bigint NOT NULL,
  restored_at bigint NOT NULL,
  letters integer NOT NULL,
  copies integer NOT NULL
);
