-- What a round keeps of people can be forgotten: so many months after its last letter left (null: never), for good.
ALTER TABLE rounds
  ADD COLUMN forget_after integer CHECK (forget_after > 0),
  ADD COLUMN forgotten_at bigint;
-- What the board of such a round, or of one of its chasers, counted and drew before: the counts stay.
CREATE TABLE kept_boards (
  round_id integer PRIMARY KEY REFERENCES rounds ON DELETE CASCADE,
  board jsonb NOT NULL,
  charts jsonb NOT NULL,
  seen jsonb NOT NULL
);
-- Contents that nothing needs any more, and that may lie on the disk still.
CREATE TABLE unwanted_files (hash text PRIMARY KEY);

CREATE FUNCTION is_forgotten(of_round integer) RETURNS boolean LANGUAGE sql STABLE AS $$
  SELECT EXISTS (SELECT 1 FROM rounds r JOIN rounds p ON p.id = r.family WHERE r.id = of_round AND p.forgotten_at IS NOT NULL)
$$;
-- What was taken together of a forgotten round is not worked out anew, of what little is left.
CREATE FUNCTION not_when_forgotten() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF is_forgotten(NEW.round_id) THEN RETURN NULL; END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER not_when_forgotten BEFORE INSERT ON to_hear FOR EACH ROW EXECUTE FUNCTION not_when_forgotten();
