import { type PaperSettings, routes } from '@hand-post/contract'
import { alwaysSeen, everSeen, folds, type PaperForm } from '@hand-post/core'
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs'
import { afterEach, describe, expect, test } from 'vitest'
import { closeWorld, due, minute, moveTo, open, refusal, states, world } from './lived.ts'
import { tinyPdf } from './tinyPdf.ts'

afterEach(closeWorld)

const letter = {
  subject: 'Berth {{Berth}}',
  html: '<p>Dear {{Name}},</p><p>your berth is {{Berth}}. Please <a href="https://brindlequay.example/berths">look it up</a>.</p>',
}
const people = [
  'Name,Email,Address,Town,Postcode,Berth',
  'Ada Marsh,person0@village.example,1 Quay,Brindle,BQ1 1AA,B1',
  'Bo Penrose,,2 Quay,Brindle,BQ1 1AB,B2',
  'Cy Tolland,person1@village.example,3 Quay,Brindle,BQ1 1AC,B3',
  'Di Reed,,"Reed House\n4 Quay",Brindle,BQ1 1AD,B4',
].join('\r\n')

/** A round in which whoever has no address gets the letter on paper, its address made of these columns. */
async function onPaper(changes: Partial<PaperSettings> = {}, list = people) {
  const round = await world.round(list, letter, { dispatch: { perMinute: 60 } })
  const idOf = (name: string) => round.list!.columns.find((c) => c.name === name)!.id
  const paper = {
    who: 'withoutAddress' as const,
    columns: ['Name', 'Address', 'Town', 'Postcode'].map((name) => ({ column: idOf(name), sameLine: false })),
    ...changes,
  }
  const params = { round: round.id }
  await world.call(routes.changeRound, { params, body: { paper, nameColumns: [idOf('Name')] } })
  return { params, idOf, list: round.list!.id }
}
const proof = (params: { round: number }) => world.call(routes.proof, { params, query: { wait: 'yes' } })
const addFile = (params: { round: number }, name: string, role: 'own' | 'common', content: Uint8Array) =>
  world.call(routes.addFile, { params, query: { name, role }, file: content })
/** Accepts what the proof asks. */
async function acceptAll(params: { round: number }) {
  const keys = (await proof(params)).findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: 'so it is meant' } })
}

/** A piece of text on a page, in millimetres from the upper left corner, as a reader of PDFs that is not ours finds it. */
interface Piece {
  text: string
  left: number
  right: number
  /** Of its baseline. */
  y: number
}
/** The pages of a PDF with their texts (pdf.js). */
async function pagesOf(path: string): Promise<Piece[][]> {
  const answer = await fetch(`${world.handPost.address}${path}`)
  expect([answer.status, answer.headers.get('content-type')]).toEqual([200, 'application/pdf'])
  const pdf = await getDocument({ data: new Uint8Array(await answer.arrayBuffer()), verbosity: 0 }).promise
  const pages: Piece[][] = []
  for (let n = 1; n <= pdf.numPages; n++) {
    const page = await pdf.getPage(n)
    const [, , , height] = page.view
    const { items } = await page.getTextContent()
    pages.push(
      items.flatMap((item) => {
        if (!('str' in item) || item.str.trim() === '') return []
        const mm = (points: number) => (points * 25.4) / 72
        const [x, y] = [item.transform[4], item.transform[5]]
        return [{ text: item.str, left: mm(x), right: mm(x + item.width), y: mm(height - y) }]
      }),
    )
  }
  return pages
}
const wordsOf = (page: Piece[]) => page.map((piece) => piece.text).join(' ')
const lettersPdf = ({ round }: { round: number }, which = 'toPrint') =>
  pagesOf(`/api/rounds/${round}/paper-letters.pdf?which=${which}`)

/** What of a page can ever be seen through the window. */
const inWindow = (page: Piece[], form: PaperForm) => {
  const seen = everSeen(form)
  return page.filter((p) => p.right > seen.left && p.left < seen.right && p.y > seen.top && p.y - 4 < seen.bottom)
}

