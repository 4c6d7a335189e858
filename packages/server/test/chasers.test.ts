import { routes } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { type ParsedMail, simpleParser } from 'mailparser'
import { afterEach, expect, test } from 'vitest'
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
  for (let i = 0; i < seconds && (await states(round)).waiting > 0; i++) await moveTo(world.clock.now() + 1000)
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
  await untilGone(chaser.id)
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
  await settings({ imap: null })
  expect(await add({})).toContain('no IMAP host')
})

void hour
