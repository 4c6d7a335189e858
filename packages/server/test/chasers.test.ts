import { writeFile } from 'node:fs/promises'
import { routes } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { type ParsedMail, simpleParser } from 'mailparser'
import { afterEach, expect, test } from 'vitest'
import { claimDue, clearedFor } from '../src/dispatch/store.ts'
import { closeWorld, csv, hour, minute, moveTo, open, refusal, settings, states, wall, world } from './lived.ts'
import { composed, office } from './world.ts'

afterEach(closeWorld)

const letter = {
  subject: 'Your berth, {{Name}}',
  html: '<p>Dear {{Name}}</p><p>Please say by Friday whether you keep it.</p>',
}
const officeWeek = { week: readyWeeks.office, off: [], holidays: null }

/** A round with one chaser, not posted yet. */
async function withChaser(n: number, body: Parameters<typeof world.call<typeof routes.addChaser>>[1] = {}) {
  const round = await world.round(csv(n), letter, { dispatch: { perMinute: 1000 } })
  const chaser = await world.call(routes.addChaser, { params: { round: round.id }, ...body })
  return { round, chaser }
}
const post = async (round: number) => {
  const word = await world.call(routes.lastWord, { params: { round } })
  await world.call(routes.post, {
    params: { round },
    body: { messages: word.letters, paper: word.paper.letters, print: word.print },
  })
  return word
}
const mailTo = async (person: number): Promise<ParsedMail[]> =>
  Promise.all((await world.inboxOf(`person${person}@village.example`)).map((raw) => simpleParser(raw)))
/** Somebody answers the last letter that they have; with `unread` it lies in the mailbox, and nobody has been told of it. */
const answer = async (
  person: number,
  more: { text?: string; from?: string; headers?: Record<string, string>; unread?: boolean } = {},
) => {
  const last = (await mailTo(person)).at(-1)!
  const mail = {
    from: more.from ?? `person${person}@village.example`,
    to: office,
    subject: `Re: ${last.subject}`,
    inReplyTo: last.messageId,
    references: [last.messageId!],
    text: more.text ?? 'Yes, I keep it.',
    headers: more.headers,
  }
  if (more.unread) await world.practice.store.add(office, 'INBOX', await composed(mail), new Date(world.clock.now()))
  else await world.arrive(mail)
}
/** Lets the clock go on, second by second, until nothing of a round waits that could leave within them. */
const untilGone = async (round: number, seconds = 20) => {
  const open = ({ waiting, sending }: Awaited<ReturnType<typeof states>>) => waiting + sending > 0
  for (let i = 0; i < seconds && open(await states(round)); i++) await moveTo(world.clock.now() + 1000)
}
const read = () => world.handPost.parts.inbox.readAll()
const linesOf = (round: number) => world.call(routes.messages, { params: { round } })
const roundOf = (round: number) => world.call(routes.round, { params: { round } })

