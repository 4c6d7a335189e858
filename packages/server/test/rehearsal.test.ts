import { createHash } from 'node:crypto'
import { ProblemError, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterEach, expect, test, vi } from 'vitest'
import type { z } from 'zod'
import { tinyPdf } from './tinyPdf.ts'
import { hour, minute, office, peopleCsv, World } from './world.ts'

let world: World
afterEach(() => world?.close())

/**
 * Every row of every table but those that a rehearsal is kept in, so that whatever else changes is seen; and but those in which processes on a
 * server say every few seconds that they live.
 */
async function everything(): Promise<Record<string, unknown>> {
  const { db } = world.handPost.parts
  const tables = await db.query<{ name: string }>(
    "SELECT tablename AS name FROM pg_tables WHERE schemaname = 'public' AND tablename NOT IN ('rehearsals', 'rehearsed', 'processes', 'leases') ORDER BY 1",
  )
  expect(tables.length).toBeGreaterThan(20)
  const out: Record<string, unknown> = {}
  for (const { name } of tables) {
    const [{ print }] = await db.query<{ print: string }>(
      `SELECT md5(coalesce(string_agg(t::text, '|' ORDER BY t::text), '')) AS print FROM ${name} t`,
    )
    out[name] = print
  }
  return out
}

/** What its reader sees of a message, by a parser that is not ours (mailparser). */
async function seen(raw: Buffer | string) {
  const mail = await simpleParser(raw)
  return {
    from: mail.from?.text,
    to: [mail.to ?? []].flat().map((a) => a.text),
    cc: [mail.cc ?? []].flat().map((a) => a.text),
    replyTo: mail.replyTo?.text,
    subject: mail.subject,
    // The round's own links and its picture have a name of the message in them.
    html: String(mail.html).replace(/\/[plo]\/[\w.-]+/g, '/…'),
    text: mail.text?.replace(/\/[plo]\/[\w.-]+/g, '/…'),
    files: mail.attachments.map((a) => [a.filename, createHash('sha256').update(a.content).digest('hex')]),
    headers: [...mail.headers.keys()].sort(),
  }
}

