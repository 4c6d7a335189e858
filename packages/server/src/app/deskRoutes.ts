import { type DeskEvent, openApiDocument, routes } from '@hand-post/contract'
import { isLoopback, isUnderWay, messageStates } from '@hand-post/core'
import { hidden } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Events } from '../events.ts'
import { type Desk, handle } from '../http/handle.ts'
import { mailboxRecords } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import { openReminders } from '../responses/reminders.ts'
import { trayLines, trayOpen } from '../responses/trayStore.ts'
import type { PublicAddress } from '../rounds/freeze.ts'
import { roundLines } from '../rounds/store.ts'
import { isSameSecret } from '../secrets.ts'
import type { Metrics } from './metrics.ts'
import type { Readiness } from './readiness.ts'

/** How many windows may listen for changes at a time. */
const maxListeners = 200

/** What the routes of the desk itself need. */
export interface DeskParts {
  db: Database
  clock: Clock
  publicAddress: Pick<PublicAddress, 'url'>
  /** Whether whoever started Hand Post has filled it with what belongs to it. */
  ready: boolean
  subscribe: Events['subscribe']
  lately: Events['lately']
  readiness: Pick<Readiness, 'faults'>
  /** The numbers to be watched; null where there are none. */
  metrics: Pick<Metrics, 'text' | 'token'> | null
}

/** Whether it lives, and whether all is there that it needs: for whoever watches it, also where it serves no desk. */
export function healthRoutes(
  desk: Desk,
  {
    db,
    publicAddress: { url },
    ready,
    readiness,
    metrics,
  }: Pick<DeskParts, 'db' | 'publicAddress' | 'ready' | 'readiness' | 'metrics'>,
): void {
  if (metrics !== null)
    handle(desk, routes.metrics, async ({ req, res }) => {
      if (metrics.token === undefined)
        throw new Refusal(404, 'Numbers are not given here: HAND_POST_METRICS is not set.', 'Not given')
      if (!isSameSecret(req.get('authorization') ?? '', `Bearer ${metrics.token}`))
        throw new Refusal(401, 'The token of HAND_POST_METRICS is wanted (RFC 6750).', 'Not known')
      res.set('content-type', routes.metrics.gives!).send(await metrics.text())
      return undefined
    })
  handle(desk, routes.health, async () => {
    await db.query('SELECT 1')
    return {
      ready,
      publicAddress: url,
      publicIsLocal: isLoopback(new URL(url).hostname),
      ...desk.door.facts(),
    }
  })
  handle(desk, routes.ready, async ({ res }) => {
    const faults = await readiness.faults()
    const all = ready && faults.every(({ stops }) => !stops)
    res.status(all ? 200 : 503)
    return { ready: all, faults }
  })
}

/** What the desk shows at first sight, and the stream of what changes. */
export function deskRoutes(desk: Desk, { db, clock, subscribe, lately, readiness }: DeskParts): void {
  let listeners = 0
  handle(desk, routes.openApi, async () => ({ ...openApiDocument() }))
  handle(desk, routes.desk, async () => {
    const away = await hidden(db)
    const lines = (await roundLines(db)).filter(({ id }) => !away.rounds.has(id))
    const now = clock.now()
    const underWay = (line: (typeof lines)[number]) =>
      messageStates.some((s) => (isUnderWay(s) || s === 'inDoubt') && line.states[s] > 0)
    const posted = lines.filter((l) => l.postedAt !== null)
    const paused = (await mailboxRecords(db)).filter(
      (m) => !away.mailboxes.has(m.id) && (m.stopped || (m.pausedUntil ?? 0) > now),
    )
    return {
      now,
      goingOut: posted.filter(underWay),
      finished: posted.filter((l) => !underWay(l)),
      cameBack: await trayLines(db, 'open', now, 8, { hidden: away.rounds }),
      waits: {
        drafts: lines.filter((l) => l.postedAt === null),
        toPrint: posted.filter((l) => l.paperLetters.toPrint > 0),
        inTray: await trayOpen(db, now, away.rounds),
        reminders: (await openReminders(db, now, true)).filter((one) => !away.rounds.has(one.roundId)),
        inDoubt: lines.reduce((sum, l) => sum + l.states.inDoubt, 0),
        faults: await readiness.faults(),
        pausedMailboxes: paused.map((m) => ({
          id: m.id,
          name: m.settings.name,
          reason: m.pauseReason ?? '',
          until: m.stopped ? null : m.pausedUntil,
        })),
      },
    }
  })

  handle(desk, routes.events, async ({ query, res, gone }) => {
    if (listeners >= maxListeners)
      throw new Refusal(429, 'Too many windows of the desk are open. Close some of them.', 'Too many windows')
    listeners++
    res.set({ 'content-type': 'text/event-stream', connection: 'keep-alive' })
    res.flushHeaders()
    res.write(': listening\n\n')
    // Many changes within a moment are told as one of each kind.
    const waiting = new Map<string, DeskEvent>()
    let timer: NodeJS.Timeout | null = null
    const tell = (event: DeskEvent) => {
      waiting.set(`${event.topic}:${event.id}`, event)
      timer ??= setTimeout(() => {
        timer = null
        for (const e of waiting.values()) res.write(`data: ${JSON.stringify(e)}\n\n`)
        waiting.clear()
      }, 100)
    }
    const end = subscribe(tell)
    // What a page has read before it came to listening may have changed since.
    for (const event of lately(query.since)) tell(event)
    const beat = setInterval(() => res.write(': here\n\n'), 20_000)
    gone.addEventListener('abort', () => {
      listeners--
      end()
      clearInterval(beat)
      if (timer) clearTimeout(timer)
      res.end()
    })
    return undefined
  })
}
