import { type MessageLine, mailboxSettingsSchema, ProblemError, routes } from '@hand-post/contract'
import fc from 'fast-check'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { type Mood, MoodyHost, moods } from './moodyHost.ts'
import { hour, minute, office, World } from './world.ts'

// A posted round is driven by any sequence of what a writer, the people, the host and the machine can do. What must hold then is asked
// of the host, which stands outside: it knows what it was given.

let world: World
let host: MoodyHost
let mailboxId: number
beforeAll(async () => {
  host = await new MoodyHost().open()
  world = await World.open()
  const [practice] = await world.call(routes.mailboxes)
  const settings = { ...mailboxSettingsSchema.parse(practice), password: 'practice', perMinute: 60, perDay: 100_000 }
  const added = await world.call(routes.addMailbox, {
    body: { ...settings, name: 'Moody', smtp: { ...settings.smtp, port: host.port } },
  })
  mailboxId = added.id
}, 120_000)
afterAll(async () => {
  await world.close()
  host.close()
})

const people = 4
const lettersOf = (words: number) =>
  `<p>Dear {{Name}}, these are the words ${words}: <a href="https://brindlequay.example/a">read on</a></p>`
/** Has the proof say of nothing that it wants a word. */
async function acceptAll(round: number): Promise<void> {
  const proof = await world.call(routes.proof, { params: { round }, query: { wait: 'yes' } })
  const keys = proof.findings.filter((f) => f.grade !== 'note' && f.accepted === null).map((f) => f.key)
  if (keys.length > 0) await world.call(routes.accept, { params: { round }, body: { keys, reason: 'made up' } })
}
/** Does what the desk may refuse as things are, and says whether it did. */
async function unlessRefused(act: () => Promise<unknown>): Promise<boolean> {
  try {
    await act()
    return true
  } catch (error) {
    if (error instanceof ProblemError && error.problem.status === 409) return false
    throw error
  }
}
let rounds = 0

/** One posted round, with everything that may be asked of it. */
class Posted {
  /** Addresses of the do-not-write list, and how often the host had kept something for each when it came there. */
  readonly refused = new Map<string, number>()
  /** The words that were posted as each version. */
  readonly versions = [0]
  /** Letters and copies that the writer had sent although they may have gone: only those may be there twice. */
  readonly sentInDoubt = new Set<string>()
  private constructor(
    readonly id: number,
    readonly persons: string[],
    readonly cc: string,
    readonly bcc: string,
  ) {}

  static async post(): Promise<Posted> {
    const n = ++rounds
    const persons = Array.from({ length: people }, (_, i) => `r${n}p${i}@village.example`)
    const [cc, bcc] = [`r${n}cc@archive.example`, `r${n}bcc@archive.example`]
    const csv = ['Name,Email', ...persons.map((address, i) => `Person ${i},${address}`)].join('\n')
    const { id } = await world.round(
      csv,
      { subject: `Round ${n}`, html: lettersOf(0) },
      {
        mailboxId,
        cc: [cc],
        bcc: [bcc],
        dispatch: { perMinute: 60 },
        tracking: { opens: true, clicks: true, optOut: true, receipts: true },
      },
    )
    await acceptAll(id)
    await world.call(routes.post, { params: { round: id }, body: { messages: people } })
    return new Posted(id, persons, cc, bcc)
  }

  get params() {
    return { round: this.id }
  }
  lines(): Promise<MessageLine[]> {
    return world.call(routes.messages, { params: this.params })
  }
  at(i: number): string {
    return [...this.persons, this.cc, this.bcc][i]
  }

