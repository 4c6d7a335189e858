-- Letters on paper: who gets one and how it is printed; the columns of the postal address are kept with the list, as asked once.
ALTER TABLE rounds ADD COLUMN paper jsonb NOT NULL DEFAULT '{"who":"byHand","columns":[],"envelope":"dl","window":"left","foldMarks":true,"dated":true,"twoSided":true}';
ALTER TABLE lists ADD COLUMN postal_columns jsonb;
CREATE TABLE on_paper (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  PRIMARY KEY (round_id, row_id)
);
-- A posted letter on paper: frozen like a message, and printed by the writer.
CREATE TABLE paper_letters (
  id serial PRIMARY KEY,
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  position float8 NOT NULL,
  person text NOT NULL,
  -- The postal address, line by line; what stands in the letter, and its files.
  lines jsonb NOT NULL,
  contents jsonb NOT NULL,
  state text NOT NULL DEFAULT 'toPrint' CHECK (state IN ('toPrint', 'printed', 'withdrawn')),
  made_at bigint NOT NULL,
  printed_at bigint,
  version integer NOT NULL DEFAULT 1,
  UNIQUE (round_id, row_id)
);