test('after five working days exactly those get the chaser who have not answered, in their thread', async () => {
  // A Thursday; the Monday after is a day off.
  await open(60, '2026-11-05T10:00:00Z', {
    hours: { ...officeWeek, off: [{ from: '2026-11-09', to: '2026-11-09', name: 'Stocktaking' }] },
    perDay: 10_000,
    perMinute: 10_000,
  })
  const { round, chaser } = await withChaser(60)
  expect(chaser).toMatchObject({
    title: `${round.title}: chaser`,
    chases: { id: round.id, postedAt: null },
    counts: { round: 60, notChased: 0 },
    letter: { subject: 'Re: Your berth, {{Name}}' },
  })
  const word = await post(round.id)
  expect(word.chasers).toEqual([
    { id: chaser.id, title: chaser.title, letters: 60, days: 'up to 60 chasers on Fri 13 November' },
  ])
  await moveTo(world.clock.now() + minute)
  expect(await states(round.id)).toMatchObject({ sent: 60 })
  expect(await states(chaser.id)).toMatchObject({ waiting: 60, sent: 0 })

  for (let i = 0; i < 16; i++) await answer(i)
  // An automatic reply is no answer.
  await answer(30, { text: 'I am away until 20 November.', headers: { 'Auto-Submitted': 'auto-replied' } })
  await read()
  await moveTo(Date.parse('2026-11-12T10:30:00Z'))
  const [before] = (await roundOf(round.id)).chasers
  expect(before).toMatchObject({ unfit: 16, states: { waiting: 60, sent: 0 } })
  expect(wall(before.from!).toPlainDate().toString()).toBe('2026-11-13')
  // Their day has not come: nothing of it is settled.
  expect((await linesOf(chaser.id)).filter((m) => m.state !== 'waiting')).toEqual([])

  // Two answer in the minute before it leaves, two in the very second; nobody has read them.
  world.clock.move(before.from! - minute / 2 - world.clock.now())
  await answer(16)
  await answer(17)
  world.clock.move(before.from! - world.clock.now())
  await answer(18, { unread: true })
  await answer(19, { unread: true })
  // The mailbox is read once before those that are due together, and not before each of the 44 that are left.
  const { inbox } = world.handPost.parts
  const readUpToNow = inbox.readUpToNow.bind(inbox)
  let times = 0
  inbox.readUpToNow = (mailboxId) => {
    times++
    return readUpToNow(mailboxId)
  }
  await untilGone(chaser.id)
  expect(times).toBeGreaterThan(0)
  expect(times).toBeLessThanOrEqual(8)
  expect(await states(chaser.id)).toMatchObject({ sent: 40, setAside: 20, waiting: 0 })
  const aside = (await linesOf(chaser.id)).filter((m) => m.state === 'setAside')
  expect(aside.map((m) => m.person).sort()).toEqual(Array.from({ length: 20 }, (_, i) => `Person ${i}`).sort())
  expect(aside.every((m) => m.reason?.startsWith('No chaser to this person: They have answered, '))).toBe(true)

  for (let i = 0; i < 60; i++) {
    const mails = await mailTo(i)
    expect(mails, `person ${i}`).toHaveLength(i < 20 ? 1 : 2)
    if (i < 20) continue
    const [first, second] = mails
    // RFC 5322, section 3.6.4, as another parser reads it.
    expect(second.inReplyTo).toBe(first.messageId)
    expect([second.references].flat()).toEqual([first.messageId])
    expect(second.messageId).not.toBe(first.messageId)
    expect(second.subject).toBe(`Re: Your berth, Person ${i}`)
    expect(second.text).toContain(`Dear Person ${i}`)
    // RFC 3676, section 4.5.
    expect(second.text).toMatch(/^On Thu 5 Nov 10:\d\d .*wrote:\n(?:>.*\n)*> Please say by Friday/m)
    expect(second.html).toContain('Please say by Friday')
  }
  // How often somebody was chased is a column of the list, if wished.
  const told = await world.call(routes.cameOf, { params: { round: round.id } })
  expect(told.rows.map((row) => row[4]?.chased ?? 0).sort()).toEqual([...Array(20).fill(0), ...Array(40).fill(1)])
  // The round's own board knows nothing of a chaser but what was answered to it.
  await answer(40)
  await read()
  expect((await world.board(round.id)).counts).toMatchObject({ sent: 60, replied: 21 })
})