  /** What must hold whatever happened. */
  async check(): Promise<void> {
    const lines = await this.lines()
    expect(lines).toHaveLength(people)
    let inLedger = 0
    for (const line of lines) {
      const kept = host.keptFor(line.address)
      // Nobody gets two.
      if (!this.sentInDoubt.has(line.address))
        expect([line.address, kept.length]).toEqual([line.address, kept.length > 0 ? 1 : 0])
      // What they have is of the version that is said, in doubt or not.
      for (const { raw } of kept) expect(raw).toContain(`these are the words ${this.versions[line.version - 1]}:`)
      // What is said to be sent has gone, and what is said not to have gone has not.
      if (line.state === 'sent') expect(kept.length).toBeGreaterThan(0)
      else if (line.state !== 'inDoubt' && !this.sentInDoubt.has(line.address))
        expect([line, kept.length]).toEqual([line, 0])
      // Each recipient has a fate of their own, written down.
      expect(line.copies.map((c) => [c.address, c.role])).toEqual([
        [this.cc, 'cc'],
        [this.bcc, 'bcc'],
      ])
      const ofLetter = (address: string) =>
        host.keptFor(address).filter((k) => k.raw.includes(`To: Person ${this.persons.indexOf(line.address)} <`))
      for (const copy of line.copies) {
        const keptCopies = ofLetter(copy.address)
        const mark = `${line.address} ${copy.address}`
        if (!this.sentInDoubt.has(mark))
          expect([mark, keptCopies.length]).toEqual([mark, keptCopies.length > 0 ? 1 : 0])
        if (copy.state === 'sent') expect([mark, keptCopies.length]).not.toEqual([mark, 0])
        else if (copy.state !== 'inDoubt' && !this.sentInDoubt.has(mark))
          expect([mark, copy.state, keptCopies.length]).toEqual([mark, copy.state, 0])
        // No copy goes before, or without, the letter; and not in its transaction.
        if (keptCopies.length > 0) {
          expect(kept.length).toBeGreaterThan(0)
          expect(keptCopies[0].transaction).toBeGreaterThan(kept[0].transaction)
        }
        if (line.state !== 'sent') expect(['waiting', 'withdrawn', 'setAside']).toContain(copy.state)
        if (copy.state === 'sent') inLedger++
      }
      if (line.state === 'sent') inLedger++
    }
    // The ledger has what is said to be sent, transaction for transaction.
    const [{ n }] = await world.handPost.parts.db.query<{ n: number }>(
      'SELECT coalesce(sum(l.recipients), 0)::int AS n FROM ledger l JOIN messages m ON m.id = l.message_id WHERE m.round_id = $1',
      [this.id],
    )
    expect(n).toBe(inLedger)
    // Nobody of the do-not-write list gets one.
    for (const [address, had] of this.refused) expect([address, host.keptFor(address).length]).toEqual([address, had])
  }

  /** The writer settles what is in doubt, by what people say who look into their inboxes; or wrongly, when `lazy`. */
  async settle(lazy = false): Promise<void> {
    for (const line of await this.lines()) {
      if (line.asksWriter) {
        const went = lazy ? false : host.keptFor(line.address).length > 0
        if (!went && host.keptFor(line.address).length > 0) this.sentInDoubt.add(line.address)
        await world.call(routes.settleDoubt, { params: { message: line.id }, body: { went } })
      }
      for (const copy of line.copies)
        if (copy.state === 'inDoubt') {
          const there = host
            .keptFor(copy.address)
            .some((k) => k.raw.includes(`To: Person ${this.persons.indexOf(line.address)} <`))
          await world.call(routes.settleCopy, { params: { copy: copy.id }, body: { went: there } })
        }
    }
    await world.handPost.parts.dispatcher.settled()
  }
}

interface Model {
  held: boolean
}
type Step = fc.AsyncCommand<Model, { round: Posted }>
/** A step that can be done at any time. */
const step = (words: string, run: (round: Posted) => Promise<void>): Step => ({
  check: () => true,
  run: async (_model, { round }) => {
    await run(round)
    await world.handPost.parts.dispatcher.settled()
    await round.check()
  },
  toString: () => words,
})

