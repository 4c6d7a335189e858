import { routes } from '@hand-post/contract'
import fc from 'fast-check'
import { simpleParser } from 'mailparser'
import { afterEach, expect, test } from 'vitest'
import { answerRests } from '../src/responses/answering.ts'
import { atMoodyHost, closeWorld, csv, due, moody, moveTo, open, refusal, settings, states, world } from './lived.ts'
import { hour, minute } from './world.ts'

// Answers that leave from here, read where they arrive by a library that is not ours (mailparser).

afterEach(closeWorld)

const started = '2026-11-02T10:00:00Z'
/** Somebody writes to the office in the thread of their letter. Gives the entry. */
const theyAsk = async (n: number, text = 'May I have another?') => {
  const [letter] = await world.inboxOf(`person${n}@village.example`)
  await world.arrive({
    from: `Person ${n} <person${n}@village.example>`,
    subject: 'Re: Hello',
    text,
    inReplyTo: (await simpleParser(letter)).messageId,
  })
  return (await world.call(routes.inTray)).lines.find((line) => line.person === `Person ${n}`)!.id
}
/** A round whose letters have gone to n people. */
const gone = async (n = 3) => {
  const round = await world.round(
    csv(n),
    { subject: 'Hello', html: '<p>Dear {{Name}}</p>' },
    { title: 'Harbour day', dispatch: { perMinute: 1000 } },
  )
  await world.call(routes.post, { params: { round: round.id }, body: { messages: n } })
  await world.pass(minute)
  return round.id
}
const send = (response: number, words = 'Yes, B7 is free.', more: object = {}) =>
  world.call(routes.sendAnswer, {
    params: { response },
    body: { words, quote: true, askedAs: `asked-${response}-${words.length}`, ...more },
  })
const entry = (response: number) => world.call(routes.trayEntry, { params: { response } })
/** A report (RFC 3464) that a message could not be delivered. */
const bounceOf = ({ messageId }: { messageId?: string }) =>
  Buffer.from(
    [
      'From: Mail delivery <postmaster@village.example>',
      'To: office@brindlequay.example',
      'Subject: Not delivered',
      'Message-ID: <report.1@village.example>',
      'Content-Type: multipart/report; report-type=delivery-status; boundary=b',
      '',
      '--b',
      'Content-Type: text/plain',
      '',
      'There is no such mailbox.',
      '--b',
      'Content-Type: message/delivery-status',
      '',
      'Reporting-MTA: dns; mx.village.example',
      '',
      'Final-Recipient: rfc822; person0@village.example',
      'Action: failed',
      'Status: 5.1.1',
      '',
      '--b',
      'Content-Type: text/rfc822-headers',
      '',
      `Message-ID: ${messageId}`,
      '--b--',
      '',
    ].join('\r\n'),
  )
const readAt = async (n: number) =>
  Promise.all((await world.inboxOf(`person${n}@village.example`)).map((raw) => simpleParser(raw)))
const rest = () => moveTo(world.clock.now() + answerRests + 1000)

test('an answer rests for ten seconds, leaves once, in the thread, is filed and counted; its entry is done', async () => {
  await open(3, started, { signature: 'The Harbour Office' })
  const round = await gone()
  const id = await theyAsk(1)
  const used = async () => (await world.call(routes.mailboxes))[0].used.ours
  const before = await used()
  const sent = await send(id)
  expect(sent).toMatchObject({
    state: 'waiting',
    plannedAt: world.clock.now() + answerRests,
    words: 'Yes, B7 is free.',
  })
  await due()
  expect(await readAt(1)).toHaveLength(1)
  expect((await entry(id)).state).toBe('done')
  await rest()
  await due()
  const [letter, answer, ...more] = await readAt(1)
  expect(more).toEqual([])
  expect(answer).toMatchObject({ subject: 'Re: Hello', inReplyTo: expect.stringMatching(/^<.+>$/) })
  expect(answer.references).toEqual([letter.messageId, answer.inReplyTo])
  expect(answer.text).toMatch(/^Yes, B7 is free\.\n\n-- \nThe Harbour Office\n\nOn .* wrote:\n> May I have another\?/)
  expect(answer.html).toBeFalsy()
  const filed = await Promise.all((await world.sent()).map((raw) => simpleParser(raw)))
  expect(filed.filter((mail) => mail.messageId === answer.messageId)).toHaveLength(1)
  expect(await used()).toBe(before + 1)
  const after = await entry(id)
  expect(after).toMatchObject({
    state: 'done',
    answers: [{ state: 'sent', words: 'Yes, B7 is free.', reason: expect.any(String) }],
  })
  expect(after.answeredAt).not.toBeNull()
  // Read in Sent, it is no other mail, and no second answer.
  await world.pass(hour)
  expect(await used()).toBe(before + 1)
  expect((await entry(id)).answers).toHaveLength(1)
  // Nobody sees a round of it, and the letters of the round are as many as they were.
  expect((await world.call(routes.rounds)).map((line) => line.id)).toEqual([round])
  expect(await states(round)).toMatchObject({ sent: 3, waiting: 0 })
})

