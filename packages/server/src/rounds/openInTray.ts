// What wants the writer of what came back, as SQL: of a response `q`, with what was done with it, `t`. Rounds count it; the in-tray lists it.

/** The writer has put it by, and the day, or what it was put by for, has come. `now`: a parameter (ms since 1970). */
export const isBack = (now: string) =>
  `(t.put_by_at IS NOT NULL AND (t.back_at <= ${now} OR (t.back_when = 'opened' AND EXISTS (
     SELECT 1 FROM fetched f WHERE f.message_id = q.message_id AND f.last_at > t.put_by_at))))`

/** It was put by for an answer that was missing, and the answer has come: there is nothing to be brought back. */
export const isSettled = `(t.back_when = 'unanswered' AND EXISTS (
  SELECT 1 FROM responses z WHERE z.message_id = q.message_id AND z.kind = 'reply' AND z.of = 'person' AND z.at > t.put_by_at))`

/** It lies in the in-tray at all: somebody ought to look at it, and nobody has said that it is no answer. */
export const inTray = `(q.pile IS NOT NULL AND q.of <> 'no')`

/** It is to be looked at. */
export const openInTray = (now: string) =>
  `(${inTray} AND t.done_at IS NULL AND (t.put_by_at IS NULL OR (${isBack(now)} AND NOT coalesce(${isSettled}, false))))`
