-- Who did it, of what was done with a round; null where nobody signs in, for what Hand Post did by itself, and for what was done before this.
ALTER TABLE round_events ADD COLUMN by_account int, ADD COLUMN by_name text;

-- What was done besides, and by whom: only ever added to. Of people who are written to nothing stands in it.
CREATE TABLE deeds (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at bigint NOT NULL,
  what text NOT NULL,
  by_account int,
  by_name text,
  -- The round that it was done with, if any; one that is not there any more is a number still.
  round_id int,
  details jsonb NOT NULL
);
CREATE INDEX deeds_of_round ON deeds (round_id, id);
CREATE INDEX deeds_at ON deeds (at, id);
CREATE INDEX events_at ON round_events (at, id);
CREATE FUNCTION deeds_stay() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION 'What was noted is not changed or taken away.';
END $$;
CREATE TRIGGER deeds_stay BEFORE UPDATE OR DELETE ON deeds FOR EACH ROW EXECUTE FUNCTION deeds_stay();
CREATE TRIGGER deeds_stay_whole BEFORE TRUNCATE ON deeds EXECUTE FUNCTION deeds_stay();