test('asked for twice in one moment, and once more later, it goes once; another answer to the same entry goes too', async () => {
  await open(2, started)
  await gone(2)
  const id = await theyAsk(0)
  const twice = await Promise.all([send(id), send(id), send(id)])
  expect(new Set(twice.map((one) => one.id)).size).toBe(1)
  await rest()
  expect((await send(id)).state).toBe('sent')
  // Whatever speaks against it by now: it has gone, and is not said not to have.
  const address = 'person0@village.example'
  await world.call(routes.refuseAddress, { body: { address, reason: 'Moved' } })
  expect((await send(id)).state).toBe('sent')
  await world.call(routes.allowAddress, { query: { address } })
  // Under the name of an answer to somebody else nothing is sent.
  const other = await theyAsk(1)
  expect(await refusal(send(other, 'For you.', { askedAs: `asked-${id}-16` }))).toMatch(/answer to somebody else/)
  expect((await entry(other)).answers).toEqual([])
  const strange = { params: { response: 99_999 }, query: { name: 'a.txt' }, file: new Uint8Array(3) }
  expect(await refusal(world.call(routes.answerFile, strange))).toContain('answer')
  await send(id, 'And B8 as well.')
  await rest()
  await due()
  expect((await readAt(0)).map((mail) => mail.text?.split('\n')[0])).toEqual([
    'Dear Person 0',
    'Yes, B7 is free.',
    'And B8 as well.',
  ])
})

test('withdrawn while it rests, it does not go, and its entry is as it was; done before, it stays done', async () => {
  await open(2, started)
  await gone(2)
  const [open0, done1] = [await theyAsk(0), await theyAsk(1)]
  await world.call(routes.markTray, { body: { marks: [{ response: done1, done: true }] } })
  await moveTo(world.clock.now() + minute)
  for (const id of [open0, done1]) {
    const { id: message } = await send(id)
    await world.call(routes.withdrawLetter, { params: { message } })
  }
  await rest()
  expect([await readAt(0), await readAt(1)].map((all) => all.length)).toEqual([1, 1])
  expect(await entry(open0)).toMatchObject({ state: 'open', answeredAt: null, answers: [{ state: 'withdrawn' }] })
  expect(await entry(done1)).toMatchObject({ state: 'done', answeredAt: null })
  // Gone, it cannot be.
  const { id: message } = await send(open0, 'Another.')
  await rest()
  expect(await refusal(world.call(routes.withdrawLetter, { params: { message } }))).toMatch(/left/)
})

test('whatever is done in whatever order, each answer that was not withdrawn in time arrives once', async () => {
  await open(4, started)
  await gone(4)
  const ids = [await theyAsk(0), await theyAsk(1), await theyAsk(2), await theyAsk(3)]
  const acts = fc.array(
    fc.oneof(
      fc.record({ do: fc.constant('send' as const), to: fc.nat(3), name: fc.nat(2) }),
      fc.record({ do: fc.constant('withdraw' as const), to: fc.nat(3), name: fc.nat(2) }),
      fc.record({ do: fc.constant('wait' as const), seconds: fc.integer({ min: 1, max: 20 }) }),
      fc.constant({ do: 'crash' as const }),
    ),
    { minLength: 5, maxLength: 14 },
  )
  let run = 0
  await fc.assert(
    fc.asyncProperty(acts, async (all) => {
      run++
      /** What is known of each answer: when it may leave, and whether it was withdrawn before. */
      const asked = new Map<string, { id: number; leaves: number; to: number; withdrawn: boolean }>()
      for (const act of all) {
        if (act.do === 'wait') await moveTo(world.clock.now() + act.seconds * 1000)
        else if (act.do === 'crash') {
          await world.crash()
          await due()
        } else {
          const words = `run ${run} ${act.to} ${act.name}`
          const known = asked.get(words)
          if (act.do === 'send') {
            const { id } = await send(ids[act.to], words, { askedAs: words.replace(/ /g, '_') })
            if (known) expect(id).toBe(known.id)
            else asked.set(words, { id, to: act.to, leaves: world.clock.now() + answerRests, withdrawn: false })
          } else if (known && !known.withdrawn) {
            const said = await refusal(world.call(routes.withdrawLetter, { params: { message: known.id } }))
            known.withdrawn = said === 'was not refused'
            if (world.clock.now() < known.leaves) expect(known.withdrawn).toBe(true)
          }
        }
      }
      await rest()
      await due()
      for (const [words, { to, withdrawn }] of asked) {
        const there = (await readAt(to)).filter((mail) => mail.text?.startsWith(`${words}\n`))
        expect([words, there.length]).toEqual([words, withdrawn ? 0 : 1])
      }
    }),
    { numRuns: 5, seed: 28 },
  )
})

