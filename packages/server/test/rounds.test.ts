import { type ProblemError, type Round, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { minute, office, peopleCsv, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open({
    manners: Object.fromEntries(Array.from({ length: 9 }, (_, i) => [`person${i}@village.example`, {}])),
  })
})
afterAll(() => world.close())

const plain = (n: number) =>
  peopleCsv(n)
    .replace(/,permit-\d+\.pdf/g, '')
    .replace(',Permit', '')
const letter = { subject: 'For {{Name}}', html: '<p>Dear {{Name}}</p>' }
const paramsOf = ({ id }: Round) => ({ round: id })
const status = (work: Promise<unknown>) =>
  work.then(
    () => 200,
    (e: ProblemError) => e.problem.status,
  )
// One pixel, as PNG (the W3C's specification, by its signature and chunks).
const pixel = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
)

describe('a round before it is posted', () => {
  test('its people: rules and setting aside count each row once, and say how the number came about', async () => {
    const round = await world.round(plain(6), letter)
    const params = paramsOf(round)
    await world.call(routes.changeRound, {
      params,
      body: {
        selection: {
          match: 'any',
          rules: [
            { column: 'c1', comparison: 'is', value: 'person 1' },
            { column: 'c3', comparison: 'is', value: 'B004' },
          ],
        },
      },
    })
    await world.call(routes.setAside, { params: { ...params, row: 2 }, body: { reason: 'has it already' } })
    const people = await world.call(routes.people, { params })
    expect(people).toMatchObject({
      chosen: [5],
      setAside: [2],
      byRule: [1, 3, 4, 6],
      sentence: '6 in the list, 1 in this round: 4 left out by rule, 1 set aside.',
    })
    expect((await world.call(routes.round, { params })).setAside).toEqual([{ rowId: 2, reason: 'has it already' }])
    await world.call(routes.takeBack, { params: { ...params, row: 2 } })
    expect((await world.call(routes.people, { params })).chosen).toEqual([2, 5])
    expect(await status(world.call(routes.setAside, { params: { ...params, row: 99 }, body: {} }))).toBe(404)
  })

  test('asks are accepted with a reason, and the acceptance can be taken back', async () => {
    const round = await world.round('Name,Email\nAda,ada@village.example\nBram,ADA@village.example\n', letter)
    const params = paramsOf(round)
    const first = await world.call(routes.proof, { params })
    expect(first).toMatchObject({ stops: 0, asks: 1, mayPost: false })
    expect(await status(world.call(routes.post, { params, body: { messages: 2 } }))).toBe(409)
    const keys = first.findings.map((f) => f.key)
    expect(await status(world.call(routes.accept, { params, body: { keys, reason: ' ' } }))).toBe(422)
    await world.call(routes.accept, { params, body: { keys, reason: 'they share a mailbox' } })
    expect((await world.call(routes.proof, { params })).findings[0].accepted).toBe('they share a mailbox')
    await world.call(routes.unaccept, { params, body: { keys } })
    expect((await world.call(routes.proof, { params })).mayPost).toBe(false)
  })

  test('files change their role, are replaced by name, and are taken out', async () => {
    const round = await world.round(peopleCsv(2), letter)
    const params = paramsOf(round)
    const add = (name: string, role: 'common' | 'own', content: string) =>
      world.call(routes.addFile, { params, query: { name, role }, file: Buffer.from(content) })
    const file = await add('permit-0.pdf', 'own', 'one')
    await add('extra.pdf', 'own', 'x')
    expect((await world.call(routes.enclosures, { params })).unclaimed).toHaveLength(1)
    const again = await add('permit-0.pdf', 'own', 'two')
    expect([again.id, again.hash === file.hash]).toEqual([file.id, false])
    await world.call(routes.changeFile, { params: { ...params, file: file.id }, body: { role: 'common' } })
    const lines = (await world.call(routes.enclosures, { params })).people
    expect(lines.map((p) => p.files.map((f) => f.id))).toEqual([[file.id], [file.id]])
    expect(lines[0].missing.map((m) => m.name)).toEqual(['permit-0.pdf'])
    await world.call(routes.removeFile, { params: { ...params, file: file.id } })
    // Several at once; one that is not there, and one of another round, are passed over.
    const addTo = (round: number, name: string) =>
      world.call(routes.addFile, {
        params: { round },
        query: { name, role: 'own' },
        file: new TextEncoder().encode(name),
      })
    const other = await world.call(routes.startRound, { body: { title: 'Other' } })
    const [a, b, theirs] = [
      await addTo(round.id, 'a.txt'),
      await addTo(round.id, 'b.txt'),
      await addTo(other.id, 'c.txt'),
    ]
    const files = [a.id, b.id, theirs.id, 99_999]
    expect(await world.call(routes.removeFiles, { params, body: { files } })).toEqual({ removed: 2 })
    expect((await world.call(routes.round, { params: { round: other.id } })).files).toHaveLength(1)
    await world.call(routes.deleteRound, { params: { round: other.id } })
    expect((await world.call(routes.round, { params })).files.map((f) => f.name)).toEqual(['extra.pdf'])
  })

  test('what is changed together is changed wholly or not at all', async () => {
    const round = await world.round(plain(1), letter)
    const params = paramsOf(round)
    await world.call(routes.setAside, { params: { ...params, row: 1 }, body: { reason: 'away' } })
    const other = await world.round(plain(2), letter)
    const before = await world.call(routes.round, { params })
    // Another list, by which everything about the people of this one would be forgotten; but with a column that it does not have.
    expect(
      await status(
        world.call(routes.changeRound, {
          params,
          body: { listId: other.list!.id, title: 'Other', addressColumn: 'c99' },
        }),
      ),
    ).toBe(404)
    const { changedAt: _, ...after } = await world.call(routes.round, { params })
    expect(before).toMatchObject(after)
    expect(after.setAside).toHaveLength(1)
  })

  test('is deleted with all its parts; its list stays', async () => {
    const round = await world.round(plain(1), letter)
    await world.call(routes.deleteRound, { params: paramsOf(round) })
    expect(await status(world.call(routes.round, { params: paramsOf(round) }))).toBe(404)
    expect(await status(world.call(routes.list, { params: { list: round.list!.id } }))).toBe(200)
  })
})