const anyone = fc.integer({ min: 0, max: people + 1 })
const steps = [
  fc.integer({ min: 1, max: 90 }).map((n) => step(`${n} s pass`, () => world.pass(n * 1000, 3))),
  fc.integer({ min: 1, max: 400 }).map((n) => step(`${n} minutes pass`, () => world.pass(n * minute, 4))),
  fc
    .tuple(anyone, fc.constantFrom(...(Object.keys(moods) as Mood[])))
    .map(([i, mood]) => step(`${i} ${mood}`, async (round) => void host.moods.set(round.at(i), [mood]))),
  fc.constant(step('hold', async ({ params }) => void (await world.call(routes.hold, { params })))),
  fc.constant(
    step('carry on', async ({ params }) => void (await unlessRefused(() => world.call(routes.carryOn, { params })))),
  ),
  fc.constant(
    step('begin to amend', async ({ params }) => {
      const begun = await unlessRefused(() => world.call(routes.beginAmending, { params }))
      const { amendingSince, held, states } = await world.call(routes.round, { params })
      if (begun) expect([amendingSince === null, held, states.sending]).toEqual([false, true, 0])
    }),
  ),
  fc.constant(
    step('post what was amended', async (round) => {
      const { params, id, versions } = round
      const words = Math.max(...versions) + 1
      const body = { letterHtml: { subject: `Round, words ${words}`, html: lettersOf(words) } }
      if (!(await unlessRefused(() => world.call(routes.changeRound, { params, body })))) return
      await acceptAll(id)
      const { letters, print, same } = await world.call(routes.amendment, { params })
      expect(same).toBe(0)
      if (letters === 0) return
      // Nothing is posted with a copy to an address that nobody may write to.
      const refused = round.refused.has(round.cc) || round.refused.has(round.bcc)
      expect(await unlessRefused(() => world.call(routes.postAmendment, { params, body: { letters, print } }))).toBe(
        !refused,
      )
      if (!refused) versions.push(words)
    }),
  ),
  fc.constant(
    step('give up amending', async ({ params }) => {
      await unlessRefused(() => world.call(routes.giveUpAmendment, { params }))
    }),
  ),
  fc.constant(step('withdraw', async ({ params }) => void (await world.call(routes.withdraw, { params })))),
  anyone.map((i) =>
    step(`${i} to the do-not-write list`, async (round) => {
      const address = round.at(i)
      await world.call(routes.refuseAddress, { body: { address, reason: 'asked us' } })
      round.refused.set(address, host.keptFor(address).length)
    }),
  ),
  anyone.map((i) =>
    step(`${i} opts out`, async (round) => {
      const [kept] = host.keptFor(round.at(Math.min(i, people - 1)))
      if (!kept) return
      const list = (await simpleParser(kept.raw)).headers.get('list') as { unsubscribe?: { url: string } }
      // The program has another port since it was last started; a real one has a name.
      const { pathname } = new URL(list.unsubscribe!.url)
      const answer = await fetch(`${world.handPost.publicUrl}${pathname}`, { method: 'POST' })
      expect(answer.status).toBe(200)
      round.refused.set(kept.to, host.keptFor(kept.to).length)
    }),
  ),
  fc.constant(step('settle', (round) => round.settle())),
  fc.constant(step('crash', () => world.crash())),
  fc.constant(
    step('crash while letters leave', async () => {
      world.clock.move(10_000)
      const leaving = world.handPost.parts.dispatcher.wakeAll().catch(() => {})
      await new Promise((done) => setTimeout(done, 30))
      await world.crash()
      await leaving
    }),
  ),
]

test('whatever is done to a posted round, nobody gets two, nobody refused gets one, and every fate is written down', async () => {
  await fc.assert(
    fc.asyncProperty(fc.commands(steps, { maxCommands: 30, size: 'max' }), async (commands) => {
      host.moods.clear()
      const round = await Posted.post()
      await fc.asyncModelRun(() => ({ model: { held: false }, real: { round } }), commands)
      // In the end everything has come to something.
      host.moods.clear()
      await unlessRefused(() => world.call(routes.giveUpAmendment, { params: round.params }))
      await world.call(routes.carryOn, { params: round.params })
      await world.pass(60 * hour, 30)
      await round.settle()
      await world.pass(2 * hour, 4)
      await round.settle()
      await round.check()
      for (const line of await round.lines())
        for (const { state } of [line, ...line.copies])
          expect(['sent', 'refused', 'setAside', 'withdrawn']).toContain(state)
    }),
    { numRuns: Number(process.env.MODEL_RUNS ?? 3), endOnFailure: true },
  )
  // Sent has every letter once, and no copy.
  const sent = await Promise.all(
    (await world.practice.store.box(office, 'Sent')).messages.map((m) => world.practice.store.read(m)),
  )
  const ids = sent.map((raw) => /^Message-ID: (.*)$/im.exec(raw.toString('latin1'))?.[1])
  expect(new Set(ids).size).toBe(ids.length)
})
