import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import type { Selection } from '@hand-post/core'
import { simpleParser } from 'mailparser'
import { SMTPServer } from 'smtp-server'
import { afterEach, describe, expect, test } from 'vitest'
import { closeWorld, csv, due, letter, minute, moveTo, open, refusal, states, timetable, world } from './lived.ts'

afterEach(closeWorld)

/** What somebody has, read by another parser than ours. */
const hadBy = async (address: string) =>
  Promise.all((await world.inboxOf(address)).map(async (raw) => simpleParser(raw)))

/** The letter as it is, with a place for a personal note. */
async function withNote(params: { round: number }) {
  const { letter } = await world.call(routes.round, { params })
  const content = [...letter.body.content, { type: 'personalNote' as const }]
  await world.call(routes.changeRound, { params, body: { letter: { ...letter, body: { ...letter.body, content } } } })
}

const people = 9
const gone = 3
/** A round of nine, three of whom have it already. */
async function aThirdGone(changes: Parameters<typeof world.round>[2] = {}) {
  await open(people, '2026-11-02T09:00:00Z')
  const round = await world.round(csv(people), letter, { dispatch: { perMinute: 1 }, ...changes })
  const params = { round: round.id }
  await world.call(routes.post, { params, body: { messages: people } })
  await due()
  for (let i = 1; i < gone; i++) await moveTo(world.clock.now() + minute)
  expect(await states(round.id)).toMatchObject({ sent: gone, waiting: people - gone })
  return { params, list: round.list!.id }
}
const amended = { subject: 'Mended, to {{Name}}', html: '<p>Good day {{Name}}, on the 4th and not the 3rd</p>' }
/** Posts what was amended, as it is told of. */
async function postChange(params: { round: number }) {
  const { letters, print } = await world.call(routes.amendment, { params })
  return world.call(routes.postAmendment, { params, body: { letters, print } })
}
async function untilAllGone(round: number) {
  for (const { at, gone } of (await timetable(round)).departures) if (!gone) await moveTo(at)
}

