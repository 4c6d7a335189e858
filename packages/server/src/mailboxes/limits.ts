import type { MailboxSettings } from '@hand-post/contract'
import { type Limits, quietDays, sendingUntil, ZoneDays } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { daysOffOf } from './holidays.ts'

/** A mailbox, as far as its limits go. */
interface Limited {
  id: number
  settings: Omit<MailboxSettings, 'password'>
}

const hour = 60 * 60 * 1000

/**
 * The days on which anything left a mailbox, in days since 1970 by its zone, in order, each once: as far back as a gentle start can go,
 * whose days lie no further apart than a long quiet.
 */
async function daysOfSending(db: Database, { id, settings }: Limited, now: number): Promise<number[]> {
  const lookBack = (settings.gentleStart.days.length + 1) * (quietDays + 1) * 24 * hour
  const hours = await db.query<{ at: number }>(
    `SELECT DISTINCT at / ${hour} * ${hour}::bigint AS at FROM (
       SELECT at FROM ledger WHERE mailbox_id = $1 AND at > $2
       UNION ALL SELECT at FROM copies_sent WHERE mailbox_id = $1 AND at > $2
       UNION ALL SELECT at FROM other_mail WHERE mailbox_id = $1 AND at > $2
       UNION ALL SELECT claimed_at FROM messages WHERE mailbox_id = $1 AND state IN ('sending', 'inDoubt') AND claimed_at > $2
     ) left_at ORDER BY at`,
    [id, now - lookBack],
  )
  const days = new ZoneDays(settings.timeZone)
  return [...new Set(hours.map(({ at }) => days.of(at).number))]
}

/** What a mailbox lets through, as the plan asks for it. */
export async function limitsOf(db: Database, mailbox: Limited, now: number): Promise<Limits> {
  const { settings } = mailbox
  const { wanted, days } = settings.gentleStart
  return {
    zone: settings.timeZone,
    hours: { week: settings.hours.week, off: await daysOffOf(settings.hours, now) },
    perDay: settings.perDay,
    dayZone: settings.dayZone,
    perHour: settings.perHour,
    recipientsPerMinute: settings.recipientsPerMinute,
    perMinute: settings.perMinute,
    perMessage: settings.perMessage,
    gentle: wanted ? { days, last: sendingUntil(await daysOfSending(db, mailbox, now)) } : null,
  }
}
