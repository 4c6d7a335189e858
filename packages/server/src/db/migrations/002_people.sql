-- Lists that are edited, undone and put into other orders; the address book; topping up a posted round.

-- Between any two rows there is room for another.
ALTER TABLE list_rows ALTER COLUMN position TYPE double precision;
CREATE INDEX list_rows_in_order ON list_rows (list_id, position, id);

ALTER TABLE lists
  ADD COLUMN sort jsonb NOT NULL DEFAULT '[]',
  -- The address book is the one list with this mark.
  ADD COLUMN book boolean NOT NULL DEFAULT false,
  ADD COLUMN next_column integer NOT NULL DEFAULT 1;
UPDATE lists SET next_column = 1 + (SELECT coalesce(max(substr(c->>'id', 2)::int), 0) FROM jsonb_array_elements(columns) c);
CREATE UNIQUE INDEX one_book ON lists (book) WHERE book;

-- Every change of a list, with what takes it back.
CREATE TABLE list_edits (
  id serial PRIMARY KEY,
  list_id integer NOT NULL REFERENCES lists ON DELETE CASCADE,
  edits jsonb NOT NULL,
  inverse jsonb NOT NULL,
  words text NOT NULL,
  at bigint NOT NULL,
  undone boolean NOT NULL DEFAULT false
);
CREATE INDEX list_edits_of ON list_edits (list_id, id);

CREATE TABLE saved_rules (
  id serial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  selection jsonb NOT NULL,
  columns jsonb NOT NULL
);

CREATE TABLE groups (
  id serial PRIMARY KEY,
  name text NOT NULL UNIQUE
);
CREATE TABLE group_members (
  group_id integer NOT NULL REFERENCES groups ON DELETE CASCADE,
  -- A row of the address book. A contact that is deleted stays a member, so that undoing brings it back whole.
  row_id integer NOT NULL,
  PRIMARY KEY (group_id, row_id)
);

-- Addresses in the form under which they count as the same.
CREATE TABLE do_not_write (
  address text PRIMARY KEY,
  reason text NOT NULL,
  at bigint NOT NULL
);

ALTER TABLE rounds ADD COLUMN same_address text CHECK (same_address IN ('each', 'joined', 'first'));

-- One message to a person in a round, unless the writer deliberately sends it once more.
ALTER TABLE messages ADD COLUMN again integer NOT NULL DEFAULT 0;
ALTER TABLE messages DROP CONSTRAINT messages_round_id_row_id_key;
ALTER TABLE messages ADD CONSTRAINT one_message UNIQUE (round_id, row_id, again);
