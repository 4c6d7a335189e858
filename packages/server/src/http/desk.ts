import { type DeskEvent, openApiDocument, routes } from '@hand-post/contract'
import { isLoopback, isUnderWay, messageStates } from '@hand-post/core'
import type { Express } from 'express'
import type { Context } from '../context.ts'
import { mailboxRecords } from '../mailboxes/store.ts'
import { trayOpen } from '../responses/store.ts'
import { roundLines } from '../rounds/store.ts'
import { handle } from './handle.ts'
import { trayEntries } from './responses.ts'

export function deskHandlers(app: Express, { db, clock, publicUrl, onEvent }: Context): void {
  handle(app, routes.health, async () => {
    await db.query('SELECT 1')
    return { ready: true, publicAddress: publicUrl, publicIsLocal: isLoopback(new URL(publicUrl).hostname) }
  })
  app.get('/api/openapi.json', (_req, res) => void res.json(openApiDocument()))

  handle(app, routes.desk, async () => {
    const lines = await roundLines(db)
    const now = clock.now()
    const underWay = (line: (typeof lines)[number]) =>
      messageStates.some((s) => (isUnderWay(s) || s === 'inDoubt') && line.states[s] > 0)
    const posted = lines.filter((l) => l.postedAt !== null)
    const paused = (await mailboxRecords(db)).filter((m) => m.stopped || (m.pausedUntil ?? 0) > now)
    return {
      now,
      goingOut: posted.filter(underWay),
      finished: posted.filter((l) => !underWay(l)),
      cameBack: (await trayEntries(db, false, 8)).map(({ id, kind, at, person, round, roundId, rowId, words }) => ({
        id,
        kind,
        at,
        person,
        round,
        roundId,
        rowId,
        words,
      })),
      waits: {
        drafts: lines.filter((l) => l.postedAt === null),
        inTray: await trayOpen(db),
        inDoubt: lines.reduce((sum, l) => sum + l.states.inDoubt, 0),
        pausedMailboxes: paused.map((m) => ({
          id: m.id,
          name: m.settings.name,
          reason: m.pauseReason ?? '',
          until: m.stopped ? null : m.pausedUntil,
        })),
      },
    }
  })

  app.get(routes.events.path, (req, res) => {
    res.set({ 'content-type': 'text/event-stream', 'cache-control': 'no-store', connection: 'keep-alive' })
    res.flushHeaders()
    res.write(': listening\n\n')
    // Many changes within a moment are told as one of each kind.
    const waiting = new Map<string, DeskEvent>()
    let timer: NodeJS.Timeout | null = null
    const end = onEvent((event) => {
      waiting.set(`${event.topic}:${event.id}`, event)
      timer ??= setTimeout(() => {
        timer = null
        for (const e of waiting.values()) res.write(`data: ${JSON.stringify(e)}\n\n`)
        waiting.clear()
      }, 100)
    })
    const beat = setInterval(() => res.write(': here\n\n'), 20_000)
    req.on('close', () => {
      end()
      clearInterval(beat)
      if (timer) clearTimeout(timer)
    })
  })
}
