-- Short answers that are written again and again, with fields of the row.
CREATE TABLE saved_answers (
  id serial PRIMARY KEY,
  name text NOT NULL,
  text text NOT NULL,
  made_at bigint NOT NULL
);