test('it goes before letters that wait, at any hour, within the day’s limit', async () => {
  await open(60, started)
  await gone(1)
  const id = await theyAsk(0)
  const many = await world.round(csv(60), { subject: 'Many', html: '<p>x</p>' }, { dispatch: { perMinute: 1 } })
  await world.call(routes.post, { params: { round: many.id }, body: { messages: 60 } })
  await moveTo(world.clock.now() + 5 * minute)
  await send(id)
  await rest()
  expect((await entry(id)).answers).toMatchObject([{ state: 'sent' }])
  expect((await world.call(routes.outTray)).sharing).toEqual([])
  // Outside the mailbox's hours, when letters rest.
  await settings({ hours: { week: [[], [], [], [], [], [], [{ from: 600, to: 610 }]], off: [], holidays: null } })
  await send(id, 'At any hour.')
  const tray = await world.call(routes.outTray)
  expect(tray.messages.filter((m) => m.answer)).toMatchObject([
    { subject: 'Re: Hello', round: 'Harbour day', held: false },
  ])
  await rest()
  expect((await entry(id)).answers.map((one) => one.state)).toEqual(['sent', 'sent'])
  // With the allowance used up it waits, and says until when.
  const [{ used }] = await world.call(routes.mailboxes)
  await settings({ perDay: used.ours + used.other, hours: undefined })
  const { plannedAt } = await send(id, 'Tomorrow.')
  expect(plannedAt!).toBeGreaterThan(world.clock.now() + hour)
  await rest()
  expect((await entry(id)).answers.at(-1)).toMatchObject({ state: 'waiting' })
})

test('what its host refuses, or nobody knows of, lies in the in-tray once more, with what was written', async () => {
  await open(2, started)
  await atMoodyHost()
  const mailbox = (await world.call(routes.mailboxes)).find((one) => one.name === 'Moody')!.id
  const round = await world.round(
    csv(2),
    { subject: 'Hello', html: '<p>Dear {{Name}}</p>' },
    { mailboxId: mailbox, dispatch: { perMinute: 1000 } },
  )
  await world.call(routes.post, { params: { round: round.id }, body: { messages: 2 } })
  await moveTo(world.clock.now() + minute)
  const { db } = world.handPost.parts
  const asked = async (n: number) => {
    const [{ id }] = await db.query<{ id: number }>(
      `INSERT INTO responses (message_id, kind, at, details, source, pile) SELECT id, 'reply', $2, '{"words": "May I?", "subject": "Re: Hello"}', $3, 'answer' FROM messages WHERE round_id = $1 AND row_id = (SELECT row_id FROM messages WHERE round_id = $1 ORDER BY position OFFSET $4 LIMIT 1) RETURNING id`,
      [round.id, world.clock.now(), `test ${n}`, n],
    )
    return id
  }
  const [first, second] = [await asked(0), await asked(1)]
  moody!.moods.set('person0@village.example', ['refuses'])
  await send(first)
  expect((await entry(first)).state).toBe('done')
  await rest()
  expect(await entry(first)).toMatchObject({
    state: 'open',
    answeredAt: null,
    answers: [{ state: 'refused', words: 'Yes, B7 is free.', reason: expect.stringContaining('no such mailbox') }],
  })
  moody!.moods.set('person1@village.example', ['keepsAndBreaks'])
  await send(second)
  await rest()
  await moveTo(world.clock.now() + 3 * minute)
  expect(await entry(second)).toMatchObject({ state: 'open', answers: [{ state: 'inDoubt', asksWriter: true }] })
  // It is settled where all doubts are, and nobody is told of a round that they never made.
  const { messages } = await world.call(routes.outTray)
  expect(messages.map((m) => [m.state, m.answer, m.roundId])).toEqual([['inDoubt', true, round.id]])
  expect(await db.query('SELECT kind, round_id AS round FROM notices')).toEqual([{ kind: 'done', round: round.id }])
  await world.call(routes.settleDoubt, { params: { message: messages[0].id }, body: { went: true } })
  expect((await entry(second)).answers).toMatchObject([{ state: 'sent' }])
  expect(moody!.keptFor('person1@village.example')).toHaveLength(2)
})

