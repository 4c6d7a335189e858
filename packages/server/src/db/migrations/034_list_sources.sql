-- The workbook that a list was made of, as it was given: outcomes are handed back in it. With the row of its sheet (from 1) that each of
-- the list's first rows stood in, and a print of what stood there.
CREATE TABLE list_sources (
  list_id integer PRIMARY KEY REFERENCES lists ON DELETE CASCADE,
  hash text NOT NULL REFERENCES files,
  name text NOT NULL,
  -- Which sheet, from 0, and the row of its headings, from 1.
  sheet integer NOT NULL,
  headings integer NOT NULL,
  -- Of the rows 1, 2, 3 … of the list.
  rows integer[] NOT NULL,
  prints text[] NOT NULL
);
-- Which columns an outcome sheet of the list has, by the writer's choice.
ALTER TABLE lists ADD COLUMN outcome_columns jsonb;
