-- A round whose mailbox is told twice to go slower goes at half its pace: how often that was said, and what was done about it, in words.
ALTER TABLE rounds ADD COLUMN slower_said integer NOT NULL DEFAULT 0;
ALTER TABLE rounds ADD COLUMN slowed text;
UPDATE rounds SET dispatch = '{"goSlower": true}'::jsonb || dispatch;