test('what is to chase nobody, on the same day, or without anybody knowing of answers, is refused in words', async () => {
  await open(2, '2026-11-05T10:00:00Z')
  const { round, chaser } = await withChaser(2)
  const add = (body: object) => refusal(world.call(routes.addChaser, { params: { round: round.id }, body }))
  expect(await add({ chaser: { after: { n: 5, of: 'workingDays' } } })).toContain(
    'Two chasers would leave 5 working days',
  )
  expect(await add({ chaser: { after: { n: 0, of: 'days' } } })).toContain('1 day after the letter, or later')
  expect(await add({ chaser: { who: [] } })).toContain('A chaser to nobody is none')
  expect(await add({ chaser: { who: ['word'] } })).toContain('Choose the outcome words')
  expect(await add({ chaser: { after: null } })).toContain('Before its round is posted')
  expect(await add({ rows: [1] })).toContain('is not posted')
  expect(await refusal(world.call(routes.addChaser, { params: { round: chaser.id }, body: {} }))).toContain(
    'is a chaser itself',
  )
  expect(
    await refusal(world.call(routes.changeRound, { params: { round: chaser.id }, body: { sameAddress: 'each' } })),
  ).toContain('Change them there')
  expect(await refusal(world.call(routes.post, { params: { round: chaser.id }, body: { messages: 2 } }))).toContain(
    'posted together with the round',
  )
  expect(await refusal(world.call(routes.putDrafts, { params: { round: chaser.id } }))).toContain(
    'goes only to those who have not answered',
  )
  await settings({ imap: null })
  expect(await add({})).toContain('no IMAP host')
})

/** A round of some people that has gone, with a chaser that waits; at an office that writes at any time. */
async function gone(n: number, chaser: object = {}, own?: { subject: string; html: string }) {
  // One address more, which nobody is written to at.
  await open(n + 1, '2026-11-05T10:00:00Z', { perDay: 10_000, perMinute: 10_000 })
  const { round, chaser: one } = await withChaser(n, { body: { chaser } })
  if (own) await world.call(routes.changeRound, { params: { round: one.id }, body: { letterHtml: own } })
  await post(round.id)
  await untilGone(round.id)
  expect(await states(round.id)).toMatchObject({ sent: n })
  return { round: round.id, chaser: one.id }
}
const fifthWorkingDay = Date.parse('2026-11-12T10:00:00Z')
/** Something came of a person's letter, as it is written down when mail was read. */
const came = async (
  round: number,
  person: number,
  kind: string,
  at: number,
  more: { of?: string; details?: object } = {},
) => {
  const { db } = world.handPost.parts
  const [{ id }] = await db.query<{ id: number }>(
    `INSERT INTO responses (message_id, kind, at, details, of, address, mail_id, pile, found_by)
     SELECT m.id, $3, $4, $5::jsonb, $6, m.address, '<' || gen_random_uuid() || '@m.example>', 'answer', $7 FROM messages m WHERE m.round_id = $1 AND m.person = $2 RETURNING id`,
    [
      round,
      `Person ${person}`,
      kind,
      at,
      JSON.stringify(more.details ?? {}),
      more.of ?? 'person',
      more.of === 'perhaps' ? 'senderSubject' : 'header',
    ],
  )
  return id
}
const reasons = async (round: number) =>
  Object.fromEntries((await linesOf(round)).map((m) => [Number(m.person.slice(7)), [m.state, m.reason ?? '']]))

