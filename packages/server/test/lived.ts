import { type MailboxSettings, mailboxSettingsSchema, ProblemError, routes } from '@hand-post/contract'
import { Temporal } from 'temporal-polyfill'
import { MoodyHost } from './moodyHost.ts'
import { World } from './world.ts'

// Rounds that are lived through at a clock set by the test.

export const minute = 60_000
export const hour = 60 * minute
export const letter = { subject: 'To {{Name}}', html: '<p>Dear {{Name}}</p>' }
export const csv = (n: number) =>
  ['Name,Email', ...Array.from({ length: n }, (_, i) => `Person ${i},person${i}@village.example`)].join('\r\n')

/** The world of the test that is running. */
export let world: World
/** Opens a world for a test. */
export async function openWorld(options: Parameters<typeof World.open>[0]): Promise<void> {
  world = await World.open(options)
}
/** After each test. */
export async function closeWorld(): Promise<void> {
  await world?.close()
  moody?.close()
  moody = null
}

/** The host of {@link atMoodyHost}. */
export let moody: MoodyHost | null = null
/** Adds a mailbox at a host whose moods are set, which nothing is read from. Gives its number. */
export async function atMoodyHost(changes: Partial<MailboxSettings> = {}): Promise<number> {
  moody = await new MoodyHost().open()
  const [practice] = await world.call(routes.mailboxes)
  const own = { ...mailboxSettingsSchema.parse(practice), password: 'practice', imap: null, ...changes }
  const body = { ...own, name: 'Moody', smtp: { ...own.smtp, port: moody.port } }
  return (await world.call(routes.addMailbox, { body })).id
}
/** Has the host that was closed answer again, where it was. */
export async function moodyAgain(port: number): Promise<void> {
  moody = await new MoodyHost().open(port)
}

/** What the desk says when it refuses something. */
export const refusal = (doing: Promise<unknown>): Promise<string> =>
  doing.then(
    () => 'was not refused',
    (error) => {
      if (!(error instanceof ProblemError)) throw error
      return error.problem.detail ?? ''
    },
  )

/** A world whose clock stands at a moment, with n people who take what comes, and a mailbox with these settings. */
export async function open(
  n: number,
  at: string,
  changes: Partial<MailboxSettings> = {},
  more: Parameters<typeof World.open>[0] = {},
): Promise<void> {
  await openWorld({
    ...more,
    manners: Object.fromEntries(Array.from({ length: n }, (_, i) => [`person${i}@village.example`, {}])),
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  world.clock.move(Date.parse(at) - world.clock.now())
  await settings({ timeZone: 'Europe/London', ...changes })
}
export async function settings(changes: Partial<MailboxSettings>): Promise<void> {
  const [mailbox] = await world.call(routes.mailboxes)
  await world.call(routes.changeMailbox, {
    params: { mailbox: mailbox.id },
    body: { ...mailboxSettingsSchema.parse(mailbox), ...changes },
  })
}
export const due = async () => {
  await world.handPost.parts.dispatcher.wakeAll()
  await world.handPost.parts.dispatcher.settled()
}
/** Moves the clock to a moment and lets happen what is due. */
export const moveTo = (at: number) => {
  world.clock.move(at - world.clock.now())
  return due()
}
export const timetable = (round: number) => world.call(routes.timetable, { params: { round } })
export const states = async (round: number) => (await world.call(routes.round, { params: { round } })).states
/** A clock on the wall, by a library that is not ours (ECMA-262 Temporal). */
export const wall = (at: number, zone = 'Europe/London') =>
  Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone)
export const dateOf = (at: number, zone?: string) => wall(at, zone).toPlainDate().toString()
export const counts = (dates: string[]) => {
  const all = new Map<string, number>()
  for (const date of dates) all.set(date, (all.get(date) ?? 0) + 1)
  return [...all]
}