describe('pictures of a letter', () => {
  test('go with the message as related parts, and are shown by the desk only', async () => {
    const src = `data:image/png;base64,${pixel.toString('base64')}`
    const round = await world.round(plain(1), {
      subject: 'S',
      html: `<p>Look:</p><img src="${src}" alt="the quay" width="40">`,
    })
    const params = paramsOf(round)
    expect(JSON.stringify(round.letter)).not.toContain('base64')
    const shown = await world.call(routes.message, { params: { ...params, row: 1 } })
    expect(shown.html).toMatch(/src="\/api\/files\/[0-9a-f]{64}"/)
    await world.call(routes.post, { params, body: { messages: 1 } })
    await world.pass(minute)
    const raw = (await world.inboxOf('person0@village.example')).at(-1)!
    const mail = await simpleParser(raw, { skipImageLinks: true })
    expect(mail.attachments).toHaveLength(1)
    expect(mail.attachments[0]).toMatchObject({ contentType: 'image/png', contentDisposition: 'inline', related: true })
    expect(mail.attachments[0].content.equals(pixel)).toBe(true)
    expect(mail.html).toContain(`src="cid:${mail.attachments[0].cid}"`)
    expect(mail.text).toContain('[the quay]')
  })
  test('what is called a picture and is none is refused', async () => {
    const add = (name: string, file: Buffer) => world.call(routes.addPicture, { query: { name }, file })
    expect((await add('quay.png', pixel)).src).toMatch(/^file:[0-9a-f]{64}$/)
    expect(await status(add('quay.png', Buffer.from('<svg onload=alert(1)>')))).toBe(422)
    expect(await status(add('quay.svg', pixel))).toBe(422)
  })
})

