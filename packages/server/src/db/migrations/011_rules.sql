-- A rule without a value is not finished from now on, and does not count. What was written as “is” or “is not” nothing says so instead.
CREATE FUNCTION with_blanks(written text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT regexp_replace(
    regexp_replace(written, '"value": "", "column": ("(?:[^"\\]|\\.)*"), "comparison": "is"', '"value": "", "column": \1, "comparison": "isBlank"', 'g'),
    '"value": "", "column": ("(?:[^"\\]|\\.)*"), "comparison": "isNot"', '"value": "", "column": \1, "comparison": "isFilled"', 'g')
$$;
UPDATE rounds SET selection = with_blanks(selection::text)::jsonb WHERE selection::text <> with_blanks(selection::text);
UPDATE rounds SET letter = with_blanks(letter::text)::jsonb WHERE letter::text <> with_blanks(letter::text);
UPDATE saved_rules SET selection = with_blanks(selection::text)::jsonb WHERE selection::text <> with_blanks(selection::text);
UPDATE lists SET columns = with_blanks(columns::text)::jsonb WHERE columns::text <> with_blanks(columns::text);
UPDATE shelf SET letter = with_blanks(letter::text)::jsonb WHERE letter::text <> with_blanks(letter::text);
UPDATE letter_versions SET letter = with_blanks(letter::text)::jsonb WHERE letter::text <> with_blanks(letter::text);
UPDATE list_edits SET edits = with_blanks(edits::text)::jsonb, inverse = with_blanks(inverse::text)::jsonb
WHERE edits::text <> with_blanks(edits::text) OR inverse::text <> with_blanks(inverse::text);
DROP FUNCTION with_blanks(text);

-- Which column of a list has the addresses that are written to, by the writer's own word; null where they were not asked yet.
ALTER TABLE lists ADD COLUMN address_column text;