test('each thing that comes of somebody takes them out, or not, as the chaser says; what may be an answer waits for the writer', async () => {
  const n = 12
  const { round, chaser } = await gone(n, { who: ['silent', 'softBounce', 'word'], words: ['later'] })
  const at = world.clock.now()
  await came(round, 0, 'reply', at)
  await came(round, 1, 'automatic', at)
  await came(round, 2, 'bounce', at, { details: { status: '5.1.1' } })
  await came(round, 3, 'bounce', at, { details: { status: '4.2.2' } })
  await came(round, 4, 'optOut', at)
  const perhaps = await came(round, 5, 'reply', at, { of: 'perhaps' })
  const stranger = await came(round, 6, 'reply', at, { of: 'perhaps' })
  await came(round, 7, 'reply', at, { of: 'copy' })
  const rowOf = new Map((await linesOf(round)).map((m) => [m.person, m.rowId]))
  const give = (person: number, word: string) =>
    world.call(routes.giveWords, {
      params: { round },
      body: { given: [{ row: rowOf.get(`Person ${person}`)!, word }] },
    })
  await world.call(routes.setOutcomeWords, { params: { round }, body: { words: ['later', 'coming'] } })
  await give(8, 'coming')
  await came(round, 9, 'reply', at)
  world.clock.move(minute)
  await give(9, 'later')
  await world.call(routes.refuseAddress, { body: { address: 'person10@village.example', reason: 'asked us' } })

  await moveTo(fifthWorkingDay - hour)
  const [line] = (await roundOf(round)).chasers
  // Person 10 was set aside when they were put on the list.
  expect(line).toMatchObject({ unfit: 4, wantsWord: 2, states: { waiting: 11, setAside: 1 } })
  // What the writer says of it decides; the other is still open when the day has come.
  await world.call(routes.whose, { params: { response: stranger }, body: { of: 'no' } })
  await moveTo(fifthWorkingDay + minute)
  await untilGone(chaser)
  const was = await reasons(chaser)
  expect(
    Object.entries(was)
      .filter(([, [state]]) => state === 'sent')
      .map(([i]) => Number(i)),
  ).toEqual([1, 3, 6, 7, 9, 11])
  expect(was[0]).toEqual(['setAside', 'No chaser to this person: They have answered, Thu 5 Nov 10:00.'])
  expect(was[2][1]).toContain('Their letter came back, ')
  expect(was[4][1]).toContain('They have opted out, ')
  expect(was[8][1]).toContain('the outcome word “coming”')
  expect(was[10][1]).toContain('On the do-not-write list: asked us')
  expect(was[5]).toEqual([
    'waiting',
    'No chaser to this person: It waits: what may be their answer lies in the in-tray. Say there whether it is.',
  ])
  // Two days later it turns out to be nobody's answer.
  await moveTo(fifthWorkingDay + 48 * hour)
  await world.call(routes.whose, { params: { response: perhaps }, body: { of: 'no' } })
  await moveTo(world.clock.now() + minute)
  await untilGone(chaser)
  expect((await reasons(chaser))[5][0]).toBe('sent')
})

test('a mailbox that cannot be read has its chasers wait, and says so; when it can be read, those go who should', async () => {
  const { round, chaser } = await gone(3)
  const [mailbox] = await world.call(routes.mailboxes)
  await settings({ imap: { ...mailbox.imap!, port: 1 }, password: 'practice' })
  await answer(0, { unread: true })
  await moveTo(fifthWorkingDay + minute / 2)
  await moveTo(fifthWorkingDay + 5.5 * minute)
  expect(await states(chaser)).toMatchObject({ waiting: 3, sent: 0 })
  const { late } = await roundOf(chaser)
  expect(late?.why).toMatch(/^Chasers wait, for it cannot be known who has answered. Answers could not be read: /)
  expect((await linesOf(chaser))[0].reason).toBe(late?.why)
  expect((await mailTo(1)).length).toBe(1)
  // Other letters of the mailbox leave meanwhile.
  const other = await world.round(csv(1), { ...letter, subject: 'Another' })
  await world.call(routes.post, { params: { round: other.id }, body: { messages: 1 } })
  await untilGone(other.id)
  expect(await states(other.id)).toMatchObject({ sent: 1 })
  // A week later it is there again.
  await moveTo(fifthWorkingDay + 7 * 24 * hour)
  await settings({ imap: mailbox.imap, password: 'practice' })
  await moveTo(world.clock.now() + 6 * minute)
  await untilGone(chaser)
  expect(await states(chaser)).toMatchObject({ sent: 2, setAside: 1 })
  expect((await reasons(chaser))[0][1]).toContain('They have answered')
  expect(round).toBeGreaterThan(0)
})

