import { messageStates } from '@hand-post/core'
import type { CopiedDatabase } from '../db/database.ts'
import { unplannedIn } from '../dispatch/store.ts'
import { leasesHeld, processesSeen } from '../processes/store.ts'
import { openInTray } from '../rounds/openInTray.ts'
import type { Load } from '../threads/compute.ts'
import type { Readiness } from './readiness.ts'

export interface MetricsParts {
  db: CopiedDatabase
  now: () => number
  readiness: Pick<Readiness, 'faults'>
  /** How much each lane of computing threads has to do. */
  load: () => Load[]
  /** How long (ms) a process is held to be there that was not heard of. */
  lease: number
  /** Who bears it may have the numbers; undefined: nobody may. */
  token: string | undefined
}

/** How long (ms) what was counted holds: whoever asks often counts no oftener. */
const freshFor = 5000

interface Family {
  name: string
  help: string
  /** Of gauges only: everything here may go up and down. */
  samples: { labels?: Record<string, string>; value: number }[]
}

/** A text as the value of a label has it (OpenMetrics 1.0, section 5.2, “escaped string”). */
const escaped = (text: string) => text.replace(/[\\"\n]/g, (c) => (c === '\n' ? '\\n' : `\\${c}`))

/** Gauges as OpenMetrics 1.0 writes them. */
export function openMetrics(families: readonly Family[]): string {
  const lines = families.flatMap(({ name, help, samples }) => [
    `# TYPE ${name} gauge`,
    `# HELP ${name} ${escaped(help)}`,
    ...samples.map(({ labels = {}, value }) => {
      const inside = Object.entries(labels).map(([key, text]) => `${key}="${escaped(text)}"`)
      return `${name}${inside.length === 0 ? '' : `{${inside.join(',')}}`} ${value}`
    }),
  ])
  return `${lines.join('\n')}\n# EOF\n`
}

/** Numbers to be watched by a program, in the open text format. */
export class Metrics {
  private counted: { at: number; text: Promise<string> } | null = null

  constructor(private readonly parts: MetricsParts) {}

  get token(): string | undefined {
    return this.parts.token
  }

  text(): Promise<string> {
    if (this.counted === null || performance.now() - this.counted.at > freshFor)
      this.counted = { at: performance.now(), text: this.count().then(openMetrics) }
    return this.counted.text
  }

  private async count(): Promise<Family[]> {
    const { db, readiness, load, lease } = this.parts
    const now = this.parts.now()
    const seconds = (since: number | null) => (since === null ? 0 : Math.max(0, (now - since) / 1000))
    const states = new Map(
      (
        await db.query<{ state: string; n: number }>('SELECT state, count(*)::int AS n FROM messages GROUP BY state')
      ).map(({ state, n }) => [state, n]),
    )
    const [{ due }] = await db.query<{ due: number | null }>(
      `SELECT min(m.planned_at) AS due FROM messages m JOIN rounds r ON r.id = m.round_id JOIN mailboxes b ON b.id = m.mailbox_id
       WHERE m.state IN ('waiting', 'retrying') AND NOT r.held AND NOT b.stopped AND coalesce(b.paused_until, 0) <= $1`,
      [now],
    )
    const unplanned = (await unplannedIn(db)).reduce((sum, { letters }) => sum + letters, 0)
    const [{ open, oldest }] = await db.query<{ open: number; oldest: number | null }>(
      `SELECT count(*)::int AS open, min(q.at) AS oldest FROM responses q LEFT JOIN tray t ON t.response_id = q.id WHERE ${openInTray('$1')}`,
      [now],
    )
    const faults = await readiness.faults()
    const lines = await db.lines()
    return [
      {
        name: 'hand_post_letters',
        help: 'Letters of posted rounds, by state.',
        samples: messageStates.map((state) => ({ labels: { state }, value: states.get(state) ?? 0 })),
      },
      {
        name: 'hand_post_plan_lag_seconds',
        help: 'How late the letter is that is due longest, of those that nothing holds.',
        samples: [{ value: seconds(due) }],
      },
      {
        name: 'hand_post_letters_unplanned',
        help: 'Letters that wait for a time: none, but while they are being planned.',
        samples: [{ value: unplanned }],
      },
      { name: 'hand_post_answers_open', help: 'Entries of the in-tray to be looked at.', samples: [{ value: open }] },
      {
        name: 'hand_post_oldest_answer_seconds',
        help: 'Age of the oldest entry of the in-tray to be looked at.',
        samples: [{ value: seconds(oldest) }],
      },
      {
        name: 'hand_post_processes',
        help: 'Processes that were heard of lately; none where the database is embedded.',
        samples: [{ value: (await processesSeen(db, lease)).length }],
      },
      {
        name: 'hand_post_mailboxes_worked',
        help: 'Mailboxes that a process has to itself; none where the database is embedded.',
        samples: [{ value: (await leasesHeld(db)).filter(({ what }) => what.startsWith('mailbox ')).length }],
      },
      {
        name: 'hand_post_jobs',
        help: 'Computing jobs of this process, under way and waiting, by lane.',
        samples: load().flatMap(({ lane, running, waiting }) => [
          { labels: { lane, state: 'running' }, value: running },
          { labels: { lane, state: 'waiting' }, value: waiting },
        ]),
      },
      {
        name: 'hand_post_database_connections',
        help: 'Connections of this process to the database, busy and resting, and what waits for one.',
        samples: Object.entries(lines).map(([state, value]) => ({ labels: { state }, value })),
      },
      {
        name: 'hand_post_ready',
        help: '1 while everything can be done, 0 while something stops it.',
        samples: [{ value: faults.some(({ stops }) => stops) ? 0 : 1 }],
      },
      {
        name: 'hand_post_faults',
        help: 'What is not as it should be, as /api/ready says it.',
        samples: [{ value: faults.length }],
      },
    ]
  }
}
