-- Rows stand by keys that do not run out, instead of by fractions: between any two there is always room for another. The n-th row gets
-- the n-th whole key: a letter that says how many figures follow, and the figures, of base 62.
CREATE FUNCTION order_key(n bigint) RETURNS text LANGUAGE plpgsql IMMUTABLE AS $$
DECLARE
  figures constant text := '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';
  width int := 1;
  room bigint := 62;
  rest bigint := n;
  key text := '';
BEGIN
  WHILE rest >= room LOOP
    rest := rest - room;
    width := width + 1;
    room := room * 62;
  END LOOP;
  FOR i IN 1..width LOOP
    key := substr(figures, (rest % 62)::int + 1, 1) || key;
    rest := rest / 62;
  END LOOP;
  RETURN chr(ascii('a') + width - 1) || key;
END $$;

-- Every place that a row has, or had and may have again when something is undone. Where fractions had run out, two rows had the same.
CREATE TABLE order_keys AS
WITH steps AS (
  SELECT list_id, step FROM list_edits CROSS JOIN LATERAL jsonb_array_elements(edits || inverse) AS step
), places AS (
  SELECT list_id, position, id FROM list_rows
  UNION SELECT list_id, (r->>'position')::double precision, (r->>'id')::int FROM steps CROSS JOIN LATERAL jsonb_array_elements(step->'rows') AS r WHERE step->>'do' = 'addRows'
  UNION SELECT list_id, (p->>1)::double precision, (p->>0)::int FROM steps CROSS JOIN LATERAL jsonb_array_elements(step->'positions') AS p WHERE step->>'do' = 'moveRows'
)
SELECT list_id, position, id, order_key(row_number() OVER (PARTITION BY list_id ORDER BY position, id) - 1) AS key FROM places;
CREATE UNIQUE INDEX order_keys_of ON order_keys (list_id, position, id);

CREATE FUNCTION with_keys(list integer, steps jsonb) RETURNS jsonb LANGUAGE sql STABLE AS $$
  SELECT coalesce(jsonb_agg(CASE step->>'do'
    WHEN 'addRows' THEN jsonb_set(step, '{rows}', (
      SELECT coalesce(jsonb_agg(jsonb_set(r, '{position}', to_jsonb(k.key)) ORDER BY n), '[]')
      FROM jsonb_array_elements(step->'rows') WITH ORDINALITY AS x (r, n)
      JOIN order_keys k ON k.list_id = list AND k.position = (r->>'position')::double precision AND k.id = (r->>'id')::int))
    WHEN 'moveRows' THEN jsonb_set(step, '{positions}', (
      SELECT coalesce(jsonb_agg(jsonb_build_array(p->0, k.key) ORDER BY n), '[]')
      FROM jsonb_array_elements(step->'positions') WITH ORDINALITY AS x (p, n)
      JOIN order_keys k ON k.list_id = list AND k.position = (p->>1)::double precision AND k.id = (p->>0)::int))
    ELSE step END ORDER BY nth), '[]')
  FROM jsonb_array_elements(steps) WITH ORDINALITY AS y (step, nth)
$$;
UPDATE list_edits SET edits = with_keys(list_id, edits), inverse = with_keys(list_id, inverse)
WHERE edits @> '[{"do":"addRows"}]' OR edits @> '[{"do":"moveRows"}]' OR inverse @> '[{"do":"addRows"}]' OR inverse @> '[{"do":"moveRows"}]';

DROP INDEX list_rows_in_order;
ALTER TABLE list_rows ADD COLUMN key text COLLATE "C";
UPDATE list_rows r SET key = k.key FROM order_keys k WHERE k.list_id = r.list_id AND k.position = r.position AND k.id = r.id;
ALTER TABLE list_rows DROP COLUMN position;
ALTER TABLE list_rows RENAME COLUMN key TO position;
ALTER TABLE list_rows ALTER COLUMN position SET NOT NULL;
CREATE INDEX list_rows_in_order ON list_rows (list_id, position, id);

DROP FUNCTION with_keys(integer, jsonb);
DROP TABLE order_keys;
DROP FUNCTION order_key(bigint);