test('a chaser is made of the row as it is when it leaves; what the proof then finds holds it, in words', async () => {
  const { round, chaser } = await gone(4)
  const { list } = await roundOf(round)
  const rows = await world.rows(list!.id)
  const [name, email] = list!.columns.map((c) => c.id)
  await world.edit(list!.id, {
    do: 'cells',
    cells: [
      [rows[0].id, name, 'Persis'],
      [rows[1].id, email, 'person4@village.example'],
      [rows[2].id, email, 'no address at all'],
    ],
  })
  await world.edit(list!.id, { do: 'deleteRows', rows: [rows[3].id] })
  await moveTo(fifthWorkingDay + minute)
  await untilGone(chaser, 3)
  const held = await roundOf(chaser)
  expect(held.heldWhy).toMatch(
    /^The chaser holds itself: as the list is now, the proof has something to settle. .*no address at all/,
  )
  expect(held.states).toMatchObject({ sent: 0, setAside: 1, waiting: 3 })
  expect((await reasons(chaser))[3][1]).toContain('Their row is not in the list any more.')
  await world.edit(list!.id, { do: 'cells', cells: [[rows[2].id, email, 'person2@village.example']] })
  await world.call(routes.carryOn, { params: { round: chaser } })
  await untilGone(chaser)
  expect(await states(chaser)).toMatchObject({ sent: 3 })
  const [, toFirst] = await mailTo(0)
  expect(toFirst.text).toContain('Dear Persis')
  // In the thread of what they had, under the subject that they had.
  expect(toFirst.subject).toBe('Re: Your berth, Person 0')
  expect(await mailTo(1)).toHaveLength(1)
  const moved = await world.inboxOf('person4@village.example')
  expect((await simpleParser(moved[0])).inReplyTo).toBe((await mailTo(1))[0].messageId)
})

test('made of the row as it was posted, nothing of the list reaches it', async () => {
  const own = { subject: 'Once more', html: '<p>Dear {{Name}}</p>' }
  const { round, chaser } = await gone(1, { asPosted: true, thread: false, quote: false }, own)
  const { list } = await roundOf(round)
  const [row] = await world.rows(list!.id)
  await world.edit(list!.id, { do: 'cells', cells: [[row.id, list!.columns[0].id, 'Persis']] })
  await moveTo(fifthWorkingDay + minute)
  await untilGone(chaser)
  const [, mail] = await mailTo(0)
  expect([mail.subject, mail.text?.trim()]).toEqual(['Once more', 'Dear Person 0'])
  expect([mail.inReplyTo, mail.references, mail.text?.includes('wrote:')]).toEqual([undefined, undefined, false])
})

