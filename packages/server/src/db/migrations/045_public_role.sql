-- What the public address does with the database: these functions, and nothing else. A process that serves it alone, near the internet, signs in
-- by a user of the role hand_post_public, who may call them and may touch no table. Each runs with the rights of whoever owns the database.

-- The letter of a key, as far as its pages need it; null when there is none.
CREATE FUNCTION public_message(of_key text) RETURNS jsonb LANGUAGE sql STABLE SECURITY DEFINER SET search_path = public, pg_temp AS $$
  SELECT jsonb_build_object('id', m.id, 'roundId', m.round_id, 'mailboxId', m.mailbox_id, 'person', m.person, 'address', m.address, 'subject', m.subject,
    'roundTitle', r.title, 'ended', is_ended(m.id), 'links', c.contents->'links', 'choices', coalesce(c.contents->'choices', '[]'),
    'from', coalesce(nullif(c.contents->'from'->>'name', ''), c.contents->'from'->>'address', ''),
    'chosen', (SELECT jsonb_build_object('times', count(*), 'choice', (array_agg(q.details->'choice'->>'choice' ORDER BY q.at DESC, q.id DESC))[1], 'at', max(q.at))
      FROM responses q WHERE q.message_id = m.id AND q.kind = 'reply' AND q.of = 'person' AND q.details ? 'choice'))
  FROM messages m JOIN rounds r ON r.id = m.round_id JOIN message_contents c ON c.message_id = m.id WHERE m.key = of_key
$$;

-- Opts out the person of a letter. What still waits for them is set aside when its turn comes, at the latest.
CREATE FUNCTION public_opt_out(of_key text, agent text, now bigint) RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = public, pg_temp AS $$
DECLARE
  letter record;
BEGIN
  SELECT m.id, m.address_key, r.title INTO letter FROM messages m JOIN rounds r ON r.id = m.round_id WHERE m.key = of_key;
  IF NOT FOUND THEN
    RETURN;
  END IF;
  INSERT INTO do_not_write VALUES (letter.address_key, 'opted out by a letter of “' || letter.title || '”', now)
    ON CONFLICT (address) DO UPDATE SET reason = excluded.reason, at = excluded.at;
  INSERT INTO responses (message_id, kind, at, details, source)
    VALUES (letter.id, 'optOut', now, jsonb_build_object('agent', left(agent, 200)), 'opt-out:' || letter.id) ON CONFLICT (source) DO NOTHING;
END $$;

-- Adds an answer that was chosen on the page of a letter; sent twice, it is one.
CREATE FUNCTION public_choose(of_key text, answer text, now bigint, in_pile text, given jsonb) RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = public, pg_temp AS $$
DECLARE
  letter record;
  added int;
BEGIN
  -- Only what such a page can have said: the desk relies on how an answer is made up.
  IF octet_length(given::text) > 100000 OR octet_length(answer) > 100 OR in_pile NOT IN ('question', 'answer', 'perhaps', 'thanks', 'choice')
    OR jsonb_typeof(given) <> 'object' OR jsonb_typeof(given->'choice'->'n') IS DISTINCT FROM 'number' OR jsonb_typeof(given->'choice'->'choice') IS DISTINCT FROM 'string'
    OR given->'sorted'->>'pile' IS DISTINCT FROM in_pile OR jsonb_typeof(given->'sorted'->'why') IS DISTINCT FROM 'string'
    OR NOT given ?& ARRAY['from', 'subject', 'words', 'text', 'sorted', 'choice']
    OR EXISTS (SELECT 1 FROM jsonb_each(given) e WHERE e.key NOT IN ('from', 'subject', 'words', 'text', 'sorted', 'choice')
      OR (e.key IN ('from', 'subject', 'words', 'text') AND jsonb_typeof(e.value) <> 'string')) THEN
    RAISE EXCEPTION 'no answer of a page' USING ERRCODE = '22023';
  END IF;
  SELECT m.id, m.address INTO letter FROM messages m WHERE m.key = of_key;
  IF NOT FOUND THEN
    RETURN;
  END IF;
  INSERT INTO responses (message_id, kind, at, details, of, address, mail_id, found_by, pile)
    VALUES (letter.id, 'reply', now, given, 'person', letter.address, 'choice:' || answer, 'page', in_pile)
    ON CONFLICT (message_id, mail_id, address) WHERE mail_id IS NOT NULL DO NOTHING RETURNING id INTO added;
  IF added IS NOT NULL AND in_pile = 'choice' THEN
    INSERT INTO tray (response_id, done_at) VALUES (added, now) ON CONFLICT DO NOTHING;
  END IF;
