import { type ProblemError, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { minute, office, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open({
    manners: {
      ...Object.fromEntries(['ada', 'bo', 'cy', 'di', 'new.bo', 'new.cy'].map((n) => [`${n}@village.example`, {}])),
      'gone@village.example': { bounces: true },
      'none@village.example': { refused: true },
    },
  })
})
afterAll(() => world.close())

const letter = { subject: 'For {{Name}}', html: '<p>Dear {{Name}}, your berth is {{Berth}}.</p>' }
const said = (work: Promise<unknown>) =>
  work.then(
    () => '',
    (e: ProblemError) => `${e.problem.status} ${e.problem.detail}`,
  )
async function posted(rows: string[], changes: object = {}) {
  const { id, list } = await world.round(['Name,Email,Berth,File', ...rows].join('\n'), letter, {
    filesColumn: null,
    dispatch: { perMinute: 600 },
    ...changes,
  })
  const params = { round: id }
  const { findings } = await world.call(routes.proof, { params })
  const asks = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (asks.length > 0) await world.call(routes.accept, { params, body: { keys: asks, reason: 'made up' } })
  await world.call(routes.post, { params, body: { messages: rows.length } })
  await world.pass(2 * minute, 6)
  return { params, list: list!.id }
}
const lines = (params: { round: number }) => world.call(routes.messages, { params })
const late = async (params: { round: number }) =>
  (await world.call(routes.lateProof, { params })).findings.filter((f) => f.grade !== 'note')

describe('late-comers of a posted round', () => {
  test('an ask is accepted, somebody set aside and taken back, a file given by hand: for them, and for nobody else', async () => {
    const { params, list } = await posted(['Ada,ada@village.example,B1,'])
    await world.edit(list, {
      do: 'addRows',
      rows: [
        { c1: '4711', c2: 'bo@village.example', c3: 'B2' },
        { c1: 'Cy', c2: 'cy@village.example', c3: 'B3' },
      ],
    })
    // Both need something: one has a number for a name.
    const [ask] = await late(params)
    expect([ask.check, ask.grade, ask.rowId]).toEqual(['displayName', 'ask', 2])
    expect(await said(world.call(routes.topUp, { params, body: { messages: 2 } }))).toMatch(
      /^409 The proof has something to settle/,
    )
    await world.call(routes.accept, { params, body: { keys: [ask.key], reason: 'so it is called' } })
    await world.call(routes.setAside, { params: { ...params, row: 3 }, body: { reason: 'not yet' } })
    expect((await world.call(routes.people, { params })).lateComers).toEqual([2])
    await world.call(routes.takeBack, { params: { ...params, row: 3 } })
    // A file by hand: to a late-comer, and not to whoever has had the letter.
    const file = await world.call(routes.addFile, {
      params,
      query: { name: 'plan.txt', role: 'own' },
      file: new TextEncoder().encode('The plan of berth B3'),
    })
    await world.call(routes.matchFiles, { params, body: { matches: [{ rowId: 3, fileId: file.id }] } })
    for (const work of [
      () => world.call(routes.matchFiles, { params, body: { matches: [{ rowId: 1, fileId: file.id }] } }),
      () => world.call(routes.setAside, { params: { ...params, row: 1 }, body: { reason: 'late' } }),
      () => world.call(routes.writeNote, { params: { ...params, row: 1 }, body: { words: 'late' } }),
    ])
      expect(await said(work())).toMatch(/^409 .*Ada has a letter of it: what was posted is frozen/)
    // Since files are people's own now, the other one lacks theirs: that is asked, and accepted too.
    await world.handPost.parts.examiner.soon(params.round)
    const open = (await late(params)).filter((f) => f.accepted === null)
    expect(open.map((f) => [f.grade, f.rowId])).toEqual([['ask', 2]])
    await world.call(routes.accept, { params, body: { keys: open.map((f) => f.key), reason: 'needs none' } })
    await world.call(routes.topUp, { params, body: { messages: 2 } })
    await world.pass(2 * minute, 6)
    const [cys] = await world.inboxOf('cy@village.example')
    expect((await simpleParser(cys)).attachments.map((a) => a.filename)).toEqual(['plan.txt'])
    expect(await world.inboxOf('ada@village.example')).toHaveLength(1)
  })

  test('somebody who has this round under another row or address is not sent to without being asked', async () => {
    const { params, list } = await posted(['Di Marsh,di@village.example,B1,'])
    await world.edit(list, {
      do: 'addRows',
      rows: [
        { c1: 'Diana', c2: 'DI@village.example', c3: 'B1' },
        { c1: 'di marsh', c2: 'new.bo@village.example', c3: 'B1' },
      ],
    })
    const open = await late(params)
    expect(open.map((f) => [f.check, f.rowId, f.message])).toEqual([
      ['hadThisRound', 2, 'DI@village.example has a letter of this round already, under another row (Di Marsh).'],
      ['hadThisRound', 3, 'Somebody called di marsh has a letter of this round already, at di@village.example.'],
    ])
    expect(await said(world.call(routes.topUp, { params, body: { messages: 2 } }))).toMatch(/^409/)
  })
})

