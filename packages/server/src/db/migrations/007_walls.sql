-- How often the picture (-1) or a link (its number) of a message was fetched: first, last, how many times, and a bounded sample of
-- { at, agent }. One row for each, however often it is fetched.
CREATE TABLE fetched (
  message_id integer NOT NULL REFERENCES messages,
  what integer NOT NULL,
  first_at bigint NOT NULL,
  last_at bigint NOT NULL,
  times integer NOT NULL,
  sample jsonb NOT NULL,
  PRIMARY KEY (message_id, what)
);
-- What was kept one by one until now. A link's number that is none was never written.
WITH one_by_one AS (
  SELECT message_id, CASE kind WHEN 'open' THEN -1 ELSE coalesce((details->>'link')::int, 0) END AS what, at, coalesce(details->>'agent', '') AS agent,
    row_number() OVER (PARTITION BY message_id, kind, details->>'link' ORDER BY at, id) AS nth,
    row_number() OVER (PARTITION BY message_id, kind, details->>'link' ORDER BY at DESC, id DESC) AS nth_from_end
  FROM responses WHERE kind IN ('open', 'click')
)
INSERT INTO fetched
SELECT message_id, what, min(at), max(at), count(*),
  jsonb_agg(jsonb_build_object('at', at, 'agent', agent) ORDER BY at, nth) FILTER (WHERE nth <= 8 OR nth_from_end <= 8)
FROM one_by_one GROUP BY message_id, what;
DELETE FROM responses WHERE kind IN ('open', 'click');

-- Mail that could not be read: who it says it is from, when it came, and why; where it lies in the mailbox.
CREATE TABLE unread_mail (
  id serial PRIMARY KEY,
  mailbox_id integer NOT NULL REFERENCES mailboxes ON DELETE CASCADE,
  source text NOT NULL UNIQUE,
  sender text NOT NULL,
  subject text NOT NULL,
  at bigint NOT NULL,
  why text NOT NULL,
  -- Whether the writer has taken note of it.
  seen boolean NOT NULL DEFAULT false
);

-- Contents whose examining was begun and has not ended: how often. One that ended its thread twice is not begun again.
CREATE TABLE examining (
  hash text PRIMARY KEY REFERENCES files,
  begun integer NOT NULL
);
