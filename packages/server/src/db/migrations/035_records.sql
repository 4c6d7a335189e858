-- What was done with a round, and when: only ever added to, so that a posting record can tell of it.
CREATE TABLE round_events (
  id bigserial PRIMARY KEY,
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  at bigint NOT NULL,
  what text NOT NULL,
  details jsonb NOT NULL DEFAULT '{}'
);
CREATE INDEX events_of_round ON round_events (round_id, id);
CREATE FUNCTION events_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION 'What was noted of a round is not changed.';
END $$;
CREATE TRIGGER events_stay BEFORE UPDATE ON round_events FOR EACH ROW EXECUTE FUNCTION events_stay();

-- SHA-256 of a message as it was handed over; written before a byte of it was. Null: it never was, or was by a version of before.
ALTER TABLE messages ADD COLUMN sent_hash text;
ALTER TABLE copies ADD COLUMN sent_hash text;

-- The posting records that were made of a round. Sealed ones have the end of their chain; a record of a round that was not finished has none.
CREATE TABLE posting_records (
  id serial PRIMARY KEY,
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  made_at bigint NOT NULL,
  chain_end text,
  pdf text NOT NULL REFERENCES files,
  seal text REFERENCES files,
  letters integer NOT NULL,
  entries integer NOT NULL
);
CREATE INDEX records_of_round ON posting_records (round_id, id);
