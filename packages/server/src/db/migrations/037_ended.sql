-- A round that was ended: nothing more is counted or read for it, nor for its chasers and what was answered from here. Opting out is heeded all
-- the same, for it is about more than one round.
ALTER TABLE rounds ADD COLUMN ended_at bigint;
CREATE FUNCTION is_ended(of_message integer) RETURNS boolean LANGUAGE sql STABLE AS $$
  SELECT EXISTS (SELECT 1 FROM messages m JOIN rounds r ON r.id = m.round_id JOIN rounds p ON p.id = r.family WHERE m.id = of_message AND p.ended_at IS NOT NULL)
$$;
CREATE FUNCTION not_when_ended() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF is_ended(NEW.message_id) THEN RETURN NULL; END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER not_when_ended BEFORE INSERT ON responses FOR EACH ROW WHEN (NEW.kind <> 'optOut') EXECUTE FUNCTION not_when_ended();
CREATE TRIGGER not_when_ended BEFORE INSERT ON fetched FOR EACH ROW EXECUTE FUNCTION not_when_ended();