test('the statement that claims takes no chaser of whom anything has come since it was looked at', async () => {
  const { round, chaser } = await gone(3)
  const { db, dispatcher } = world.handPost.parts
  const [{ id: mailbox }] = await world.call(routes.mailboxes)
  await world.call(routes.hold, { params: { round: chaser } })
  // Nobody else looks at them meanwhile.
  await dispatcher.close()
  world.clock.move(fifthWorkingDay + minute - world.clock.now())
  const now = world.clock.now()
  // As they stand in the moment between being looked at and being claimed.
  await db.query('UPDATE rounds SET held = false WHERE id = $1', [chaser])
  await db.query('UPDATE messages SET planned_at = $2, judged_at = $2 WHERE round_id = $1', [chaser, now])
  const claim = async () => {
    const claimed = await claimDue(db, mailbox, now, [{ since: 0, most: 1000, by: 'day' }], 100, null)
    await db.query(`UPDATE messages SET state = 'waiting' WHERE round_id = $1 AND state = 'sending'`, [chaser])
    return claimed.map((one) => one.contents.to.name).sort()
  }
  const all = ['Person 0', 'Person 1', 'Person 2']
  expect(await claim()).toEqual(all)
  const response = await came(round, 0, 'reply', now)
  expect(await claim()).toEqual(['Person 1', 'Person 2'])
  await db.query('UPDATE messages SET judged_at = $2 WHERE round_id = $1', [chaser, now])
  expect(await claim()).toEqual(all)
  // Taken back it is news, too; so is a file, and a word of the writer.
  await db.query('DELETE FROM responses WHERE id = $1', [response])
  expect(await claim()).toEqual(['Person 1', 'Person 2'])
  const other = await came(round, 1, 'bounce', now, { of: 'copy' })
  expect(await claim()).toEqual(['Person 2'])
  await db.query('UPDATE messages SET judged_at = $2 WHERE round_id = $1', [chaser, now])
  await db.query(
    `INSERT INTO returned_files (response_id, position, name, size, type) VALUES ($1, 0, 'a.pdf', 1, 'application/pdf')`,
    [other],
  )
  const [{ rowId }] = (await linesOf(round)).filter((m) => m.person === 'Person 2')
  await world.call(routes.setOutcomeWords, { params: { round }, body: { words: ['coming'] } })
  await world.call(routes.giveWords, { params: { round }, body: { given: [{ row: rowId, word: 'coming' }] } })
  expect(await claim()).toEqual(['Person 0'])
  // What was looked at long ago was not looked at, and what is being looked at is not yet.
  for (const judged of [now - clearedFor, -now, null]) {
    await db.query('UPDATE messages SET judged_at = $2 WHERE round_id = $1', [chaser, judged])
    expect(await claim(), String(judged)).toEqual([])
  }
})

test('late-comers are chased too, a new address gets both letters, and what was withdrawn or amended is followed', async () => {
  const { round, chaser } = await gone(4)
  const { list } = await roundOf(round)
  const [name, email] = list!.columns.map((c) => c.id)
  const rows = await world.rows(list!.id)
  // Somebody comes late; the letter of another came back, and goes to a new address.
  await world.edit(list!.id, {
    do: 'addRows',
    rows: [{ [name]: 'Late', [email]: 'person4@village.example' }],
  })
  await came(round, 3, 'bounce', world.clock.now(), { details: { status: '5.1.1' } })
  await world.edit(list!.id, { do: 'cells', cells: [[rows[3].id, email, 'person2+new@village.example']] })
  world.clock.move(24 * hour)
  await world.call(routes.topUp, { params: { round }, body: { messages: 1 } })
  await world.call(routes.sendToNew, { params: { round, row: rows[3].id } })
  await untilGone(round)
  const lines = await linesOf(chaser)
  expect(lines.map((m) => [m.person, m.state, m.address])).toEqual([
    ['Person 0', 'waiting', 'person0@village.example'],
    ['Person 1', 'waiting', 'person1@village.example'],
    ['Person 2', 'waiting', 'person2@village.example'],
    ['Person 3', 'waiting', 'person2+new@village.example'],
    ['Late', 'waiting', 'person4@village.example'],
  ])
  await moveTo(world.clock.now() + 1000)
  // Each of these two letters left a day later, so its chaser does.
  const day = (at: number | null) => at && wall(at).toPlainDate().toString()
  expect((await linesOf(chaser)).map((m) => day(m.plannedAt))).toEqual([
    '2026-11-12',
    '2026-11-12',
    '2026-11-12',
    '2026-11-13',
    '2026-11-13',
  ])
  // The chaser itself is amended while it waits.
  await world.call(routes.beginAmending, { params: { round: chaser } })
  await world.call(routes.changeRound, {
    params: { round: chaser },
    body: { letterHtml: { subject: 'Whatever', html: '<p>Dear {{Name}}, once more.</p>' } },
  })
  const amendment = await world.call(routes.amendment, { params: { round: chaser } })
  expect(amendment.letters).toBe(5)
  await world.call(routes.postAmendment, { params: { round: chaser }, body: { letters: 5, print: amendment.print } })
  await world.call(routes.withdrawLetter, { params: { message: lines[1].id } })
  await moveTo(fifthWorkingDay + minute / 2)
  await untilGone(chaser, 3)
  await moveTo(fifthWorkingDay + 24 * hour + minute / 2)
  await untilGone(chaser)
  expect(await states(chaser)).toMatchObject({ sent: 4, withdrawn: 1 })
  const [, second] = await mailTo(0)
  expect([second.subject, second.text?.startsWith('Dear Person 0, once more.')]).toEqual([
    'Re: Your berth, Person 0',
    true,
  ])
  expect((await mailTo(4)).map((mail) => mail.subject)).toEqual(['Your berth, Late', 'Re: Your berth, Late'])
})