describe('a letter that was refused or came back', () => {
  test('goes to the new address in place, once; nobody else gets anything', async () => {
    const { params, list } = await posted([
      'Bo,none@village.example,B1,',
      'Cy,gone@village.example,B2,',
      'Ada,ada@village.example,B3,',
    ])
    await world.pass(2 * minute, 4)
    const outcomes = async () => (await world.board(params.round)).people.map((p) => [p.person, p.outcome])
    expect(await outcomes()).toEqual([
      ['Bo', 'refused'],
      ['Cy', 'bounced'],
      ['Ada', 'sent'],
    ])
    const to = (row: number) => said(world.call(routes.sendToNew, { params: { ...params, row } }))
    expect(await to(3)).toMatch(/^409 The letter to Ada was neither refused nor did it come back/)
    expect(await to(1)).toMatch(/^409 none@village\.example is still the address of Bo/)
    await world.edit(list, {
      do: 'cells',
      cells: [
        [1, 'c2', 'new.bo@village'],
        [2, 'c2', 'new.cy@village.example'],
      ],
    })
    expect(await to(1)).toMatch(
      /^409 Nothing was sent, for the proof has something to settle: The address “new\.bo@village” cannot be written to/,
    )
    await world.edit(list, { do: 'cells', cells: [[1, 'c2', 'new.bo@village.example']] })
    expect([await to(1), await to(2)]).toEqual(['', ''])
    expect(await to(1)).toMatch(/^409/)
    await world.pass(2 * minute, 6)
    const [first] = await world.inboxOf('new.bo@village.example')
    expect((await simpleParser(first)).subject).toBe('For Bo')
    expect(await world.inboxOf('new.cy@village.example')).toHaveLength(1)
    expect((await lines(params)).map((m) => [m.person, m.address, m.state])).toEqual(
      expect.arrayContaining([
        ['Bo', 'none@village.example', 'refused'],
        ['Bo', 'new.bo@village.example', 'sent'],
      ]),
    )
    // The list handed back has the strongest that is known of each, and days that nobody can read the wrong way round.
    const text = await world.call(routes.outcomeSheet, {
      params,
      query: { as: 'csv', columns: 'outcome,sentAt,repliedAt' },
    })
    expect(text).toMatch(/^Bo,new\.bo@village\.example,B1,,"sent, nothing heard",2026-11-02T\d\d:\d\d:\d\d\+00:00,\r$/m)
    const before = (await world.inboxOf('ada@village.example')).length
    await world.pass(10 * minute, 4)
    expect(await world.inboxOf('ada@village.example')).toHaveLength(before)
  })

  test('is asked about in the next round, until the address has been written to with success', async () => {
    const asks = async (rows: string[]) => {
      const { id } = await world.round(['Name,Email,Berth,File', ...rows].join('\n'), {
        ...letter,
        subject: `Next ${rows.length}`,
      })
      const { findings } = await world.call(routes.proof, { params: { round: id } })
      return findings.filter((f) => f.check === 'deadAddress').map((f) => f.message)
    }
    expect(
      await asks(['Cy,GONE@village.example,B,', 'Bo,none@village.example,B,', 'Ada,ada@village.example,B,']),
    ).toEqual([
      expect.stringMatching(
        /^GONE@village\.example bounced on 2 November 2026, in the round “A round”: There is no such mailbox/,
      ),
      expect.stringMatching(/^none@village\.example was refused on 2 November 2026, .*no such mailbox/),
    ])
    // The mailbox is there again, and takes a letter.
    Object.assign(world.practice.correspondents.manner('none@village.example'), { refused: false })
    world.clock.move(minute)
    await posted(['Bo,none@village.example,B,'])
    expect(await asks(['Bo,none@village.example,B,'])).toEqual([])
    expect(office).toMatch(/@/)
  })
})
