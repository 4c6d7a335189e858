-- What a letter was first opened with by a person, as far as that was said; by what a machine was known; and which links were followed,
-- by where they lead, without what is only this person's in it.
ALTER TABLE heard
  ADD COLUMN program text,
  ADD COLUMN device text,
  ADD COLUMN through_proxy boolean,
  ADD COLUMN country text,
  ADD COLUMN machine_why text,
  ADD COLUMN followed text[] NOT NULL DEFAULT '{}';
-- What came in before is taken together once more.
INSERT INTO to_hear (message_id, round_id) SELECT m.id, m.round_id FROM fetched f JOIN messages m ON m.id = f.message_id
GROUP BY m.id, m.round_id ON CONFLICT (message_id) DO UPDATE SET touched = to_hear.touched + 1;