describe('letters on paper', () => {
  test('four of the list, two of them without an address: two messages leave, two letters are printed, all are counted', async () => {
    await open(4, '2026-11-26T09:00:00Z')
    const { params } = await onPaper()
    const round = await world.call(routes.round, { params })
    expect(round.counts).toMatchObject({ list: 4, round: 2, onPaper: 2 })
    const chosen = await world.call(routes.people, { params })
    expect([chosen.chosen, chosen.onPaper, chosen.withoutAddress]).toEqual([[1, 3], [2, 4], 2])
    expect(chosen.sentence).toBe('4 in the list, 2 in this round and 2 by paper post.')
    expect((await proof(params)).findings.filter((f) => f.grade !== 'note')).toEqual([])
    // Each as it would be, before anything is posted.
    const bo = await world.call(routes.message, { params: { ...params, row: 2 } })
    expect([bo.paper, bo.subject]).toEqual([['Bo Penrose', '2 Quay', 'Brindle', 'BQ1 1AB'], 'Berth B2'])
    expect((await world.call(routes.message, { params: { ...params, row: 1 } })).paper).toBeNull()
    expect((await lettersPdf(params)).filter((page) => page.length > 0)).toHaveLength(2)

    const word = await world.call(routes.lastWord, { params })
    expect([word.letters, word.paper]).toEqual([2, { letters: 2, notPrinted: 0 }])
    const before = word.allowance
    // Other numbers than those that were seen post nothing.
    for (const body of [{ messages: 2 }, { messages: 2, paper: 1 }, { messages: 1, paper: 2 }, { messages: 4 }])
      expect(await refusal(world.call(routes.post, { params, body }))).toMatch(/not the \d you saw/)
    const posted = await world.call(routes.post, { params, body: { messages: 2, paper: 2, print: word.print } })
    expect(posted.paperLetters).toEqual({ toPrint: 2, printed: 0, withdrawn: 0, printedAt: null })
    await due()
    await moveTo(world.clock.now() + 2 * minute)
    expect(await states(params.round)).toMatchObject({ sent: 2, waiting: 0 })
    for (const n of [0, 1]) expect(await world.inboxOf(`person${n}@village.example`)).toHaveLength(1)
    // Paper takes nothing of what the mailbox may send.
    expect((await world.call(routes.timetable, { params })).allowance).toBe(before - 2)

    const letters = await world.call(routes.paperLetters, { params })
    expect(letters.map((l) => [l.person, l.state, l.lines.length])).toEqual([
      ['Bo Penrose', 'toPrint', 4],
      ['Di Reed', 'toPrint', 5],
    ])
    const mark = (ids: number[], to: 'printed' | 'toPrint' | 'withdrawn') =>
      world.call(routes.markPaper, { params, body: { letters: ids, to } })
    expect(await mark([letters[0].id], 'printed')).toEqual({ letters: 1 })
    const at = world.clock.now()
    expect(await mark([letters[0].id], 'withdrawn')).toEqual({ letters: 0 })
    expect((await world.call(routes.round, { params })).paperLetters).toMatchObject({ printed: 1, printedAt: at })
    expect((await lettersPdf(params)).filter((page) => page.length > 0)).toHaveLength(1)
    expect((await lettersPdf(params, 'all')).filter((page) => page.length > 0)).toHaveLength(2)
    const board = await world.board(params.round)
    expect(board.counts.messages).toBe(2)
    expect(board.paper).toEqual([
      { state: 'toPrint', letters: 1, printedAt: null },
      { state: 'printed', letters: 1, printedAt: at },
    ])
    const csv = (
      await world.call(routes.outcomeSheet, { query: { as: 'csv', columns: 'outcome,paperAt' }, params })
    ).split('\r\n')
    expect(csv[2]).toContain('by paper post,2026-11-26T09:0')
    expect(csv.slice(3).join('\n')).toContain('"by paper post, to be printed"')
    expect(await world.call(routes.withdraw, { params })).toEqual({ withdrawn: 0, copies: 0, paper: 1 })
    // One that was printed stays so, whatever is withdrawn after it.
    expect((await world.call(routes.round, { params })).paperLetters).toMatchObject({
      toPrint: 0,
      printed: 1,
      withdrawn: 1,
    })
    expect(await refusal(world.call(routes.paperPdf, { params }))).toMatch(/no letters on paper to be printed/)
    // As it was frozen, whatever the list says since.
    await world.edit(round.list!.id, { do: 'cells', cells: [[2, chosenColumn(round, 'Berth'), 'B99']] })
    expect((await world.call(routes.message, { params: { ...params, row: 2 } })).subject).toBe('Berth B2')
  })

  const chosenColumn = (round: { list: { columns: { id: string; name: string }[] } | null }, name: string) =>
    round.list!.columns.find((c) => c.name === name)!.id

  const forms: PaperForm[] = [
    { envelope: 'dl', window: 'left' },
    { envelope: 'dl', window: 'right' },
    { envelope: 'c56', window: 'left' },
    { envelope: 'c56', window: 'right' },
  ]
  test('in the window of every envelope stands the address, all of it, and nothing else; on the test page, too', async () => {
    await open(2, '2026-11-26T09:00:00Z')
    const long = 'Brindle Quay Harbour Trust, Moorings'
    const list = [
      'Name,Email,Address,Town,Postcode,Berth',
      'Bo Penrose,,2 Quay,Brindle,BQ1 1AB,B2',
      `Ödön Łukaszewicz,,"${long}\nOld Customs House\n4 Quay",Brindle,BQ1 1AD,B4`,
      'Χρήστος Παπαδόπουλος,,5 Quay,Brindle,BQ1 1AE,B5',
    ].join('\r\n')
    const { params } = await onPaper({ twoSided: false }, list)
    for (const form of forms) {
      await world.call(routes.changePaperForm, { params, body: form })
      const pages = await lettersPdf(params)
      expect(pages).toHaveLength(3)
      const always = alwaysSeen(form)
      for (const [i, page] of pages.entries()) {
        const { paper } = await world.call(routes.message, { params: { ...params, row: i + 1 } })
        const shown = inWindow(page, form)
        // One text may come in several pieces, but lines stay lines.
        const lines = new Map<number, string>()
        for (const { text, y } of shown) lines.set(Math.round(y), `${lines.get(Math.round(y)) ?? ''}${text}`)
        expect([...lines.values()].map((line) => line.replace(/\s+/g, ' '))).toEqual(paper)
        for (const { left, right, y } of shown) {
          expect(left).toBeGreaterThanOrEqual(always.left)
          expect(right).toBeLessThanOrEqual(always.right)
          // Above the baseline stand capitals, below it a descender: a third of an inch at 10.5 points is more than both (common practice).
          expect(y - 4).toBeGreaterThanOrEqual(always.top)
          expect(y + 1.2).toBeLessThanOrEqual(always.bottom)
        }
        // Day, subject and words begin below the fold.
        expect(page.find((p) => p.text.includes('November'))!.y).toBeGreaterThan(folds[0])
        expect(wordsOf(page)).toMatch(/26\s+November\s+2026/)
        expect(wordsOf(page)).toMatch(/https:\/\/\s*brindlequay\.example\/\s*berths/)
      }
      const [page] = await pagesOf(`/api/paper-test-page.pdf?envelope=${form.envelope}&window=${form.window}`)
      const lines = new Set(inWindow(page, form).map(({ y }) => Math.round(y)))
      expect(lines.size).toBe(6)
      expect(page.find((p) => p.text.includes('Test'))!.y).toBeGreaterThan(folds[0])
      expect(wordsOf(page)).toMatch(/actual\s+size/)
    }
  })

  test('own files lie behind each letter, each on sheets of its own; what cannot be printed is named on a sheet before', async () => {
    await open(2, '2026-11-26T09:00:00Z')
    const { params, idOf } = await onPaper()
    await addFile(params, 'B2.pdf', 'own', tinyPdf('Permit of Bo'))
    await addFile(params, 'B4.pdf', 'own', tinyPdf('Permit of Di', 'its second page'))
    await addFile(params, 'B4.txt', 'own', new TextEncoder().encode('in plain words, for Di Reed'))
    await addFile(params, 'rules.pdf', 'common', tinyPdf('Rules', 'of', 'the harbour'))
    await world.call(routes.changeRound, { params, body: { filePattern: '{{Berth}}' } })
    const files = (await world.call(routes.round, { params })).files
    const id = (name: string) => files.find((f) => f.name === name)!.id
    await world.call(routes.matchFiles, {
      params,
      body: {
        matches: [
          { rowId: 2, fileId: id('B2.pdf') },
          { rowId: 4, fileId: id('B4.pdf') },
          { rowId: 4, fileId: id('B4.txt') },
        ],
      },
    })
    expect(
      (await proof(params)).findings.filter((f) => f.check === 'notPrinted').map((f) => [f.grade, f.rowId]),
    ).toEqual([['ask', 4]])
    const told = (pages: Piece[][]) =>
      pages.map(
        (page) =>
          /Not to be posted|Dear \w+|Permit of \w+|its second page|Rules|^of$|the harbour/.exec(wordsOf(page))?.[0] ??
          wordsOf(page),
      )
    expect(told(await lettersPdf(params))).toEqual([
      ...['Not to be posted', ''],
      ...['Dear Bo', '', 'Rules', 'of', 'the harbour', '', 'Permit of Bo', ''],
      ...['Dear Di', '', 'Rules', 'of', 'the harbour', '', 'Permit of Di', 'its second page'],
    ])
    await world.call(routes.changePaperForm, { params, body: { twoSided: false } })
    expect(told(await lettersPdf(params))).toEqual([
      'Not to be posted',
      ...['Dear Bo', 'Rules', 'of', 'the harbour', 'Permit of Bo'],
      ...['Dear Di', 'Rules', 'of', 'the harbour', 'Permit of Di', 'its second page'],
    ])
    expect((await world.call(routes.lastWord, { params })).paper).toEqual({ letters: 2, notPrinted: 1 })
    expect(idOf('Berth')).toBeTruthy()
  })

  test('an address that is missing, too long or too wide stops the round; mended, it is posted', async () => {
    await open(2, '2026-11-26T09:00:00Z')
    const list = [
      'Name,Email,Address,Town,Postcode,Berth',
      ',,,,,B1',
      'Bo,,"1\n2\n3\n4\n5\n6",Brindle,BQ1 1AB,B2',
      `Cy,,${'The Honourable Society of Harbour Masters '.repeat(3)},Brindle,BQ1,B3`,
      'Di,,,,,B4',
    ].join('\r\n')
    const { params, idOf, list: listId } = await onPaper({}, list)
    const found = async () =>
      (await proof(params)).findings.flatMap((f) => (f.check.startsWith('postal') ? [[f.check, f.grade, f.rowId]] : []))
    expect(await found()).toEqual([
      ['postalAddress', 'stop', 1],
      ['postalAddress', 'stop', 2],
      ['postalAddress', 'stop', 3],
      ['postalShort', 'ask', 4],
    ])
    expect(await refusal(world.call(routes.post, { params, body: { messages: 0, paper: 4 } }))).toMatch(
      /something to settle/,
    )
    await world.edit(listId, {
      do: 'cells',
      cells: [
        [1, idOf('Name'), 'Ada'],
        [1, idOf('Address'), '1 Quay'],
        [2, idOf('Address'), '2 Quay'],
        [3, idOf('Address'), 'The Harbour Masters'],
        [4, idOf('Address'), '4 Quay'],
      ],
    })
    expect(await found()).toEqual([])
    await world.call(routes.changeRound, { params, body: { paper: { columns: [] } } })
    expect((await proof(params)).findings.map((f) => [f.check, f.grade, f.rowId])).toEqual([
      ['noPostalColumns', 'stop', null],
    ])
    // What makes the address is asked once: a round with the same list begins with it.
    const columns = ['Name', 'Address'].map((name) => ({ column: idOf(name), sameLine: false }))
    await world.call(routes.changeRound, { params, body: { paper: { columns } } })
    const next = await world.call(routes.startRound, { body: { title: 'Next', listId } })
    expect(next.paper).toMatchObject({ who: 'byHand', columns })
    // A column of it that is taken out of the list is out of the address, and of the next round's.
    await world.edit(listId, { do: 'deleteColumn', column: idOf('Address') })
    const left = { columns: columns.slice(0, 1) }
    expect((await world.call(routes.round, { params })).paper).toMatchObject(left)
    expect((await world.call(routes.startRound, { body: { title: 'After', listId } })).paper).toMatchObject(left)
    expect(
      await refusal(
        world.call(routes.changeRound, { params, body: { paper: { columns: [{ column: 'c99', sameLine: false }] } } }),
      ),
    ).toMatch(/column/)
  })

  test('a round may be all on paper, chosen by hand or everybody; it is posted, and nothing leaves the mailbox', async () => {
    await open(2, '2026-11-26T09:00:00Z')
    const { params } = await onPaper({ who: 'byHand' })
    const hand = (rows: number[], on: boolean) => world.call(routes.putOnPaper, { params, body: { rows, onPaper: on } })
    await hand([1, 2, 999], true)
    await hand([2], false)
    expect((await world.call(routes.round, { params })).onPaperByHand).toEqual([1])
    await world.call(routes.changeRound, { params, body: { paper: { who: 'everybody' }, addressColumn: null } })
    expect((await world.call(routes.round, { params })).counts).toMatchObject({ round: 0, onPaper: 4 })
    expect((await proof(params)).mayPost).toBe(true)
    expect((await world.call(routes.timetable, { params })).sentence).toBe(
      'Nothing is planned: nobody in the round gets a message.',
    )
    await world.call(routes.post, { params, body: { messages: 0, paper: 4 } })
    await due()
    expect(await world.sent()).toEqual([])
    expect((await lettersPdf(params)).filter((page) => page.length > 0)).toHaveLength(4)
    expect(await refusal(hand([3], false))).toMatch(/is posted/)
    const [line] = (await world.call(routes.rounds)).filter((r) => r.id === params.round)
    expect(line.paperLetters).toMatchObject({ toPrint: 4 })
    const desk = await world.call(routes.desk)
    expect(desk.waits.toPrint.map((one) => one.id)).toEqual([params.round])
  })

  test('late-comers: on paper too; who has a letter gets no other, whichever way', async () => {
    await open(4, '2026-11-26T09:00:00Z')
    const { params, idOf, list } = await onPaper()
    await world.call(routes.post, { params, body: { messages: 2, paper: 2 } })
    await due()
    const late = async () => (await world.call(routes.people, { params })).lateComers
    // Bo, who has a letter on paper, gets an address; Ada, who has a message, loses hers.
    await world.edit(list, {
      do: 'cells',
      cells: [
        [2, idOf('Email'), 'person2@village.example'],
        [1, idOf('Email'), ''],
      ],
    })
    expect(await late()).toEqual([])
    await world.edit(list, {
      do: 'addRows',
      rows: [{ [idOf('Name')]: 'Ed', [idOf('Address')]: '6 Quay', [idOf('Town')]: 'Brindle', [idOf('Berth')]: 'B6' }],
    } as never)
    expect(await late()).toHaveLength(1)
    const topUp = (paper: number) => world.call(routes.topUp, { params, body: { messages: 0, paper } })
    expect(await refusal(topUp(2))).toMatch(/1 letters on paper, not the 2/)
    await topUp(1)
    expect(await late()).toEqual([])
    expect((await world.call(routes.round, { params })).paperLetters.toPrint).toBe(3)
    expect(await refusal(topUp(1))).toMatch(/something to settle/)
    // What was posted on paper is frozen as all is: nothing of it is changed any more.
    const word = { params: { ...params, row: 4 }, body: { reason: 'late' } }
    expect(await refusal(world.call(routes.setAside, word))).toMatch(/Di Reed has a letter of it/)
    // One of the same name, and another row, is asked about.
    const again = {
      [idOf('Name')]: 'Di Reed',
      [idOf('Address')]: '7 Quay',
      [idOf('Town')]: 'Brindle',
      [idOf('Berth')]: 'B7',
    }
    await world.edit(list, { do: 'addRows', rows: [again] } as never)
    const { findings } = await world.call(routes.lateProof, { params })
    expect(findings.flatMap((f) => (f.check === 'hadThisRound' ? [f.message] : []))).toEqual([
      'Somebody called Di Reed has a letter of this round already, by paper post.',
    ])
  })

  test('amending makes those anew that are not printed; the others stay as they were', async () => {
    await open(4, '2026-11-26T09:00:00Z')
    const { params } = await onPaper()
    await world.call(routes.post, { params, body: { messages: 2, paper: 2 } })
    await due()
    await moveTo(world.clock.now() + 5 * minute)
    const [bo, di] = await world.call(routes.paperLetters, { params })
    await world.call(routes.markPaper, { params, body: { letters: [bo.id], to: 'printed' } })
    await world.call(routes.beginAmending, { params })
    expect(await refusal(world.call(routes.markPaper, { params, body: { letters: [di.id], to: 'printed' } }))).toMatch(
      /being amended/,
    )
    await world.call(routes.changeRound, {
      params,
      body: { letterHtml: { subject: 'Amended {{Berth}}', html: '<p>Dear {{Name}}, another word.</p>' } },
    })
    expect((await proof(params)).findings.filter((f) => f.grade === 'stop')).toEqual([])
    await acceptAll(params)
    const amendment = await world.call(routes.amendment, { params })
    expect([amendment.letters, amendment.paper]).toEqual([0, 1])
    await world.call(routes.postAmendment, { params, body: { letters: 0, print: amendment.print } })
    const after = await world.call(routes.paperLetters, { params })
    expect(after.map((l) => [l.person, l.state, l.version])).toEqual([
      ['Bo Penrose', 'printed', 1],
      ['Di Reed', 'toPrint', 2],
    ])
    const subject = async (row: number) => (await world.call(routes.message, { params: { ...params, row } })).subject
    expect([await subject(2), await subject(4)]).toEqual(['Berth B2', 'Amended B4'])
    // Somebody whose row asks for a message now keeps the amendment from being posted, in words.
    await world.call(routes.beginAmending, { params })
    const round = await world.call(routes.round, { params })
    await world.edit(round.list!.id, {
      do: 'cells',
      cells: [[4, chosenColumn(round, 'Email'), 'person3@village.example']],
    })
    expect((await world.call(routes.amendment, { params })).cannot).toEqual([
      {
        rowId: 4,
        person: 'Di Reed',
        why: 'As the list is now, they get a message, and their letter was posted on paper.',
      },
    ])
    await world.call(routes.giveUpAmendment, { params })
    expect(await subject(4)).toBe('Amended B4')
  })
})