describe('amending what waits', () => {
  test('a fault found when a third has gone: each gets one letter, the first three as posted, the others the mended one', async () => {
    const { params, list } = await aThirdGone()
    const before = await world.call(routes.messages, { params })
    const round = await world.call(routes.beginAmending, { params })
    expect(round).toMatchObject({ held: true, amendingSince: world.clock.now(), versions: [] })
    // Nothing leaves, however long it takes; and a crash changes nothing of that.
    await world.pass(60 * minute, 6)
    await world.crash()
    await world.pass(60 * minute, 6)
    expect(await states(params.round)).toMatchObject({ sent: gone })

    await world.call(routes.changeRound, { params, body: { letterHtml: amended } })
    await world.call(routes.addFile, {
      params,
      query: { name: 'times.txt', role: 'common' },
      file: new TextEncoder().encode('High water: 10:40'),
    })
    // The list is mended too: of one who waits, and of one who has had it.
    const [name, email] = (await world.call(routes.round, { params })).list!.columns.map((c) => c.id)
    const rows = await world.rows(list)
    await world.edit(list, {
      do: 'cells',
      cells: [
        [rows[0].id, name, 'Nobody'],
        [rows[8].id, email, 'other8@village.example'],
      ],
    })

    // Proofed and read are those who wait.
    const proof = await world.call(routes.proof, { params, query: { wait: 'yes' } })
    expect(proof).toMatchObject({ people: people - gone, stops: 0 })
    expect((await world.call(routes.readingSet, { params })).people).toBe(people - gone)
    const keys = proof.findings.filter((f) => f.grade === 'ask').map((f) => f.key)
    if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: 'so it is' } })
    // Their message is shown as it will be, that of others as it went.
    const messageOf = async (row: number) => (await world.call(routes.message, { params: { ...params, row } })).subject
    expect([await messageOf(rows[0].id), await messageOf(rows[5].id)]).toEqual(['To Person 0', 'Mended, to Person 5'])

    const said = await world.call(routes.amendment, { params })
    expect(said).toMatchObject({
      letters: people - gone,
      same: 0,
      differ: { subject: 6, words: 6, enclosures: 6, sender: 0, copies: 0, address: 1 },
      addresses: [{ person: 'Person 8', was: 'person8@village.example', is: 'other8@village.example' }],
      sent: gone,
      inDoubt: 0,
      cannot: [],
    })
    const after = await world.call(routes.postAmendment, { params, body: { letters: 6, print: said.print } })
    expect(after).toMatchObject({ held: false, amendingSince: null })
    expect(after.versions).toMatchObject([
      { number: 1, subject: 'To {{Name}}', letters: 3, sent: 3 },
      { number: 2, subject: 'Mended, to {{Name}}', letters: 6, sent: 0 },
    ])
    await untilAllGone(params.round)
    expect(await states(params.round)).toMatchObject({ sent: people, waiting: 0 })

    const lines = await world.call(routes.messages, { params })
    // The same letters, by number and Message-ID: they were not written a second time.
    expect(lines.map((line) => line.id)).toEqual(before.map((line) => line.id))
    for (const [i, line] of lines.entries()) {
      expect(line.version).toBe(i < gone ? 1 : 2)
      const [one, ...more] = await hadBy(i === 8 ? 'other8@village.example' : `person${i}@village.example`)
      expect(more).toEqual([])
      expect(one.subject).toBe(i < gone ? `To Person ${i}` : `Mended, to Person ${i}`)
      expect(one.text).toContain(i < gone ? `Dear Person ${i}` : 'on the 4th and not the 3rd')
      expect(one.attachments.map((a) => a.filename)).toEqual(i < gone ? [] : ['times.txt'])
    }
    expect(await hadBy('person8@village.example')).toEqual([])
    // Sent and the board have the same.
    expect((await world.sent()).length).toBe(people)
    const board = await world.board(params.round)
    expect(board.people.map((p) => p.version)).toEqual([1, 1, 1, 2, 2, 2, 2, 2, 2])
  })

  test('what is open meanwhile, and what is not', async () => {
    const { params } = await aThirdGone()
    expect(await refusal(world.call(routes.changeRound, { params, body: { letterHtml: amended } }))).toContain(
      'is posted',
    )
    expect(await refusal(world.call(routes.amendment, { params }))).toContain('not being amended')
    expect(await refusal(world.call(routes.amendment, { params: { round: 999 } }))).toContain('no such round')
    expect(await refusal(world.call(routes.giveUpAmendment, { params }))).toContain('not being amended')
    await world.call(routes.beginAmending, { params })
    expect(await refusal(world.call(routes.beginAmending, { params }))).toContain('amended already')
    expect(await refusal(world.call(routes.carryOn, { params }))).toContain('is being amended')
    expect(await refusal(world.call(routes.topUp, { params, body: { messages: 1 } }))).toContain('is being amended')
    const lines = await world.call(routes.messages, { params })
    const had = { rows: [{ row: lines[0].rowId, hadTimes: 1 }] }
    expect(await refusal(world.call(routes.sendOnceMore, { params, body: had }))).toContain('is being amended')
    expect(await refusal(world.call(routes.changeRound, { params, body: { nameColumns: [] } }))).toContain(
      'stays as it was posted',
    )
    expect(await refusal(world.call(routes.changeRound, { params, body: { dispatch: { perMinute: 5 } } }))).toContain(
      'stays as it was',
    )
    // A note for somebody who waits, but for nobody who has had their letter.
    const note = (row: number) =>
      world.call(routes.writeNote, { params: { ...params, row }, body: { words: 'A word' } })
    expect(await refusal(note(lines[0].rowId))).toContain('Person 0 has a letter of it')
    await note(lines[5].rowId)
    await withNote(params)
    expect(await world.call(routes.amendment, { params })).toMatchObject({ same: 5, differ: { words: 1, subject: 0 } })
    expect(await states(params.round)).toMatchObject({ sent: gone, waiting: 6 })
  })

  test('given up, it is again what was posted: letter, enclosures, notes; it stays held until it is carried on', async () => {
    const { params } = await aThirdGone()
    const file = (name: string, words: string) =>
      world.call(routes.addFile, { params, query: { name, role: 'common' }, file: new TextEncoder().encode(words) })
    // What was posted has a file and a note.
    await world.call(routes.beginAmending, { params })
    const { id } = await file('plan.txt', 'Berths')
    await withNote(params)
    const lines = await world.call(routes.messages, { params })
    const row = lines[6].rowId
    await world.call(routes.writeNote, { params: { ...params, row }, body: { words: 'First note' } })
    await world.call(routes.changeRound, { params, body: { cc: ['desk@brindlequay.example'] } })
    const keys = (await world.call(routes.proof, { params, query: { wait: 'yes' } })).findings.map((f) => f.key)
    if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: 'so it is' } })
    const posted = await postChange(params)
    expect((await world.call(routes.messages, { params }))[6].copies).toMatchObject([
      { address: 'desk@brindlequay.example', state: 'waiting' },
    ])

    await world.call(routes.beginAmending, { params })
    await world.call(routes.changeRound, { params, body: { letterHtml: amended, cc: [], sender: { name: 'Other' } } })
    await world.call(routes.writeNote, { params: { ...params, row }, body: { words: '' } })
    await world.call(routes.removeFile, { params: { ...params, file: id } })
    await file('other.txt', 'Other')
    const given = await world.call(routes.giveUpAmendment, { params })
    expect(given).toMatchObject({
      letter: posted.letter,
      sender: posted.sender,
      cc: posted.cc,
      files: posted.files,
      amendingSince: null,
      held: true,
    })
    expect(given.versions).toHaveLength(2)
    expect(await world.call(routes.notes, { params })).toEqual([{ row, words: 'First note' }])
    await world.pass(20 * minute, 4)
    expect(await states(params.round)).toMatchObject({ sent: gone })
    await world.call(routes.carryOn, { params })
    await untilAllGone(params.round)
    await moveTo(world.clock.now() + minute)
    const [one, ...more] = await hadBy('person6@village.example')
    expect(more).toEqual([])
    expect(one.subject).toBe('To Person 6')
    expect(one.text).toContain('First note')
    expect(one.attachments.map((a) => a.filename)).toEqual(['plan.txt'])
    expect(await world.inboxOf('desk@brindlequay.example')).toHaveLength(6)
  })

  test('whoever’s row is gone from the list stops it, by name; withdrawn, it goes on without them', async () => {
    const { params, list } = await aThirdGone()
    await world.call(routes.beginAmending, { params })
    await world.call(routes.changeRound, { params, body: { letterHtml: amended } })
    const rows = await world.rows(list)
    await world.edit(list, { do: 'deleteRows', rows: [rows[4].id] })
    const said = await world.call(routes.amendment, { params })
    expect(said.cannot).toEqual([
      { rowId: rows[4].id, person: 'Person 4', why: 'Their row is not in the list any more.' },
    ])
    const refused = await refusal(
      world.call(routes.postAmendment, { params, body: { letters: said.letters, print: said.print } }),
    )
    expect(refused).toContain('Person 4’s letter waits and cannot be made anew')
    const lines = await world.call(routes.messages, { params })
    await world.call(routes.withdrawSome, { params, body: { letters: [lines[4].id, lines[0].id] } })
    // What was told of before is not posted: another letter less waits.
    expect(
      await refusal(world.call(routes.postAmendment, { params, body: { letters: said.letters, print: said.print } })),
    ).toContain('was changed since you saw it')
    await postChange(params)
    await untilAllGone(params.round)
    expect(await states(params.round)).toMatchObject({ sent: people - 1, withdrawn: 1 })
    expect(await hadBy('person4@village.example')).toEqual([])
    expect((await hadBy('person5@village.example')).map((m) => m.subject)).toEqual(['Mended, to Person 5'])
  })

  test('the proof stops an amendment as it stops posting; a column renamed meanwhile is followed', async () => {
    const { params, list } = await aThirdGone()
    await world.call(routes.beginAmending, { params })
    await world.call(routes.changeRound, { params, body: { letterHtml: { ...amended, html: '<p>Dear {{Nmae}}</p>' } } })
    const proof = await world.call(routes.proof, { params, query: { wait: 'yes' } })
    expect(proof.stops).toBeGreaterThan(0)
    expect(await refusal(postChange(params))).toContain('proof has something to settle')
    expect(await world.call(routes.round, { params })).toMatchObject({ held: true, versions: [] })
    await world.call(routes.changeRound, { params, body: { letterHtml: amended } })
    const { columns } = (await world.call(routes.round, { params })).list!
    await world.edit(list, { do: 'changeColumn', column: columns[0].id, changes: { name: 'Skipper' } })
    expect((await world.call(routes.round, { params })).letter.subject).toBe('Mended, to {{Skipper}}')
    await postChange(params)
    await untilAllGone(params.round)
    expect((await hadBy('person7@village.example')).map((m) => m.subject)).toEqual(['Mended, to Person 7'])
  })

  test('who comes late to an amended round has its newest version', async () => {
    const { params, list } = await aThirdGone()
    await world.call(routes.beginAmending, { params })
    await world.call(routes.changeRound, { params, body: { letterHtml: amended } })
    await postChange(params)
    const { columns } = (await world.call(routes.round, { params })).list!
    await world.edit(list, {
      do: 'addRows',
      rows: [{ [columns[0].id]: 'Late Comer', [columns[1].id]: 'late@village.example' }],
    })
    await world.call(routes.topUp, { params, body: { messages: 1 } })
    const lines = await world.call(routes.messages, { params })
    expect(lines.at(-1)).toMatchObject({ person: 'Late Comer', subject: 'Mended, to Late Comer', version: 2 })
    // As one file: everybody's as they have it, or will.
    const mbox = await world.call(routes.allMessages, { params, query: { as: 'mbox' } })
    const text = typeof mbox === 'string' ? mbox : Buffer.from(mbox as never).toString('utf8')
    expect(text.match(/^Subject: To Person/gm)).toHaveLength(3)
    expect(text.match(/^Subject: Mended, to/gm)).toHaveLength(7)
  })
})

