-- Signing in by OAuth 2.0 in the place of a password. What it gives is sealed where the password was.
UPDATE mailboxes SET settings = '{"oauth": null}'::jsonb || settings;