describe('a round that is posted', () => {
  test('is frozen: nothing of it changes any more, whatever happens to its list', async () => {
    const round = await world.round(plain(3), letter, {
      dispatch: { startAt: world.clock.now() + 60 * minute, perMinute: 60 },
    })
    const params = paramsOf(round)
    await world.call(routes.post, { params, body: { messages: 3 } })
    const refused = [
      world.call(routes.changeRound, { params, body: { letterHtml: { subject: 'x', html: 'y' } } }),
      world.call(routes.changeRound, { params, body: { cc: [office] } }),
      world.call(routes.setAside, { params: { ...params, row: 1 }, body: {} }),
      world.call(routes.addFile, { params, query: { name: 'x.pdf', role: 'common' }, file: Buffer.from('x') }),
      world.call(routes.deleteRound, { params }),
      world.call(routes.post, { params, body: { messages: 3 } }),
    ]
    expect(await Promise.all(refused.map(status))).toEqual(refused.map(() => 409))
    // Its title is the writer's own, and is not part of what was sent.
    expect((await world.call(routes.changeRound, { params, body: { title: 'Renamed' } })).title).toBe('Renamed')
    await world.edit(round.list!.id, { do: 'cells', cells: [[1, 'c1', 'Somebody else']] })
    expect((await world.call(routes.message, { params: { ...params, row: 1 } })).subject).toBe('For Person 0')
    const tray = await world.call(routes.outTray)
    expect(tray.messages.filter((m) => m.roundId === round.id).map((m) => [m.person, m.state, m.round])).toEqual(
      [0, 1, 2].map((i) => [`Person ${i}`, 'waiting', 'Renamed']),
    )
    // Nothing leaves before its hour.
    await world.pass(50 * minute, 5)
    expect((await world.call(routes.round, { params })).states.sent).toBe(0)
    await world.pass(15 * minute, 30)
    expect((await world.call(routes.round, { params })).states).toMatchObject({ sent: 3, waiting: 0 })
    const got = (await world.inboxOf('person0@village.example')).map(String)
    expect(got.filter((m) => m.includes('Subject: For Person 0'))).toHaveLength(1)
    expect(got.join()).not.toContain('Somebody else')
  })

  test('two rounds of one mailbox share its pace and its allowance, and the earlier goes first', async () => {
    const two = await Promise.all(
      [1, 2].map((n) => world.round(plain(3), { ...letter, subject: `Letter ${n}` }, { dispatch: { perMinute: 60 } })),
    )
    for (const round of two) {
      await world.call(routes.post, { params: paramsOf(round), body: { messages: 3 } })
      world.clock.move(10)
    }
    const times: number[] = []
    for (const round of two) {
      const { departures } = await world.call(routes.timetable, { params: paramsOf(round) })
      times.push(...departures.map((d) => d.at))
    }
    expect(times).toEqual([...times].sort((a, b) => a - b))
    for (let i = 1; i < times.length; i++) expect(times[i] - times[i - 1]).toBeGreaterThanOrEqual(1000)
    await world.pass(2 * minute, 10)
    for (const round of two) expect((await world.call(routes.round, { params: paramsOf(round) })).states.sent).toBe(3)
  })
})

test('changes are told as they happen, by topic and id, never by their contents', async () => {
  const stop = new AbortController()
  const response = await fetch(`${world.handPost.address}/api/events`, { signal: stop.signal })
  expect(response.headers.get('content-type')).toContain('text/event-stream')
  const reader = response.body!.getReader()
  const round = await world.round(plain(1), { subject: 'Secret words', html: '<p>more secret words</p>' })
  let heard = ''
  while (!heard.includes(`"topic":"round","id":${round.id}`))
    heard += new TextDecoder().decode((await reader.read()).value)
  stop.abort()
  expect(heard).toContain('"topic":"lists"')
  expect(heard).not.toMatch(/secret words/i)
})
