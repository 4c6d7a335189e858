import { existsSync } from 'node:fs'
import { readdir, utimes } from 'node:fs/promises'
import { join } from 'node:path'
import { addressOf, routes } from '@hand-post/contract'
import { unzipSync } from 'fflate'
import { simpleParser } from 'mailparser'
import Papa from 'papaparse'
import { afterEach, expect, test } from 'vitest'
import { closeWorld, csv, moveTo, open, refusal, states, world } from './lived.ts'
import { tinyPdf } from './tinyPdf.ts'
import { hour, minute } from './world.ts'

afterEach(closeWorld)

const day = 24 * hour
const stand = (round: number) => world.call(routes.forgetting, { params: { round } })
const setMonths = (round: number, months: number | null) =>
  world.call(routes.setForgetting, { params: { round }, body: { months } })
const forget = (round: number) => world.call(routes.forgetNow, { params: { round }, body: { sure: true } })
const roundOf = (round: number) => world.call(routes.round, { params: { round } })
const inbox = async (n: number) =>
  simpleParser((await world.inboxOf(`person${n}@village.example`))[0], { skipImageLinks: true })
const answer = async (n: number, more: object) =>
  world.arrive({
    from: `person${n}@village.example`,
    subject: 'Re: Your berth',
    inReplyTo: (await inbox(n)).messageId,
    ...more,
  })
const settle = async () => {
  const { lines } = await world.call(routes.inTray)
  await world.call(routes.markTray, { body: { marks: lines.map(({ id }) => ({ response: id, done: true })) } })
}
/** Every row of every table, as text. */
async function everything(): Promise<string> {
  const { db } = world.handPost.parts
  const tables = await db.query<{ name: string }>(
    `SELECT quote_ident(table_name) AS name FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE'`,
  )
  const all: string[] = []
  for (const { name } of tables) {
    const rows = await db.query<{ row: string }>(`SELECT to_jsonb(x)::text AS row FROM ${name} x`)
    all.push(...rows.map(({ row }) => `${name} ${row}`))
  }
  return all.join('\n')
}
/** Contents on the disk, as if they had lain there for a while. */
async function contents(): Promise<string[]> {
  const folder = join(world.folder, 'data', 'files')
  const all: string[] = []
  for (const part of await readdir(folder))
    for (const hash of await readdir(join(folder, part)).catch(() => [])) {
      all.push(hash)
      await utimes(join(folder, part, hash), 1, 1)
    }
  return all
}

const letter = {
  subject: 'Your berth, {{Name}}',
  html: '<p>Dear {{Name}}</p><p>See <a href="https://quay.example/berths">the berths</a>.</p>',
}
async function postedTo(n: number, more: object = {}) {
  const round = await world.round(csv(n), letter, {
    title: 'Berths',
    dispatch: { perMinute: 1000, brake: null },
    tracking: { opens: true, clicks: true, receipts: true, optOut: true },
    ...more,
  })
  await world.call(routes.post, { params: { round: round.id }, body: { messages: n } })
  await moveTo(world.clock.now() + minute)
  expect(await states(round.id)).toMatchObject({ sent: n })
  return round.id
}