test('a rehearsal shows everybody what posting then sends them, at its times, and changes nothing else', async () => {
  world = await World.open({
    manners: { 'person2@village.example': { refused: true, opensAfter: 1, repliesAfter: 1 } },
  })
  const round = await world.round(
    peopleCsv(6),
    {
      subject: 'Berth {{Berth}}, Zoë',
      html: '<p>Dear {{Name}}</p><p><a href="https://harbour.example/rules">Rules</a></p>',
    },
    {
      cc: ['harbourmaster@brindlequay.example'],
      bcc: ['files@brindlequay.example'],
      tracking: { opens: true, clicks: true, optOut: true },
      dispatch: { startAt: world.clock.now() + hour, perMinute: 1 },
    },
  )
  const params = { round: round.id }
  for (let i = 0; i < 6; i++)
    await world.call(routes.addFile, {
      params,
      query: { name: `permit-${i}.pdf`, role: 'own' },
      file: tinyPdf(`Permit of Person ${i}`),
    })
  expect(await world.call(routes.rehearsal, { params })).toBeNull()
  await world.call(routes.proof, { params, query: { wait: 'yes' } })
  const before = await everything()
  const mailboxes = await world.call(routes.mailboxes)

  const said = await world.call(routes.rehearse, { params })
  expect(said).toMatchObject({ messages: 6, taken: 6, refused: [], changed: false })
  const table = await world.call(routes.timetable, { params })
  expect([said.first, said.last]).toEqual([table.departures[0].at, table.departures.at(-1)!.at])
  expect(said.inboxes.map((i) => [i.address, i.messages])).toEqual([
    ...[0, 1, 2, 3, 4, 5].map((i) => [`person${i}@village.example`, 1]),
    ['harbourmaster@brindlequay.example', 6],
    ['files@brindlequay.example', 6],
  ])

  // Nobody answers, nothing is filed, nothing is counted: the time may pass as it will.
  await world.pass(4 * hour, 8)
  expect(await everything()).toEqual(before)
  expect(await world.call(routes.mailboxes)).toEqual(mailboxes)
  expect(await world.sent()).toEqual([])
  expect(await world.inboxOf(office)).toEqual([])
  for (const { address } of said.inboxes) expect(await world.inboxOf(address)).toEqual([])

  // Its picture and links lead to no message: looking at it counts for nobody.
  const ask = { address: 'person3@village.example' }
  const [line] = await world.call(routes.rehearsedInbox, { params, query: ask })
  expect(line).toMatchObject({
    subject: 'Berth B003, Zoë',
    withFiles: true,
    at: table.departures.find((d) => d.rowId === 4)!.at,
  })
  const query = { ...ask, uid: line.uid }
  const source = await world.call(routes.rehearsedSource, { params, query })
  expect(line.size).toBe(source.length)
  const own = source.replace(/=\r\n/g, '').match(new RegExp(`${world.handPost.publicUrl}/[pl]/[\\w.-]+`, 'g'))!
  expect(own.length).toBeGreaterThanOrEqual(2)
  for (const url of own) await fetch(url, { redirect: 'manual' })
  // What was fetched is written once a second; only after that can it be said that it counted for nobody.
  await world.handPost.parts.fetches.flush()
  expect(await everything()).toEqual(before)

  // As it is read here, so an independent parser reads it; its file comes out as it went in.
  const received = await world.call(routes.rehearsedMessage, { params, query })
  const other = await simpleParser(source)
  expect({ ...received, html: received.html.trimEnd() }).toMatchObject({
    to: 'Person 3 <person3@village.example>',
    cc: ['harbourmaster@brindlequay.example'],
    subject: other.subject,
    html: other.html,
    files: [{ name: 'permit-3.pdf', size: tinyPdf('Permit of Person 3').length }],
  })
  const { part } = received.files[0]
  const file = await fetch(
    `${world.handPost.address}/api/rounds/${round.id}/rehearsal/file?address=person3%40village.example&uid=${line.uid}&part=${part}`,
  )
  expect(Buffer.from(await file.arrayBuffer()).equals(Buffer.from(tinyPdf('Permit of Person 3')))).toBe(true)

  // What was rehearsed is what is sent, but for the names of the messages.
  const rehearsed = new Map<string, unknown>()
  for (const { address } of said.inboxes.slice(0, 6)) {
    const [{ uid }] = await world.call(routes.rehearsedInbox, { params, query: { address } })
    rehearsed.set(address, await seen(await world.call(routes.rehearsedSource, { params, query: { address, uid } })))
  }
  await world.call(routes.post, { params, body: { messages: 6 } })
  await world.pass(20 * minute, 20)
  for (const i of [0, 1, 3, 4, 5]) {
    const [raw] = await world.inboxOf(`person${i}@village.example`)
    expect(await seen(raw)).toEqual(rehearsed.get(`person${i}@village.example`))
  }

  await world.call(routes.clearRehearsal, { params })
  expect(await world.call(routes.rehearsal, { params })).toBeNull()
  await expect(world.call(routes.rehearsedInbox, { params, query: ask })).rejects.toMatchObject({
    problem: { status: 404 },
  })
  await expect(world.call(routes.rehearse, { params })).rejects.toThrow(/posted/)
}, 120_000)

