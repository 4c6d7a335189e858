-- Copies whose letter has gone, and that have not gone themselves, are looked for at every claim: they are found at once, however many
-- letters have gone.
ALTER TABLE copies ADD COLUMN follows boolean NOT NULL DEFAULT false;
UPDATE copies c SET follows = true FROM messages m WHERE m.id = c.message_id AND m.state = 'sent';
CREATE INDEX copies_that_follow ON copies (message_id) WHERE follows AND state IN ('waiting', 'retrying', 'sending', 'inDoubt');