test('where the chaser to late-comers has something to settle, their letters are posted all the same, and it is said', async () => {
  const { round, chaser } = await gone(2)
  // The chaser has a field more than the letter.
  await world.call(routes.beginAmending, { params: { round: chaser } })
  const { list } = await roundOf(round)
  const [name, email] = list!.columns.map((c) => c.id)
  await world.edit(list!.id, { do: 'addColumn', column: { name: 'Berth', kind: 'text' } })
  const berth = (await roundOf(round)).list!.columns.at(-1)!.id
  const rows = await world.rows(list!.id)
  await world.edit(list!.id, { do: 'cells', cells: rows.map((row): [number, string, string] => [row.id, berth, 'B1']) })
  await world.call(routes.changeRound, {
    params: { round: chaser },
    body: { letterHtml: { subject: '', html: '<p>Dear {{Name}}, of {{Berth}}.</p>' } },
  })
  const { print } = await world.call(routes.amendment, { params: { round: chaser } })
  await world.call(routes.postAmendment, { params: { round: chaser }, body: { letters: 2, print } })
  await world.edit(list!.id, { do: 'addRows', rows: [{ [name]: 'Late', [email]: 'person2@village.example' }] })
  const said = await refusal(world.call(routes.topUp, { params: { round }, body: { messages: 1 } }))
  expect(said).toBe(
    'The letters were posted; the proof of a chaser has something to settle. The chasers to those who came late were not posted; look at Proof first.',
  )
  await untilGone(round)
  expect([await states(round), await states(chaser)]).toMatchObject([{ sent: 3 }, { waiting: 2 }])
})

test('a letter that was never sent is not chased, and while it waits its chaser has the day after its own', async () => {
  await open(3, '2026-11-05T10:00:00Z', { perDay: 2, perMinute: 10_000 })
  const { round, chaser } = await withChaser(3, { body: { chaser: { after: { n: 2, of: 'days' } } } })
  await post(round.id)
  await moveTo(world.clock.now() + 1000)
  await moveTo(world.clock.now() + 1000)
  expect(await states(round.id)).toMatchObject({ sent: 2, waiting: 1 })
  const planned = async () =>
    (await linesOf(chaser.id)).map((m) => m.plannedAt && wall(m.plannedAt).toPlainDate().toString())
  // Two a day: the third leaves the day after, and both chasers of the first two fill the day that is two days later.
  expect(await planned()).toEqual(['2026-11-07', '2026-11-07', '2026-11-08'])
  await world.call(routes.withdraw, { params: { round: round.id } })
  await moveTo(world.clock.now() + 1000)
  expect((await reasons(chaser.id))[2]).toEqual([
    'setAside',
    'No chaser to this person: The letter that it follows was not sent.',
  ])
})