test('of what a round keeps of people nothing is left anywhere but what is said to stay; counts, charts and shares are as they were', async () => {
  await open(6, '2026-11-12T09:00:00Z')
  const round = await postedTo(6)
  await world.call(routes.setOutcomeWords, { params: { round }, body: { words: ['coming'] } })
  const theirs = tinyPdf('A form that somebody signed')
  const known = tinyPdf('A form that lies in another round too')
  const other = await world.round(csv(1), letter, { title: 'Another' })
  await world.call(routes.addFile, {
    params: { round: other.id },
    query: { name: 'known.pdf', role: 'common' },
    file: known,
  })

  world.clock.move(hour)
  const link = (html: string, kind: string) => new RegExp(`"(http[^"]+/${kind}/[^"]+)"`).exec(html)![1]
  const agent = {
    headers: { 'user-agent': 'Gullmail/3.1 (X11; Linux x86_64)' },
  }
  const first = (await inbox(0)).html as string
  expect((await fetch(link(first, 'p'), agent)).status).toBe(200)
  world.clock.move(minute)
  expect((await fetch(link(first, 'l'), { ...agent, redirect: 'manual' })).status).toBe(302)
  await answer(1, {
    text: 'A walrus is what I said.',
    attachments: [
      { filename: 'ocelot.pdf', content: theirs },
      { filename: 'back.pdf', content: known },
    ],
  })
  await answer(2, { from: 'someone.else@gannet.example', text: 'I answer for another, says the heron.' })
  await answer(3, {
    text: 'I am away until 3 December, says the lynx.',
    headers: { 'Auto-Submitted': 'auto-replied' },
  })
  await world.call(routes.giveWords, { params: { round }, body: { given: [{ row: 2, word: 'coming' }] } })
  const { lines } = await world.call(routes.inTray)
  const walrus = lines.find(({ person }) => person === 'Person 1')!
  await world.call(routes.sendAnswer, {
    params: { response: walrus.id },
    body: { askedAs: 'a'.repeat(22), words: 'Thank you for the marmot.', quote: true, files: [] },
  })
  await world.pass(minute)

  expect(await stand(round)).toMatchObject({
    opened: 1,
    answers: 3,
    files: 2,
    forgottenAt: null,
    months: null,
    at: null,
  })
  expect((await stand(round)).waits).toEqual([
    expect.stringMatching(/^\d entr(y|ies) of it in the in-tray (is|are) not done yet, or put by\.$/),
  ])
  expect(await refusal(forget(round))).toMatch(/cannot be forgotten yet\. .* in the in-tray.* Nothing was forgotten\./)
  await settle()
  const secrets = /walrus|heron|lynx|marmot|ocelot|gannet|Gullmail|quay\.example\/berths","letters/
  expect(await everything()).toMatch(secrets)
  const before = await world.board(round)
  const seen = await world.call(routes.boardSeen, { params: { round } })
  const charts = await world.call(routes.boardCharts, { params: { round } })
  expect(before.counts).toMatchObject({ opened: 1, clicked: 1, replied: 2, automatic: 1 })
  expect(seen.programs).toEqual([{ program: 'Gullmail', letters: 1 }])
  const had = await contents()

  // Of whoever opened a letter that its host reported as delivered, that is what is left.
  const { db } = world.handPost.parts
  const [{ id: opened }] = await db.query<{ id: number }>(
    'SELECT id FROM messages WHERE round_id = $1 AND row_id = 1',
    [round],
  )
  await db.query(`INSERT INTO responses (message_id, kind, at) VALUES ($1, 'delivered', $2)`, [
    opened,
    world.clock.now(),
  ])

  world.clock.move(day)
  expect(await forget(round)).toMatchObject({ opened: 0, answers: 0, files: 0, forgottenAt: world.clock.now() })
  // Links of what was sent, and where one program's name stands among counts, are no words of anybody.
  const left = (await everything())
    .split('\n')
    .filter((row) => !row.startsWith('kept_boards ') && !row.startsWith('file_facts '))
  expect(left.filter((row) => /walrus|heron|lynx|marmot|ocelot|gannet|Gullmail/.test(row))).toEqual([])
  expect((await everything()).split('\n').filter((row) => /walrus|heron|lynx|marmot|ocelot|gannet/.test(row))).toEqual(
    [],
  )
  const has = await contents()
  expect(had.filter((hash) => !has.includes(hash))).toHaveLength(1)
  expect((await roundOf(other.id)).files).toMatchObject([{ name: 'known.pdf' }])
  expect(existsSync(join(world.folder, 'data', 'files', had[0].slice(0, 2), had[0]))).toBe(has.includes(had[0]))

  const after = await world.board(round)
  expect({ ...after.counts, forgotten: after.forgotten }).toEqual({ ...before.counts, forgotten: true })
  expect(await world.call(routes.boardSeen, { params: { round } })).toEqual(seen)
  expect(await world.call(routes.boardCharts, { params: { round } })).toEqual({
    ...charts,
    compared: expect.anything(),
  })
  const lineOf = async (row: number) =>
    (await world.call(routes.heardFrom, { params: { round, row } })).letters.map(
      ({ outcome, word, said, responses, returned }) => ({
        outcome,
        word,
        said,
        returned,
        came: responses.map(({ kind, words, from, forgotten }) => ({ kind, words, from, forgotten })),
      }),
    )
  expect(await lineOf(1)).toMatchObject([
    { outcome: 'delivered', word: null, said: '', returned: [], came: [{ kind: 'delivered' }] },
  ])
  expect(await lineOf(6)).toEqual([{ outcome: 'sent', word: null, said: '', returned: [], came: [] }])
  expect(await lineOf(2)).toEqual([
    {
      outcome: 'replied',
      word: 'coming',
      said: '',
      returned: [],
      came: [{ kind: 'reply', words: '', from: '', forgotten: true }],
    },
  ])
  expect(await lineOf(4)).toMatchObject([{ outcome: 'automatic', said: '' }])
  const { rounds } = await world.call(routes.person, { query: { address: 'person1@village.example' } })
  expect(rounds.flatMap(({ responses }) => responses)).toMatchObject([{ kind: 'reply', words: '', forgotten: true }])
  for (const pick of ['opened', 'clicked'] as const)
    expect((await world.call(routes.boardLines, { params: { round }, query: { pick } })).lines).toEqual([])
  for (const show of ['open', 'putBy', 'done'] as const)
    expect((await world.call(routes.inTray, { query: { show } })).lines).toEqual([])

  expect((await world.call(routes.outcomeSheetAbout, { params: { round } })).said).toEqual(
    expect.arrayContaining([expect.stringMatching(/^What was kept of people is forgotten/)]),
  )

  // It is ended for good: nothing is added to what is left, but whoever opts out is heeded.
  expect((await roundOf(round)).endedAt).toBe(world.clock.now())
  expect(await refusal(world.call(routes.endRound, { params: { round }, body: { ended: false } }))).toMatch(
    /stays ended/,
  )
  expect(await refusal(setMonths(round, 3))).toMatch(/forgotten already/)
  await answer(5, { text: 'Too late, says the newt.' })
  expect((await fetch(link((await inbox(5)).html as string, 'p'), agent)).status).toBe(200)
  await world.handPost.parts.fetches.flush()
  const optOut = /https?:[^\s<>"]+\/o\/[^\s<>"]+/.exec((await inbox(5)).text!)![0]
  expect((await fetch(optOut, { method: 'POST' })).status).toBe(200)
  expect((await world.call(routes.doNotWrite)).map(({ address }) => address)).toEqual(['person5@village.example'])
  expect((await world.board(round)).counts).toEqual(before.counts)
  expect(await everything()).not.toMatch(/newt/)
  // Forgetting once more changes nothing.
  expect(await forget(round)).toMatchObject({ forgottenAt: world.clock.now() })
  await world.restart()
  expect((await world.board(round)).counts).toEqual(before.counts)

  // The record says that it was done; the archive says of which message the words are gone, and has all others as they were sent.
  const record = await world.call(routes.makePostingRecord, { params: { round } })
  expect(record.end).not.toBeNull()
  const { archive } = await world.call(routes.makeArchive, { params: { round }, body: { as: 'zip', answers: true } })
  const zip = unzipSync(
    new Uint8Array(
      await (
        await fetch(`${world.handPost.address}${addressOf(routes.archive, { params: { archive } })}`)
      ).arrayBuffer(),
    ),
  )
  const files = Object.entries(zip).map(([name, bytes]) => `${name} ${Buffer.from(bytes)}`)
  expect(files.filter((file) => /walrus|heron|marmot/.test(file))).toEqual([])
  const list = Object.entries(zip).find(([name]) => name.endsWith('.csv'))![1]
  const { data } = Papa.parse<Record<string, string>>(Buffer.from(list).toString(), {
    header: true,
    skipEmptyLines: true,
  })
  expect(data.filter((line) => line['To be known'] !== '').map((line) => line['To be known'])).toEqual([
    expect.stringMatching(/forgotten/),
  ])
})