END $$;

-- What was fetched of letters until now, of pictures and links that are named by key and number.
CREATE FUNCTION public_fetched(named jsonb) RETURNS jsonb LANGUAGE sql STABLE SECURITY DEFINER SET search_path = public, pg_temp AS $$
  SELECT coalesce(jsonb_agg(jsonb_build_object('roundId', m.round_id, 'key', x.key, 'what', x.what, 'known', f.message_id IS NOT NULL,
    'first', f.first_at, 'last', f.last_at, 'times', f.times, 'sample', f.sample)), '[]')
  FROM jsonb_to_recordset(named) AS x (key text, what int) JOIN messages m ON m.key = x.key LEFT JOIN fetched f ON f.message_id = m.id AND f.what = x.what
$$;

-- Puts other sums in their place, and names the journals that they were read from.
CREATE FUNCTION public_add_fetched(sums jsonb, journals jsonb) RETURNS void LANGUAGE sql SECURITY DEFINER SET search_path = public, pg_temp AS $$
  INSERT INTO fetched_journals SELECT jsonb_array_elements_text(journals) ON CONFLICT DO NOTHING;
  INSERT INTO fetched (message_id, what, first_at, last_at, times, sample)
    SELECT m.id, x.what, x.first, x.last, x.times, x.sample
    FROM jsonb_to_recordset(sums) AS x (key text, what int, first bigint, last bigint, times int, sample jsonb) JOIN messages m ON m.key = x.key
    ON CONFLICT (message_id, what) DO UPDATE SET first_at = excluded.first_at, last_at = excluded.last_at, times = excluded.times, sample = excluded.sample;
$$;

-- Which of some journals were read; and forgets those of a place that are not there any more.
CREATE FUNCTION public_journals(names jsonb) RETURNS jsonb LANGUAGE sql STABLE SECURITY DEFINER SET search_path = public, pg_temp AS $$
  SELECT coalesce(jsonb_agg(name), '[]') FROM fetched_journals WHERE name IN (SELECT jsonb_array_elements_text(names))
$$;
CREATE FUNCTION public_forget_journals(begins text, there jsonb) RETURNS void LANGUAGE sql SECURITY DEFINER SET search_path = public, pg_temp AS $$
  DELETE FROM fetched_journals WHERE starts_with(name, begins) AND name NOT IN (SELECT jsonb_array_elements_text(there))
$$;

-- By which version the database is laid out, and whether what was in it lies elsewhere now.
CREATE FUNCTION public_state() RETURNS jsonb LANGUAGE plpgsql STABLE SECURITY DEFINER SET search_path = public, pg_temp AS $$
DECLARE
  gone boolean := false;
BEGIN
  IF to_regclass('public.moved') IS NOT NULL THEN
    EXECUTE 'SELECT EXISTS (SELECT 1 FROM public.moved)' INTO gone;
  END IF;
  RETURN jsonb_build_object('last', (SELECT max(name) FROM migrations), 'moved', gone);
END $$;

-- Makes the role, where whoever owns the database may, and lets it call these and nothing else. Says whether there is such a role.
CREATE FUNCTION let_public_in() RETURNS boolean LANGUAGE plpgsql AS $$
DECLARE
  one text;
BEGIN
  BEGIN
    CREATE ROLE hand_post_public NOLOGIN;
  EXCEPTION
    -- It is there already, or another database of the server makes it at this moment; or somebody else has to make it.
    WHEN duplicate_object OR unique_violation OR insufficient_privilege THEN NULL;
  END;
  FOREACH one IN ARRAY ARRAY['public_message(text)', 'public_opt_out(text, text, bigint)', 'public_choose(text, text, bigint, text, jsonb)', 'public_fetched(jsonb)',
    'public_add_fetched(jsonb, jsonb)', 'public_journals(jsonb)', 'public_forget_journals(text, jsonb)', 'public_state()'] LOOP
    EXECUTE 'REVOKE ALL ON FUNCTION ' || one || ' FROM PUBLIC';
    IF EXISTS (SELECT 1 FROM pg_roles WHERE rolname = 'hand_post_public') THEN
      EXECUTE 'GRANT EXECUTE ON FUNCTION ' || one || ' TO hand_post_public';
    END IF;
  END LOOP;
  RETURN EXISTS (SELECT 1 FROM pg_roles WHERE rolname = 'hand_post_public');
END $$;
REVOKE ALL ON FUNCTION let_public_in() FROM PUBLIC;
SELECT let_public_in();