test('nothing goes to an address of the do-not-write list, put there before or while the answer rests', async () => {
  await open(2, started)
  await gone(2)
  const [id, other] = [await theyAsk(0), await theyAsk(1)]
  await world.call(routes.refuseAddress, { body: { address: 'Person0@village.example', reason: 'Asked by telephone' } })
  expect((await world.call(routes.beginAnswer, { params: { response: id } })).refused).toContain('Asked by telephone')
  expect(await refusal(send(id))).toMatch(/do-not-write list \(Asked by telephone\).*Nothing was sent\./)
  expect((await entry(id)).answers).toEqual([])
  await send(other)
  await world.call(routes.refuseAddress, { body: { address: 'person1@village.example', reason: 'Moved' } })
  await rest()
  expect(await entry(other)).toMatchObject({
    state: 'open',
    answers: [{ state: 'setAside', reason: expect.stringContaining('Moved') }],
  })
  expect(await readAt(1)).toHaveLength(1)
})

test('files go with it as they are; a program does not, and what is too large is said before anything is written', async () => {
  await open(1, started)
  await gone(1)
  const id = await theyAsk(0)
  const bring = (name: string, file: Uint8Array) =>
    world.call(routes.answerFile, { params: { response: id }, query: { name }, file })
  const plan = await bring('../plan of B7.txt', new TextEncoder().encode('A pontoon, a bollard.'))
  expect(plan).toMatchObject({ name: 'plan of B7.txt', size: 21, warning: null })
  const program = await bring('setup.pdf', new Uint8Array([0x4d, 0x5a, ...new Uint8Array(200)]))
  expect(program.warning).toMatchObject({ stops: true })
  const empty = await bring('empty.txt', new Uint8Array())
  expect(empty.warning?.stops).toBe(true)
  const withFiles = (files: { hash: string; name: string }[]) => send(id, 'Here it is.', { files })
  expect(await refusal(withFiles([program]))).toMatch(/setup\.pdf.* Nothing was sent\.$/)
  // Called otherwise on the way, it is a program all the same.
  expect(await refusal(withFiles([{ ...program, name: 'harmless.txt' }]))).toContain('Nothing was sent.')
  expect(await refusal(withFiles([{ hash: '0'.repeat(64), name: 'x.pdf' }]))).toMatch(/not here/)
  await settings({ largestMessage: 20_000 })
  const large = await bring('large.txt', new Uint8Array(20_000).fill(65))
  expect(await refusal(withFiles([large]))).toMatch(/comes to .* takes up to .*Nothing was sent\./)
  expect((await entry(id)).answers).toEqual([])
  await withFiles([plan])
  await rest()
  const [, answer] = await readAt(0)
  expect(answer.attachments.map((file) => [file.filename, file.content.toString()])).toEqual([
    ['plan of B7.txt', 'A pontoon, a bollard.'],
  ])
  expect((await entry(id)).answers[0].files).toMatchObject([{ name: 'plan of B7.txt', size: 21 }])
})

test('what they answer to an answer lies in the in-tray under the round, and is answered in the same thread', async () => {
  await open(1, started)
  const round = await gone(1)
  const id = await theyAsk(0)
  await send(id)
  await rest()
  const [letter, answer] = await readAt(0)
  await world.arrive({
    from: 'person0@village.example',
    subject: 'Re: Hello',
    text: 'And the day after?',
    inReplyTo: answer.messageId,
    references: [letter.messageId!, answer.inReplyTo!, answer.messageId!],
    attachments: [{ filename: 'form.txt', content: 'Signed.' }],
  })
  const [line] = (await world.call(routes.inTray)).lines
  expect(line).toMatchObject({ roundId: round, round: 'Harbour day', words: 'And the day after?', foundBy: 'header' })
  // It belongs to the letter that all of it is about, with what they send back.
  expect((await entry(line.id)).letter.subject).toBe('Hello')
  expect((await world.board(round)).counts).toMatchObject({ replied: 1, files: 1 })
  expect((await world.call(routes.rounds))[0].inTray).toBe(1)
  await send(line.id, 'That too.')
  await rest()
  const third = (await readAt(0))[2]
  expect(third.references).toEqual([letter.messageId, third.inReplyTo])
  // Of a report on an answer the letter knows nothing: that was delivered.
  await world.arrive(await bounceOf(answer))
  expect((await world.board(round)).counts).toMatchObject({ bounced: 0, replied: 1 })
  const back = (await world.call(routes.inTray)).lines.find((one) => one.kind === 'bounce')
  expect(back).toMatchObject({ roundId: round, person: 'Person 0' })
  const { db } = world.handPost.parts
  expect(await db.query('SELECT count(*)::int AS n FROM rounds')).toEqual([{ n: 2 }])
  // A word for what came of it is the round's.
  await world.call(routes.setOutcomeWords, { params: { round }, body: { words: ['coming'] } })
  await world.call(routes.giveWords, { params: { round }, body: { given: [{ row: line.rowId, word: 'coming' }] } })
  expect((await entry(line.id)).word).toBe('coming')
})