test('it is forgotten when its time has come, and not before what is open is done', async () => {
  await open(2, '2026-11-30T09:00:00Z')
  const round = await postedTo(2)
  const sent = world.clock.now()
  await setMonths(round, 3)
  // 30 November and three months: the last day of February.
  expect((await stand(round)).at).toBe(Date.parse('2027-02-28T09:00:00Z') + (sent - Date.parse('2026-11-30T09:00:00Z')))
  await answer(0, { text: 'May I have a walrus?' })
  const due = async () => {
    await world.handPost.parts.forgetPeople.forgetDue()
    return (await roundOf(round)).forgottenAt
  }
  world.clock.move(60 * day)
  await settle()
  expect(await due()).toBeNull()
  await answer(1, { text: 'And I?' })
  world.clock.move(40 * day)
  expect(await due()).toBeNull()
  expect(await everything()).toMatch(/walrus/)
  const [line] = (await world.call(routes.inTray)).lines
  // What is put by is not done.
  await world.call(routes.markTray, {
    body: { marks: [{ response: line.id, back: { at: world.clock.now() + day, when: null } }] },
  })
  expect(await due()).toBeNull()
  await world.call(routes.markTray, { body: { marks: [{ response: line.id, done: true, back: null }] } })
  expect(await due()).toBe(world.clock.now())
  expect(await everything()).not.toMatch(/walrus/)
  expect((await world.board(round)).counts).toMatchObject({ replied: 2 })
})

test('a round that is not finished, not posted, or a chaser forgets nothing; the time that was set goes with the next one', async () => {
  await open(2, '2026-11-12T09:00:00Z')
  const draft = await world.round(csv(2), letter)
  expect(await refusal(stand(draft.id))).toMatch(/not posted yet/)
  await world.call(routes.changeRound, {
    params: { round: draft.id },
    body: { dispatch: { perMinute: 1000, startAt: world.clock.now() + hour } },
  })
  await world.call(routes.addChaser, { params: { round: draft.id } })
  const word = await world.call(routes.lastWord, { params: { round: draft.id } })
  await world.call(routes.post, { params: { round: draft.id }, body: { messages: 2, print: word.print } })
  expect(await refusal(forget(draft.id))).toMatch(/letters are still to leave/)
  const [chaser] = (await roundOf(draft.id)).chasers
  expect(await refusal(forget(chaser.id))).toMatch(/is a chaser/)
  await setMonths(draft.id, 24)
  expect(await stand(draft.id)).toMatchObject({ months: 24, at: null })
  const { round: next } = await world.call(routes.beginNextTime, {
    params: { round: draft.id },
    body: { title: 'The next', days: [] },
  })
  expect((await roundOf(next)).forgetAfter).toBe(24)
  await setMonths(draft.id, null)
  expect((await roundOf(draft.id)).forgetAfter).toBeNull()
})
