-- A round holds itself when too many of its letters are refused or come back: from which share on, why it did, and since when letters count.
UPDATE rounds SET dispatch = '{"brake": 8}'::jsonb || dispatch;
ALTER TABLE rounds ADD COLUMN held_why text;
ALTER TABLE rounds ADD COLUMN brake_since bigint NOT NULL DEFAULT 0;