test('a letter begun on the board goes to those who were chosen, and of whom nothing has come since', async () => {
  const { round } = await gone(6)
  const chosen = (await linesOf(round)).slice(0, 4).map((m) => m.rowId)
  // What came before they were chosen does not matter, for the writer saw it.
  await came(round, 0, 'reply', world.clock.now())
  const begun = await world.call(routes.addChaser, { params: { round }, body: { rows: chosen } })
  expect(begun).toMatchObject({ chases: { id: round }, counts: { round: 4, notChased: 2 }, chaser: { after: null } })
  expect((await world.call(routes.leftOut, { params: { round: begun.id } })).map((one) => one.why)).toEqual([
    'not to be chased: they were not chosen for it',
    'not to be chased: they were not chosen for it',
  ])
  await came(round, 1, 'reply', world.clock.now())
  expect((await roundOf(begun.id)).counts.round).toBe(3)
  await world.call(routes.changeRound, {
    params: { round: begun.id },
    body: { dispatch: { perMinute: 1 } },
  })
  await post(begun.id)
  // Whoever was chosen, and had answered by then, has not come late to it.
  expect((await world.call(routes.people, { params: { round: begun.id } })).lateComers).toEqual([])
  await came(round, 2, 'optOut', world.clock.now())
  await untilGone(begun.id, 2)
  await moveTo(world.clock.now() + minute)
  await moveTo(world.clock.now() + minute)
  expect(await states(begun.id)).toMatchObject({ sent: 2, setAside: 1 })
  expect((await mailTo(0))[1].inReplyTo).toBe((await mailTo(0))[0].messageId)
  expect(await refusal(world.call(routes.deleteRound, { params: { round: begun.id } }))).toContain('is posted')
})

test('a file of the chaser that is not on the disk as it was holds it, and no other letter of the mailbox', async () => {
  await open(2, '2026-11-05T10:00:00Z', { perDay: 10_000, perMinute: 10_000 })
  const { round, chaser } = await withChaser(1)
  await world.call(routes.addFile, {
    params: { round: chaser.id },
    query: { name: 'rules.txt', role: 'common' },
    file: Buffer.from('The rules of the harbour.'),
  })
  await world.call(routes.proof, { params: { round: chaser.id }, query: { wait: 'yes' } })
  await post(round.id)
  await untilGone(round.id)
  const [{ hash }] = (await roundOf(chaser.id)).files
  await writeFile((world.handPost.parts.files as unknown as { path: (hash: string) => string }).path(hash), 'Others.')
  const other = await world.round(csv(1), { ...letter, subject: 'Another' }, { dispatch: { startAt: fifthWorkingDay } })
  await world.call(routes.post, { params: { round: other.id }, body: { messages: 1 } })
  await moveTo(fifthWorkingDay + minute / 2)
  await untilGone(other.id)
  expect(await states(other.id)).toMatchObject({ sent: 1 })
  expect(await roundOf(chaser.id)).toMatchObject({
    held: true,
    heldWhy: expect.stringContaining('“rules.txt” is not on the disk as it was when it was added.'),
    states: { waiting: 1, sent: 0 },
  })
})

test('whoever is late has no two chasers on one day', async () => {
  await open(2, '2026-11-05T10:00:00Z', { perDay: 10_000, perMinute: 10_000 })
  const { round, chaser } = await withChaser(2)
  const second = await world.call(routes.addChaser, { params: { round: round.id }, body: {} })
  expect(second.chaser?.after).toEqual({ n: 10, of: 'workingDays' })
  await post(round.id)
  await untilGone(round.id)
  await world.call(routes.hold, { params: { round: chaser.id } })
  // Held for longer than until the second is due: 19 November, a Thursday.
  const tenth = Date.parse('2026-11-19T10:00:00Z')
  await moveTo(tenth - minute)
  await world.call(routes.carryOn, { params: { round: chaser.id } })
  await untilGone(chaser.id)
  await moveTo(tenth + minute / 2)
  await untilGone(second.id, 3)
  expect([await states(chaser.id), await states(second.id)]).toMatchObject([{ sent: 2 }, { sent: 0, waiting: 2 }])
  expect((await linesOf(second.id))[0].reason).toBe(
    'Another letter of this round went to them today, so this one waits until Fri 20 Nov 10:00.',
  )
  await moveTo(tenth + 24 * hour + minute)
  await untilGone(second.id)
  expect(await states(second.id)).toMatchObject({ sent: 2 })
})
