-- Hours, further limits and the gentle start of a mailbox; until now it was open at any time. What ships with the product starts at once.
UPDATE mailboxes SET settings = jsonb_build_object(
  'hours', '{"week": [[{"from": 0, "to": 1440}], [{"from": 0, "to": 1440}], [{"from": 0, "to": 1440}], [{"from": 0, "to": 1440}], [{"from": 0, "to": 1440}], [{"from": 0, "to": 1440}], [{"from": 0, "to": 1440}]], "off": [], "holidays": null}'::jsonb,
  'dayZone', NULL, 'perHour', NULL, 'recipientsPerMinute', NULL, 'perMessage', NULL,
  'gentleStart', jsonb_build_object('wanted', NOT practice, 'days', '[20, 40, 80, 160, 320]'::jsonb)
) || settings;

-- The writer's own pace for a round.
UPDATE rounds SET dispatch = '{"perDay": null, "groups": null, "until": null, "uneven": false, "hours": null}'::jsonb || dispatch;

-- A letter goes by its round's pace unless it has a time of its own: then not_before says which, else it is null. The pace is the round's
-- and may be changed while letters wait, so that it is not kept with each of them any more. planned_by is why a letter leaves then.
ALTER TABLE messages ALTER COLUMN not_before DROP NOT NULL;
UPDATE messages m SET not_before = NULL FROM rounds r
WHERE r.id = m.round_id AND m.state = 'waiting' AND m.attempts = 0 AND m.not_before <= greatest(r.posted_at, (r.dispatch->>'startAt')::bigint);
ALTER TABLE messages DROP COLUMN gap;
ALTER TABLE messages ADD COLUMN planned_by text;