test('what could not leave is said of each; a change of the round is seen; broken off, nothing is kept', async () => {
  world = await World.open()
  const csv = `${peopleCsv(4)}\n`
    .replace('person1@village.example', '')
    .replace('person2@village.example', 'person2 at village')
  const round = await world.round(
    csv,
    { subject: 'Rehearsed', html: '<p>Dear {{Name}}</p>' },
    { addressColumn: 'c2', filesColumn: null },
  )
  const params = { round: round.id }
  const said = await world.call(routes.rehearse, { params })
  expect(said.taken).toBe(2)
  expect(said.refused.map((r) => [r.person, /no address|will not do/.test(r.answer)])).toEqual([
    ['Person 1', true],
    ['Person 2', true],
  ])
  await world.call(routes.setAside, { params: { ...params, row: 2 }, body: { reason: 'no address' } })
  expect(await world.call(routes.rehearsal, { params })).toMatchObject({ changed: true, taken: 2 })
  await world.call(routes.takeBack, { params: { ...params, row: 2 } })
  expect(await world.call(routes.rehearsal, { params })).toMatchObject({ changed: false })
  await world.call(routes.changeRound, { params, body: { title: 'Another title' } })
  expect(await world.call(routes.rehearsal, { params })).toMatchObject({ changed: false })
  await world.edit(round.list!.id, { do: 'cells', cells: [[1, 'c1', 'Somebody']] })
  expect(await world.call(routes.rehearsal, { params })).toMatchObject({ changed: true })

  // What is changed while a rehearsal goes on is a change since: what was made was made of before.
  let meanwhile: Promise<unknown> | null = null
  const ended = world.handPost.parts.subscribe(({ topic }) => {
    if (topic === 'progress')
      meanwhile ??= world.edit(round.list!.id, { do: 'cells', cells: [[1, 'c1', 'Somebody new']] })
  })
  await world.call(routes.rehearse, { params })
  ended()
  await meanwhile
  expect(await world.call(routes.rehearsal, { params })).toMatchObject({ changed: true })

  // While one is under way it cannot be cleared away: what is said of it would not be there.
  let clearing: Promise<unknown> | null = null
  const heard = world.handPost.parts.subscribe(({ topic }) => {
    if (topic === 'progress')
      clearing ??= world.call(routes.clearRehearsal, { params }).then(
        () => 'cleared',
        (error) => error.message,
      )
  })
  await world.call(routes.rehearse, { params })
  heard()
  expect(await clearing).toMatch(/under way/)

  // A day that goes by is a change where the letter reckons from it, and only there.
  const passage = (comparison: string, value: string): z.input<typeof routes.changeRound.body> => ({
    letter: {
      subject: 'Rehearsed',
      body: {
        type: 'doc',
        content: [
          {
            type: 'passage',
            attrs: { selection: { match: 'all', rules: [{ column: 'Due', comparison, value } as never] } },
            content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Soon.' }] }],
          },
          { type: 'paragraph', content: [{ type: 'text', text: 'Words' }] },
        ],
      },
    },
  })
  const due = await world.round(
    'Name,Email,Due\r\nAda,ada@village.example,03/11/2026\r\nBo,bo@village.example,25/12/2026',
    {
      subject: '',
      html: '',
    },
  )
  for (const [comparison, value, changed] of [
    ['after', '01/11/2026', false],
    ['inNextDays', '1', true],
  ] as const) {
    await world.call(routes.changeRound, { params: { round: due.id }, body: passage(comparison, value) })
    await world.call(routes.rehearse, { params: { round: due.id } })
    expect(await world.call(routes.rehearsal, { params: { round: due.id } })).toMatchObject({
      taken: 2,
      changed: false,
    })
    world.clock.move(24 * hour)
    expect(await world.call(routes.rehearsal, { params: { round: due.id } })).toMatchObject({ changed })
  }

  // Again: the rehearsal of before goes, and each inbox holds one message, not two.
  await world.call(routes.rehearse, { params })
  const query = { address: 'PERSON3@village.example' }
  expect(await world.call(routes.rehearsedInbox, { params, query })).toHaveLength(1)

  // Stopped by the writer, nothing of it is kept, and another may begin.
  const stop = new AbortController()
  const stopped = world.handPost.parts.subscribe(({ topic }) => topic === 'progress' && stop.abort())
  await expect(world.call(routes.rehearse, { params, signal: stop.signal })).rejects.toThrow()
  stopped()
  await vi.waitFor(() => expect(world.call(routes.clearRehearsal, { params })).resolves.toEqual({}), 20_000)
  expect(await world.call(routes.rehearsal, { params })).toBeNull()
  await expect(world.call(routes.rehearsedInbox, { params, query })).rejects.toThrow(/Nothing of this rehearsal/)
  await world.call(routes.rehearse, { params })

  await world.practice.close()
  await expect(world.call(routes.rehearse, { params })).rejects.toThrow(ProblemError)
  expect(await world.call(routes.round, { params })).toMatchObject({ postedAt: null })
}, 120_000)
