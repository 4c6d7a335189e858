-- In which order the letters of a round leave, and in which rounds of a mailbox take turns, unless they share it evenly.
ALTER TABLE messages ADD COLUMN turn double precision NOT NULL DEFAULT 0;
UPDATE messages SET turn = position;
ALTER TABLE rounds ADD COLUMN turn double precision NOT NULL DEFAULT 0;
UPDATE rounds SET turn = id;
ALTER TABLE mailboxes ADD COLUMN evenly boolean NOT NULL DEFAULT false;
UPDATE rounds SET dispatch = '{"order": {"by": "list"}}'::jsonb || dispatch;
