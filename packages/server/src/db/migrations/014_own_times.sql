-- Times of people's own, from a column, or by the clock where they are.
UPDATE rounds SET dispatch = '{"times": null}'::jsonb || dispatch;
