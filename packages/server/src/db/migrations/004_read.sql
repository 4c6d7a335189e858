-- Messages of a round that were read in the proof: a print of what each was then, so that a change takes it back.
CREATE TABLE messages_read (
  round_id integer NOT NULL REFERENCES rounds ON DELETE CASCADE,
  row_id integer NOT NULL,
  print text NOT NULL,
  PRIMARY KEY (round_id, row_id)
);