describe('withdrawing some', () => {
  test('by a rule on their rows, and by hand; the others go', async () => {
    await open(6, '2026-11-02T09:00:00Z')
    const table = [
      'Name,Email,Jetty',
      ...Array.from({ length: 6 }, (_, i) => `Person ${i},person${i}@village.example,${i % 2 ? 'North' : 'South'}`),
    ]
    const round = await world.round(table.join('\r\n'), letter, { dispatch: { perMinute: 1 } })
    const params = { round: round.id }
    await world.call(routes.post, { params, body: { messages: 6 } })
    await due()
    const jetty = round.list!.columns[2].id
    const by = (selection: Selection) => world.call(routes.waitingBy, { params, body: { selection } })
    const lines = await world.call(routes.messages, { params })
    const rule = (value: string, column = jetty) => ({
      match: 'all' as const,
      rules: [{ column, comparison: 'is' as const, value }],
    })
    // Person 0 has had theirs.
    expect((await by(rule('South'))).letters).toEqual([lines[2].id, lines[4].id])
    // Rules that are not finished choose nobody here, for whom they choose gets nothing.
    expect((await by(rule(''))).letters).toEqual([])
    expect((await by({ match: 'all', rules: [] })).letters).toEqual([])
    expect((await by(rule('South', 'c999'))).letters).toEqual([])
    const { withdrawn } = await world.call(routes.withdrawSome, {
      params,
      body: { letters: [lines[0].id, lines[2].id, lines[4].id] },
    })
    expect(withdrawn).toBe(2)
    for (const { at, gone } of (await timetable(round.id)).departures) if (!gone) await moveTo(at)
    expect(await states(round.id)).toMatchObject({ sent: 4, withdrawn: 2, waiting: 0 })
    expect(await world.inboxOf('person2@village.example')).toHaveLength(0)
    expect(await world.inboxOf('person3@village.example')).toHaveLength(1)
  })
})

describe('at a host that takes its time', () => {
  test.each(['hold', 'withdraw', 'beginAmending', 'holdWhileOneIsWithdrawn'] as const)(
    '%s: what was claimed and is not in hand does not go',
    async (act) => {
      const taken: string[] = []
      // Another make of host than ours: it answers each message after a while, and those behind the tenth so late that the word comes first.
      const host = new SMTPServer({
        closeTimeout: 50,
        authOptional: true,
        disabledCommands: ['STARTTLS'],
        onAuth: (_auth, _session, done) => done(null, { user: 'office' }),
        onData: (stream, session, done) => {
          stream.resume()
          stream.on('end', () =>
            setTimeout(
              () => {
                taken.push(...session.envelope.rcptTo.map((to) => to.address))
                done()
              },
              taken.length < 10 ? 120 : 1000,
            ),
          )
        },
      })
      await new Promise<void>((ready) => host.listen(0, '127.0.0.1', ready))
      try {
        await open(0, '2026-11-02T09:00:00Z')
        const [practice] = await world.call(routes.mailboxes)
        const settings = { ...mailboxSettingsSchema.parse(practice), password: 'practice', perMinute: 6000, imap: null }
        const { port } = host.server.address() as { port: number }
        const { id } = await world.call(routes.addMailbox, {
          body: { ...settings, name: 'Slow', smtp: { ...settings.smtp, port } },
        })
        const round = await world.round(csv(60), letter, { mailboxId: id, dispatch: { perMinute: 100_000 } })
        const params = { round: round.id }
        await world.call(routes.post, { params, body: { messages: 60 } })
        world.clock.move(minute)
        void world.handPost.parts.dispatcher.wakeAll()
        while (taken.length < 10) await new Promise((soon) => setTimeout(soon, 20))
        if (act === 'holdWhileOneIsWithdrawn') {
          const last = (await world.call(routes.messages, { params })).at(-1)!
          const withdrawing = world.call(routes.withdrawLetter, { params: { message: last.id } })
          await world.call(routes.hold, { params })
          await withdrawing
          // Held by another hand meanwhile, it stays held.
          expect(await world.call(routes.round, { params })).toMatchObject({ held: true, states: { withdrawn: 1 } })
          await world.pass(minute)
        } else await world.call(routes[act], { params })
        await world.handPost.parts.dispatcher.settled()
        // Ten and those that the five connections had in hand just then, and what followed while the word came.
        expect(taken.length).toBeLessThan(25)
        expect(new Set(taken).size).toBe(taken.length)
        const left = 60 - taken.length
        expect(await states(round.id)).toMatchObject(
          act === 'withdraw'
            ? { sent: 60 - left, withdrawn: left }
            : act === 'holdWhileOneIsWithdrawn'
              ? { sent: 60 - left, withdrawn: 1, waiting: left - 1 }
              : { sent: 60 - left, waiting: left },
        )
      } finally {
        await new Promise<void>((closed) => host.close(closed))
      }
    },
  )
})
