import { type Edited, maxSomeRows, routes, type Wish } from '@hand-post/contract'
import { applyEdits, type Column, compileLetter, type Edit, type Row, shown } from '@hand-post/core'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { minute, office, peopleCsv, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open()
})
afterAll(() => world.close())

const read = (name: string, content: string | Buffer) =>
  world.call(routes.readFile, { query: { name }, file: Buffer.from(content as string) })
const bringIn = async (csv: string, name = 'people.csv') => {
  const { id } = await read(name, csv)
  return world.call(routes.makeList, { body: { reading: id } })
}
const status = (refused: Promise<unknown>) =>
  refused.then(
    () => 0,
    (e: { problem: { status: number } }) => e.problem.status,
  )
const words = (refused: Promise<unknown>) =>
  refused.then(
    () => '',
    (e: { problem: { detail: string } }) => e.problem.detail,
  )
const sorted = (rows: Row[]) =>
  [...rows].sort((a, b) => (a.position < b.position ? -1 : a.position > b.position ? 1 : a.id - b.id))

describe('the values of a column', () => {
  test('are told with their rows, worked-out ones too; searched, and cut to as many as are wanted', async () => {
    const list = await bringIn('Name,Pontoon\nAda,B\nBram,a\nCy,A \nDi,\nEd,C\n')
    await world.edit(list.id, {
      do: 'addColumn',
      column: {
        name: 'Where',
        kind: 'text',
        recipe: { do: 'joined', parts: [{ text: 'Pontoon' }, { column: 'c2' }], between: ' ' },
      },
    })
    const values = (column: string, query: object = {}) =>
      world.call(routes.columnValues, { params: { list: list.id, column }, query })
    expect(await values('c2')).toEqual({
      values: [
        { value: 'a', rows: 2 },
        { value: 'B', rows: 1 },
        { value: 'C', rows: 1 },
      ],
      different: 3,
      blank: 1,
    })
    expect((await values('c3', { find: 'PONTOON B' })).values).toEqual([{ value: 'Pontoon B', rows: 1 }])
    expect(await values('c2', { count: 1 })).toMatchObject({ values: [{ value: 'a', rows: 2 }], different: 3 })
    expect(await status(values('c9'))).toBe(404)
  })
})

describe('a long list by what is looked at of it', () => {
  test('rows by their ids, the order of all, cells in which words stand and the first rows with them', async () => {
    const count = 1234
    const list = await bringIn(
      `Name,Berth\n${Array.from({ length: count }, (_, i) => `Person ${i + 1},B${(i * 7) % count}`).join('\n')}\n`,
    )
    const params = { list: list.id }
    const [{ version }, all] = [await world.call(routes.rows, { params }), await world.rows(list.id)]
    // Given in whatever order, with one twice and one that is not there.
    const some = await world.call(routes.someRows, { params, body: { rows: [900, 7, 7, 99_999, 1234] } })
    expect(some).toEqual({ version, rows: [all[6], all[899], all[1233]] })
    const own = Array.from({ length: count }, (_, i) => i + 1)
    expect(await world.call(routes.order, { params, query: { own: 'yes' } })).toEqual({ version, rows: own })
    expect((await world.call(routes.order, { params })).rows).toEqual(own)

    await world.edit(
      list.id,
      { do: 'moveRows', rows: [1234], after: null },
      { do: 'deleteRows', rows: [5] },
      {
        do: 'addColumn',
        column: {
          name: 'Both',
          kind: 'text',
          recipe: { do: 'joined', parts: [{ column: 'c1' }, { column: 'c2' }], between: ' at ' },
        },
      },
      { do: 'sort', sort: [{ column: 'c2', descending: false }] },
    )
    const now = await world.call(routes.order, { params, query: { own: 'yes' } })
    expect(now.rows).toEqual([1234, ...own.filter((id) => id !== 5 && id !== 1234)])
    expect(now.version).toBeGreaterThan(version)
    // As sorted: by the berth, of which row 1 has the first.
    const order = (await world.call(routes.order, { params })).rows
    expect(order[0]).toBe(1)
    expect([...order].sort((a, b) => a - b)).toEqual(own.filter((id) => id !== 5))

    const columns = ['c1', 'c2', 'c3']
    const find = (body: object) => world.call(routes.findCells, { params, body: { columns, ...body } as never })
    const berthOf = (id: number) => `B${((id - 1) * 7) % count}`
    expect(await find({ words: `PERSON 900 AT ${berthOf(900)}`, wholeCell: true })).toEqual([
      { row: 900, column: 'c3' },
    ])
    expect(await find({ words: 'person 900', exactCase: true })).toEqual([])
    // On from one cell to the next, as the list is sorted.
    const both = await find({ words: 'Person 10', wholeCell: false, columns: ['c1'], most: 500 })
    const wanted = order.filter((id) => `Person ${id}`.includes('Person 10'))
    expect(both.map(({ row }) => row)).toEqual(wanted)
    expect(await find({ words: 'Person 10', columns: ['c1'], from: both[3] })).toEqual([both[4]])
    expect(await find({ words: 'Person 10', columns: ['c1'], from: both[3], back: true })).toEqual([both[2]])
    // A column that is not there (any more) has no cells.
    expect(await find({ words: 'Person 10', columns: ['c9'] })).toEqual([])

    const { rows: found } = await world.call(routes.rowsWith, { params, query: { words: 'person 12', count: 3 } })
    expect(found.map(({ id }) => id)).toEqual(order.filter((id) => `Person ${id}`.includes('Person 12')).slice(0, 3))
    expect(shown(found[0].cells.c3)).toBe(`Person ${found[0].id} at ${berthOf(found[0].id)}`)
  })

  test('of more rows than are read at one time each is computed over, once and in its place', async () => {
    // Just two pieces, so that the third has nothing in it.
    const count = 20_000
    const list = await bringIn(`Name\n${Array.from({ length: count }, (_, i) => `Person ${i + 1}`).join('\n')}\n`)
    const params = { list: list.id }
    expect(list.rowCount).toBe(count)
    expect((await world.call(routes.columnValues, { params: { ...params, column: 'c1' } })).different).toBe(count)
    for (const from of [0, 9_998, 19_997]) {
      const { rows } = await world.call(routes.derivedRows, { params, query: { from, count: 3 } })
      expect(rows.map(({ id, cells }) => [id, cells])).toEqual(
        [1, 2, 3].map((n) => [from + n, { c1: `Person ${from + n}` }]),
      )
    }
  })

  test('of a list that is not there nothing is given, and no more is asked for than there may be', async () => {
    const params = { list: 99_999 }
    expect(await status(world.call(routes.someRows, { params, body: { rows: [1] } }))).toBe(404)
    expect(await status(world.call(routes.order, { params }))).toBe(404)
    expect(await status(world.call(routes.order, { params, query: { own: 'yes' } }))).toBe(404)
    expect(await status(world.call(routes.findCells, { params, body: { words: 'x', columns: ['c1'] } as never }))).toBe(
      404,
    )
    expect(await status(world.call(routes.rowsWith, { params, query: { words: 'x' } }))).toBe(404)
    const list = await bringIn('Name\nAda\n')
    const many = Array.from({ length: maxSomeRows + 1 }, (_, i) => i + 1)
    expect(await status(world.call(routes.someRows, { params: { list: list.id }, body: { rows: many } }))).toBe(422)
  })
})

describe('bringing contacts into the address book', () => {
  const cards = (...people: string[][]) =>
    people
      .map(
        ([name, email, more = '']) =>
          `BEGIN:VCARD\r\nVERSION:4.0\r\nFN:${name}\r\n${email ? `EMAIL:${email}\r\n` : ''}${more}END:VCARD\r\n`,
      )
      .join('')
  test('adds and fills in, into the group that is open, as one change that can be undone; nobody goes', async () => {
    const { group } = await world.call(routes.addToBook, {
      body: { people: [{ name: 'Kit Rowe', address: 'kit@village.example' }], group: 'Crew' },
    })
    const before = (await world.call(routes.book)).list.rowCount
    const { id } = await read(
      'cards.vcf',
      cards(
        ['Kit Rowe', 'KIT@village.example', 'TEL:0100\r\nCATEGORIES:Divers,Members\r\n'],
        ['Lil Moor', 'lil@village.example', 'CATEGORIES:Members\r\n'],
        ['Nell Ode', ''],
        ['Lil Moor', 'lil@village.example', 'NOTE:twice\r\n'],
      ),
    )
    const plan = await world.call(routes.planContacts, { body: { reading: id, asGroups: true } })
    expect(plan).toMatchObject({ added: 2, known: 1, filled: 1, differing: 0, repeated: 1, newColumns: [] })
    expect(plan.groups).toEqual([
      { name: 'Divers', people: 1 },
      { name: 'Members', people: 2 },
    ])
    const body = { reading: id, asGroups: true, version: plan.version, group: group!.id }
    expect(await status(world.call(routes.bringInContacts, { body: { ...body, version: plan.version - 1 } }))).toBe(409)
    expect(await status(world.call(routes.bringInContacts, { body: { ...body, group: 9999 } }))).toBe(404)
    const edited = await world.call(routes.bringInContacts, { body })
    expect(edited?.list.rowCount).toBe(before + 2)
    const after = await world.call(routes.book)
    const members = (name: string) => after.groups.find((g) => g.name === name)!.members
    const rows = await world.rows(after.list.id)
    const called = (ids: number[]) => ids.map((row) => shown(rows.find((r) => r.id === row)!.cells.c1))
    expect(called(members('Crew'))).toEqual(['Kit Rowe', 'Lil Moor', 'Nell Ode'])
    expect(called(members('Divers'))).toEqual(['Kit Rowe'])
    expect(called(members('Members'))).toEqual(['Kit Rowe', 'Lil Moor'])
    expect(shown(rows.find((r) => shown(r.cells.c1) === 'Kit Rowe')!.cells.c3)).toBe('0100')
    // The same again changes nothing.
    const again = await world.call(routes.planContacts, { body: { reading: id, asGroups: true } })
    expect([again.added, again.known, again.filled]).toEqual([0, 3, 0])
    expect(await world.call(routes.bringInContacts, { body: { ...body, version: again.version } })).toBeNull()
    await world.call(routes.undoEdit, { params: { list: after.list.id } })
    expect((await world.call(routes.book)).list.rowCount).toBe(before)
  })
  test('what the file says otherwise is named, and taken over only if that is wished', async () => {
    const { id } = await read('x.csv', 'Email,Name,Telephone\nkit@village.example,Kit Rowe-Hale,7\n')
    const plan = await world.call(routes.planContacts, { body: { reading: id } })
    expect(plan.people).toEqual([
      { person: 'Kit Rowe', isNew: false, differs: [{ column: 'Name', here: 'Kit Rowe', there: 'Kit Rowe-Hale' }] },
    ])
    const name = async () => {
      const { list } = await world.call(routes.book)
      return (await world.rows(list.id)).map((r) => shown(r.cells.c1)).find((n) => n.startsWith('Kit'))
    }
    await world.call(routes.bringInContacts, { body: { reading: id, version: plan.version } })
    expect(await name()).toBe('Kit Rowe')
    const { version } = await world.call(routes.planContacts, { body: { reading: id } })
    await world.call(routes.bringInContacts, { body: { reading: id, version, differing: 'replace' } })
    expect(await name()).toBe('Kit Rowe-Hale')
  })
})

describe('a round that begins with a list', () => {
  test('has its people at once, by the columns that the list is known for', async () => {
    const list = await bringIn('Name,Email,Permit\nAda,ada@quay.example,a.pdf\n')
    const round = await world.call(routes.startRound, { body: { title: 'Begun', listId: list.id } })
    expect(round).toMatchObject({
      list: { id: list.id },
      addressColumn: 'c2',
      nameColumns: ['c1'],
      filesColumn: 'c3',
      counts: { round: 1 },
    })
    // The letter greets by name until somebody writes one.
    const greets = (given: typeof round) => compileLetter(given.letter, given.list!.columns).merge(rows[0]).text.trim()
    const rows = await world.rows(list.id)
    expect(greets(round)).toBe('Dear Ada,')
    const params = { round: round.id }
    const other = await bringIn('Berth,Mail\nA1,ada@quay.example\n')
    expect(greets((await world.call(routes.changeRound, { params, body: { listId: other.id } })) as never)).toBe('')
    const written = { subject: 'S', html: '<p>Hello</p>' }
    await world.call(routes.changeRound, { params, body: { letterHtml: written } })
    expect(greets((await world.call(routes.changeRound, { params, body: { listId: list.id } })) as never)).toBe('Hello')
    expect(await status(world.call(routes.startRound, { body: { title: 'None', listId: 9999 } }))).toBe(404)
    expect((await world.call(routes.rounds)).some((r) => r.title === 'None')).toBe(false)
  })
})

describe('changing a list', () => {
  const columnId = fc.constantFrom('c1', 'c2', 'c3', 'c4')
  const pick = fc.nat(8)
  type Step = (rows: Row[], columns: Column[]) => Wish | null
  const rowAt = (rows: Row[], n: number) => rows[n % Math.max(rows.length, 1)]?.id
  /** Wishes of every kind, about whatever is there by then. */
  const step: fc.Arbitrary<Step> = fc.oneof(
    fc
      .array(fc.tuple(pick, columnId, fc.option(fc.constantFrom('x', 'Zoë “q”', '£5', ' y '))), {
        minLength: 1,
        maxLength: 4,
      })
      .map(
        (cells): Step =>
          (rows, columns) => {
            const there = cells.flatMap(([n, c, text]): [number, string, string | null][] =>
              rowAt(rows, n) !== undefined && columns.some((x) => x.id === c && !x.recipe)
                ? [[rowAt(rows, n), c, text]]
                : [],
            )
            return there.length > 0 ? { do: 'cells', cells: there } : null
          },
      ),
    fc.tuple(pick, fc.boolean(), fc.integer({ min: 1, max: 3 })).map(
      ([n, first, count]): Step =>
        (rows, columns) => ({
          do: 'addRows',
          rows: Array.from({ length: count }, (_, i) => ({ [columns[0].id]: `new ${i}` })),
          ...(rows.length > 0 ? { after: first ? null : rowAt(rows, n) } : {}),
        }),
    ),
    fc.uniqueArray(pick, { minLength: 1, maxLength: 2 }).map(
      (ns): Step =>
        (rows) => {
          const gone = [...new Set(ns.flatMap((n) => rowAt(rows, n) ?? []))]
          return gone.length > 0 ? { do: 'deleteRows', rows: gone } : null
        },
    ),
    fc.tuple(pick, pick).map(
      ([a, b]): Step =>
        (rows) =>
          rows.length > 1 && rowAt(rows, a) !== rowAt(rows, b)
            ? { do: 'moveRows', rows: [rowAt(rows, a)], after: rowAt(rows, b) }
            : null,
    ),
    fc.nat(1e9).map(
      (n): Step =>
        (_, columns) => ({
          do: 'addColumn',
          column: { name: `Extra ${Math.max(...columns.map((c) => Number(c.id.slice(1))))} ${n}`, kind: 'text' },
          copyOf: columns[0].id,
        }),
    ),
    columnId.map(
      (column): Step =>
        (_, columns) =>
          columns.length > 2 && columns.some((c) => c.id === column) ? { do: 'deleteColumn', column } : null,
    ),
    columnId.map(
      (column): Step =>
        (_, columns) =>
          columns.some((c) => c.id === column) ? { do: 'moveColumn', column, before: null } : null,
    ),
  )

  test('what the desk stores is what core makes of the same edits; undone to the beginning it is as it was, redone as it became', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 3, maxLength: 9 }), async (steps) => {
        const list = await bringIn('A,B,C,D\n1,2,3,4\n5,6,7,8\nx,y,z,\n')
        const start = { columns: list.columns as Column[], rows: await world.rows(list.id), sort: list.sort }
        let state = start
        let done = 0
        for (const make of steps) {
          const wish = make(state.rows, state.columns)
          if (!wish) continue
          const { edits, list: edited } = await world.edit(list.id, wish)
          state = applyEdits(state, edits as Edit[])
          done++
          expect(await world.rows(list.id)).toEqual(state.rows)
          expect(edited.rowCount).toBe(state.rows.length)
          // What is computed over goes by the rows as they were edited, not as they are stored.
          const { rows } = await world.call(routes.derivedRows, {
            params: { list: list.id },
            query: { from: 0, count: 99 },
          })
          expect(rows.map(({ id, cells }) => ({ id, cells }))).toEqual(
            state.rows.map(({ id, cells }) => ({ id, cells })),
          )
        }
        const params = { list: list.id }
        const end = await world.call(routes.list, { params })
        expect(end.columns).toEqual(state.columns)
        for (let i = 0; i < done; i++) await world.call(routes.undoEdit, { params })
        expect(sorted(await world.rows(list.id))).toEqual(start.rows)
        expect(await world.call(routes.list, { params })).toMatchObject({ columns: start.columns, rowCount: 3 })
        expect(await status(world.call(routes.undoEdit, { params }))).toBe(409)
        for (let i = 0; i < done; i++) await world.call(routes.redoEdit, { params })
        expect(await world.rows(list.id)).toEqual(state.rows)
        expect((await world.call(routes.list, { params })).redo).toBeNull()
      }),
      { numRuns: 25 },
    )
  })

  test('a change after undoing drops what could have been redone; a refused one changes nothing', async () => {
    const list = await bringIn('Name,Email\nAda,ada@quay.example\n')
    const params = { list: list.id }
    await world.edit(list.id, { do: 'cells', cells: [[1, 'c1', 'Adah']] })
    await world.call(routes.undoEdit, { params })
    await world.edit(list.id, { do: 'cells', cells: [[1, 'c1', 'Eve']] })
    expect(await status(world.call(routes.redoEdit, { params }))).toBe(409)
    // Half right is not done by half.
    const half = world.edit(list.id, { do: 'cells', cells: [[1, 'c1', 'Half']] }, { do: 'deleteColumn', column: 'c9' })
    expect(await status(half)).toBe(404)
    expect((await world.rows(list.id))[0].cells.c1).toBe('Eve')
    expect(await status(world.edit(list.id, { do: 'cells', cells: [[7, 'c1', 'x']] }))).toBe(404)
  })

  test('derived columns work out, follow the cells they read, are kept from typing, and guard what they read', async () => {
    const list = await bringIn(
      'First,Last,Email,Fee\nAda,Penrose,ada@quay.example,£10.50\nBram,,bram@quay.example,free\n',
    )
    const joined: Wish = {
      do: 'addColumn',
      column: {
        name: 'Full name',
        kind: 'text',
        recipe: { do: 'joined', parts: [{ column: 'c1' }, { column: 'c2' }], between: ' ' },
      },
    }
    const twice: Wish = {
      do: 'addColumn',
      column: {
        name: 'Twice',
        kind: 'text',
        recipe: { do: 'workedOut', left: { column: 'c4' }, sign: '×', right: { number: 2 }, decimals: null },
      },
    }
    const { list: changed } = await world.edit(list.id, joined, twice)
    expect(changed.columns.map((c) => [c.id, c.kind])).toEqual([
      ['c1', 'text'],
      ['c2', 'text'],
      ['c3', 'address'],
      ['c4', 'text'],
      ['c5', 'text'],
      ['c6', 'number'],
    ])
    await world.edit(list.id, { do: 'changeColumn', column: 'c4', changes: { kind: 'amount' } })
    await world.edit(list.id, { do: 'cells', cells: [[1, 'c2', 'Tolland']] })
    const derived = await world.call(routes.derivedRows, { params: { list: list.id } })
    expect(derived.rows.map((r) => [shown(r.cells.c5), shown(r.cells.c6)])).toEqual([
      ['Ada Tolland', '£21.00'],
      ['Bram', ''],
    ])
    expect(derived.faults).toEqual([{ row: 2, column: 'c6', why: '“free” in “Fee” is not a number' }])
    expect(await words(world.edit(list.id, { do: 'cells', cells: [[1, 'c5', 'x']] }))).toContain(
      'worked out from other',
    )
    expect(await words(world.edit(list.id, { do: 'deleteColumn', column: 'c1' }))).toContain(
      '“Full name” is worked out',
    )
    // The letter uses it like any other.
    const round = await world.call(routes.startRound, { body: { title: 'Derived' } })
    await world.call(routes.changeRound, {
      params: { round: round.id },
      body: { listId: list.id, letterHtml: { subject: 'For {{Full name}}', html: '<p>{{Twice}}</p>' } },
    })
    expect((await world.call(routes.message, { params: { round: round.id, row: 1 } })).subject).toBe('For Ada Tolland')
    const tried = await world.call(routes.tryRecipe, {
      params: { list: list.id },
      body: { recipe: { do: 'partOf', column: 'c5', part: 'lastWord', count: 1, mark: '' }, rows: 2 },
    })
    expect(tried.cells.map((c) => c.shown)).toEqual(['Tolland', 'Bram'])
  })

  test('looking up follows the other list; a sort is kept as rows are added, and posting goes by it', async () => {
    const wardens = await bringIn('Pontoon,Warden\nA,Marsh\nB,Reed\n', 'wardens.csv')
    const list = await bringIn('Name,Email,Pontoon\nCy,c@quay.example,A\nAda,a@quay.example,b\n')
    await world.edit(
      list.id,
      {
        do: 'addColumn',
        column: {
          name: 'Warden',
          kind: 'text',
          recipe: { do: 'lookedUp', column: 'c3', list: wardens.id, key: 'c1', value: 'c2' },
        },
      },
      { do: 'sort', sort: [{ column: 'c1', descending: false }] },
    )
    await world.edit(list.id, { do: 'addRows', rows: [{ c1: 'Bram', c2: 'b@quay.example', c3: 'A' }] })
    await world.edit(wardens.id, { do: 'cells', cells: [[1, 'c2', 'Fenn']] })
    const { rows } = await world.call(routes.derivedRows, { params: { list: list.id } })
    expect(rows.map((r) => [r.cells.c1, r.cells.c4])).toEqual([
      ['Ada', 'Reed'],
      ['Bram', 'Fenn'],
      ['Cy', 'Fenn'],
    ])
    expect((await world.call(routes.order, { params: { list: list.id } })).rows).toEqual([2, 3, 1])
    const round = await world.call(routes.startRound, { body: { title: 'Sorted' } })
    const params = { round: round.id }
    await world.call(routes.changeRound, {
      params,
      body: { listId: list.id, letterHtml: { subject: 'Hello', html: '<p>From {{Warden}}</p>' } },
    })
    await world.call(routes.post, { params, body: { messages: 3 } })
    expect((await world.call(routes.messages, { params })).map((m) => m.person)).toEqual(['Ada', 'Bram', 'Cy'])
    await world.call(routes.withdraw, { params })
  })

  test('find and replace over the whole list, as one change', async () => {
    const list = await bringIn('Name,Email\nAda Quay,a@quay.example\nQuay,b@quay.example\n')
    const { edits } = await world.edit(list.id, { do: 'replace', find: 'Quay', put: 'Pier', exactCase: true })
    expect(edits).toEqual([
      {
        do: 'cells',
        cells: [
          [1, 'c1', 'Ada Pier'],
          [2, 'c1', 'Pier'],
        ],
      },
    ])
    expect(await status(world.edit(list.id, { do: 'replace', find: 'Nowhere', put: '' }))).toBe(404)
  })
})

describe('a newer table', () => {
  const before = 'Berth,Name,Email\nB1,Ada,ada@quay.example\nB2,Bram,bram@quay.example\nB3,Cy,cy@quay.example\n'
  const after =
    'Name,Email,Berth,Boat\nAdah,ada@quay.example,B1,Tern\nBram,bram@quay.example,b2,Petrel\nDot,dot@quay.example,B4,Sula\n'
  test('is shown, chosen from, taken over as one change, and undone', async () => {
    const list = await bringIn(before)
    const params = { list: list.id }
    const newer = { reading: (await read('newer.csv', after)).id }
    const found = await world.call(routes.compareList, { params, body: { newer, key: 'c1' } })
    expect(found).toMatchObject({
      key: 'c1',
      added: [{ index: 2, person: 'Dot' }],
      changed: [{ row: 1, person: 'Ada', changes: [{ column: 'Name', from: 'Ada', to: 'Adah' }] }, { row: 2 }],
      gone: [{ row: 3, person: 'Cy' }],
      newColumns: [{ name: 'Boat' }],
    })
    const wanted = { added: [2], changed: [1], gone: [3], newColumns: [found.newColumns[0].id] }
    const start = await world.rows(list.id)
    const body = { newer, key: 'c1', version: list.version, ...wanted }
    expect(await status(world.call(routes.updateList, { params, body: { ...body, version: 99 } }))).toBe(409)
    const { list: updated } = await world.call(routes.updateList, { params, body })
    expect(updated.columns.map((c) => c.name)).toEqual(['Berth', 'Name', 'Email', 'Boat'])
    expect((await world.rows(list.id)).map((r) => [r.id, r.cells.c1, r.cells.c2, r.cells.c4])).toEqual([
      [1, 'B1', 'Adah', 'Tern'],
      [2, 'B2', 'Bram', 'Petrel'],
      [4, 'B4', 'Dot', 'Sula'],
    ])
    await world.call(routes.undoEdit, { params })
    expect(await world.rows(list.id)).toEqual(start)
  })
  test('without a column to match by it changes nothing, and says what to do', async () => {
    const list = await bringIn(before)
    const params = { list: list.id }
    const newer = { reading: (await read('other.csv', 'Person,Mail\nAda,ada@quay.example\n')).id }
    expect(await words(world.call(routes.compareList, { params, body: { newer } }))).toMatch(
      /rows cannot be matched.*as it was/s,
    )
    expect(await words(world.call(routes.compareList, { params, body: { newer, key: 'c1' } }))).toContain(
      'no column “Berth”',
    )
    expect((await world.call(routes.list, { params })).version).toBe(list.version)
  })
})

describe('who gets a letter, and who gets one more', () => {
  const plain = (n: number) =>
    peopleCsv(n)
      .replace(/,permit-\d+\.pdf/g, '')
      .replace(',Permit', '')
  const letter = {
    subject: 'Berth {{Berth}}',
    html: '<p>Dear {{Name}}, see <a href="https://quay.example/">us</a></p>',
  }
  const subjects = async (n: number) =>
    (await world.inboxOf(`person${n}@village.example`)).map((raw) =>
      /^Subject: (.*)$/m.exec(raw.toString())?.[1].trim(),
    )

  test('late-comers are topped up, and only they; sending once more is counted and deliberate', async () => {
    const round = await world.round(plain(3), letter, {
      title: 'Topped up',
      dispatch: { perMinute: 600 },
      tracking: { clicks: true },
    })
    const params = { round: round.id }
    expect(await status(world.call(routes.topUp, { params, body: { messages: 1 } }))).toBe(409)
    await world.call(routes.post, { params, body: { messages: 3 } })
    await world.pass(5 * minute, 5)
    expect((await world.call(routes.people, { params })).lateComers).toEqual([])
    const late = [3, 4, 5].map((i) => ({ c1: `Person ${i}`, c2: `person${i}@village.example`, c3: `L${i}` }))
    await world.edit(round.list!.id, { do: 'addRows', rows: late }, { do: 'cells', cells: [[1, 'c3', 'changed']] })
    expect((await world.call(routes.people, { params })).lateComers).toEqual([4, 5, 6])
    expect((await world.call(routes.lateProof, { params })).people).toBe(3)
    expect(await status(world.call(routes.topUp, { params, body: { messages: 6 } }))).toBe(409)
    await world.call(routes.topUp, { params, body: { messages: 3 } })
    expect(await status(world.call(routes.topUp, { params, body: { messages: 3 } }))).toBe(409)
    await world.pass(5 * minute, 5)
    for (const i of [0, 1, 2]) expect(await subjects(i)).toEqual([`Berth B00${i}`])
    for (const i of [3, 4, 5]) expect(await subjects(i)).toEqual([`Berth L${i}`])

    // Once more: only by the right count, never while one is on its way, and as it was posted.
    const again = (hadTimes: number) =>
      world.call(routes.sendOnceMore, { params, body: { rows: [{ row: 1, hadTimes }] } })
    expect(await status(again(2))).toBe(409)
    await again(1)
    expect(await status(again(1))).toBe(409)
    await world.pass(5 * minute, 5)
    expect(await subjects(0)).toEqual(['Berth B000', 'Berth B000'])
    const raws = (await world.inboxOf('person0@village.example')).map(String)
    const [first, second] = ['Message-ID', 'Link'].map((what) =>
      raws.map((raw) =>
        what === 'Link' ? /\/l\/([\w.-]+)/.exec(raw.replace(/=\r\n/g, ''))?.[1] : /^Message-ID: (.*)$/im.exec(raw)?.[1],
      ),
    )
    expect(new Set(first).size).toBe(2)
    expect(new Set(second).size).toBe(2)
    expect((await world.call(routes.round, { params })).states.sent).toBe(7)
  })

  test('rows of one address: asked once, joined into one message with their table, or the first only', async () => {
    const csv =
      'Name,Email,Berth,Fee\nAda,ada@village.example,A1,£10\nBram,bram@village.example,B1,£5\nAda,ADA@village.example,A2,£20\n'
    const round = await world.round(csv, { subject: 'Berths', html: '<p>Dear {{Name}}</p>' })
    const params = { round: round.id }
    const people = () => world.call(routes.people, { params })
    const asks = async () =>
      (await world.call(routes.proof, { params })).findings.filter((f) => f.check === 'sameAddress')
    expect((await people()).doubled).toBe(1)
    expect((await asks())[0].mends).toContainEqual({ do: 'sameAddress', way: 'joined' })
    await world.call(routes.changeRound, { params, body: { sameAddress: 'first' } })
    expect((await people()).sentence).toContain('2 in this round: 1 left out because the address had its message')
    await world.call(routes.changeRound, {
      params,
      body: {
        sameAddress: 'joined',
        letter: {
          subject: 'Berths',
          body: { type: 'doc', content: [{ type: 'rowsTable', attrs: { columns: ['Berth', 'Fee'] } }] },
        } as never,
      },
    })
    expect((await people()).together).toEqual([[1, 3]])
    expect(await asks()).toEqual([])
    const message = await world.call(routes.message, { params: { ...params, row: 1 } })
    expect(message.text).toBe('Berth  Fee\nA1     £10\nA2     £20\n')
    expect(message.html.match(/<tr>/g)).toHaveLength(3)
    await world.call(routes.post, { params, body: { messages: 2 } })
    await world.call(routes.withdraw, { params })
  })

  test('the do-not-write list holds for every round, and sets aside what waits', async () => {
    const round = await world.round(plain(3).replaceAll('village', 'refusing'), letter, { title: 'Refusing' })
    const params = { round: round.id }
    await world.call(routes.hold, { params }).catch(() => {})
    const body = { address: ' Person1@Refusing.example ', reason: 'asked by letter' }
    await world.call(routes.refuseAddress, { body })
    const { counts } = await world.call(routes.people, { params })
    expect([counts.round, counts.doNotWrite]).toEqual([2, 1])
    expect(await world.call(routes.leftOut, { params })).toEqual([
      { row: 2, person: 'Person 1', why: 'on the do-not-write list: asked by letter' },
    ])
    await world.call(routes.changeRound, { params, body: { dispatch: { startAt: world.clock.now() + 60 * minute } } })
    await world.call(routes.post, { params, body: { messages: 2 } })
    expect(await world.call(routes.refuseAddress, { body: { ...body, address: 'person2@refusing.example' } })).toEqual({
      setAside: 1,
    })
    await world.pass(90 * minute, 5)
    expect((await world.call(routes.round, { params })).states).toMatchObject({ sent: 1, setAside: 1 })
    expect(await world.inboxOf('person2@refusing.example')).toEqual([])
    expect(await status(world.call(routes.refuseAddress, { body: { ...body, address: 'nobody' } }))).toBe(422)
    await world.call(routes.allowAddress, { query: { address: 'person1@refusing.example' } })
    expect((await world.call(routes.doNotWrite)).map((r) => r.address)).toEqual(['person2@refusing.example'])
  })

  test('rules, ranges and groups choose, each left out with its reason; rules can be saved', async () => {
    const { group } = await world.call(routes.addToBook, {
      body: { people: [{ name: 'Person 2', address: 'PERSON2@village.example' }], group: 'Committee' },
    })
    const round = await world.round(plain(6), letter, { title: 'Ruled' })
    const params = { round: round.id }
    const selection = {
      match: 'all' as const,
      rules: [
        { column: 'row', comparison: 'isOneOf' as const, value: '2-6' },
        {
          match: 'any' as const,
          rules: [
            { column: 'c2', comparison: 'inGroup' as const, value: String(group!.id) },
            { column: 'c3', comparison: 'ends' as const, value: '4' },
          ],
        },
      ],
    }
    await world.call(routes.changeRound, { params, body: { selection } })
    expect((await world.call(routes.people, { params })).chosen).toEqual([3, 5])
    const why = new Map((await world.call(routes.leftOut, { params })).map((l) => [l.row, l.why]))
    expect(why.get(6)).toBe('left out by rule: it is not so that “Row number” is one of 2-6')
    expect(why.get(1)).toContain('“Email” is in the group “Committee” or “Berth” ends with 4')
    await world.call(routes.saveRules, { body: { name: 'Usual', selection, columns: { c2: 'Email', c3: 'Berth' } } })
    await world.call(routes.saveRules, { body: { name: 'Usual', selection, columns: { c2: 'Email', c3: 'Place' } } })
    const [saved, ...more] = await world.call(routes.savedRules)
    expect([saved.columns.c3, more]).toEqual(['Place', []])
    await world.call(routes.forgetRules, { params: { rules: saved.id } })
    expect(await world.call(routes.savedRules)).toEqual([])
  })
})

describe('the address book', () => {
  test('contacts, groups, a list from groups that is refreshed, doubles made one, a page for each person', async () => {
    const add = (people: [string, string][], group?: string) =>
      world.call(routes.addToBook, { body: { people: people.map(([name, address]) => ({ name, address })), group } })
    const a = await add(
      [
        ['Ada Penrose', 'ada@book.example'],
        ['Bram', 'bram@book.example'],
      ],
      'Pier A',
    )
    expect([a.added, a.known]).toEqual([2, 0])
    const b = await add(
      [
        ['Bram T', 'BRAM@book.example'],
        ['Cy', 'cy@book.example'],
      ],
      'Pier B',
    )
    expect([b.added, b.known]).toEqual([1, 1])
    expect(await status(add([['x', 'not an address']]))).toBe(422)
    const groups = [
      { group: a.group!.id, minus: false },
      { group: b.group!.id, minus: true },
    ]
    const list = await world.call(routes.listFromGroups, { body: { name: 'A not B', groups } })
    expect((await world.rows(list.id)).map((r) => r.cells.c1)).toEqual(['Ada Penrose'])
    await world.call(routes.changeGroup, {
      params: { group: b.group!.id },
      body: { remove: b.group!.members.slice(0, 1) },
    })
    await add([['Dot', 'dot@book.example']], 'Pier A')
    const params = { list: list.id }
    const found = await world.call(routes.compareList, {
      params,
      body: { newer: { groups: list.source.groups! }, key: 'c2' },
    })
    expect(found.added.map((x) => x.person)).toEqual(['Bram', 'Dot'])
    await world.call(routes.updateList, {
      params,
      body: {
        newer: { groups },
        key: 'c2',
        version: list.version,
        added: found.added.map((x) => x.index),
        changed: [],
        gone: [],
        newColumns: [],
      },
    })
    expect((await world.rows(list.id)).map((r) => r.cells.c1)).toEqual(['Ada Penrose', 'Bram', 'Dot'])

    const { list: book } = await world.call(routes.book)
    await world.edit(book.id, {
      do: 'addRows',
      rows: [
        { c2: 'ADA@book.example', c3: '01999 5' },
        { c1: 'Cy', c4: 'by the slip' },
      ],
    })
    const doubles = await world.call(routes.doubles, { params: { list: book.id } })
    expect(doubles.map((d) => d.rows.length)).toEqual([2, 2])
    await world.call(routes.mergeRows, { params: { list: book.id }, body: { sets: doubles.map((d) => d.rows) } })
    const person = await world.call(routes.person, { query: { address: 'Ada@Book.example' } })
    expect(person.contact?.cells).toContainEqual({ column: 'Telephone', shown: '01999 5' })
    expect(person.contact?.groups).toEqual(['Pier A'])
    await world.call(routes.undoEdit, { params: { list: book.id } })
    expect((await world.call(routes.doubles, { params: { list: book.id } })).length).toBe(2)
  })
  test('a person’s page tells every round and what came back', async () => {
    const person = await world.call(routes.person, { query: { address: 'PERSON0@village.example' } })
    expect(person.name).toBe('Person 0')
    expect(person.rounds.filter((r) => r.title === 'Topped up').map((r) => r.state)).toEqual(['sent', 'sent'])
    expect((await world.call(routes.person, { query: { address: 'never@met.example' } })).rounds).toEqual([])
  })
  test('senders of the inbox, with own addresses and automatic mail kept out', async () => {
    const put = (from: string, more = '') =>
      world.practice.store.add(
        office,
        'INBOX',
        Buffer.from(
          `From: ${from}\r\nTo: ${office}\r\nSubject: Berths\r\nDate: Mon, 02 Nov 2026 09:00:00 +0000\r\n${more}\r\nHello\r\n`,
        ),
        new Date(world.clock.now()),
      )
    await put('"Penrose, Ada" <ada@senders.example>')
    await put(`Office <${office}>`)
    await put('News <news@senders.example>', 'List-Id: <news.senders.example>\r\n')
    await put('Bram <bram@senders.example>', 'Auto-Submitted: auto-replied\r\n')
    const [{ id }] = await world.call(routes.mailboxes)
    const found = await world.call(routes.senders, { params: { mailbox: id }, query: { days: 3650 } })
    const of = (part: string) => found.filter((m) => m.address.includes(part)).map((m) => [m.name, m.keptOut])
    expect(of('ada@senders')).toEqual([['Penrose, Ada', null]])
    expect(of(office)).toEqual([['Office', 'own address']])
    expect(of('news@')).toEqual([['News', 'automatic']])
    expect(of('bram@senders')).toEqual([['Bram', 'automatic']])
  })
  test('lists are copied, named, made of an earlier round’s outcomes, and deleted only when no round uses them', async () => {
    const list = await bringIn('Name,Email\nAda,a@copy.example\nBram,b@copy.example\n')
    const copy = await world.call(routes.copyList, { params: { list: list.id }, body: { name: 'Half', rows: [2] } })
    expect((await world.rows(copy.id)).map((r) => r.cells.c1)).toEqual(['Bram'])
    expect(
      (await world.call(routes.renameList, { params: { list: copy.id }, body: { name: 'Other half' } })).name,
    ).toBe('Other half')
    await world.call(routes.deleteList, { params: { list: copy.id } })
    // Its rows go with it, and no others.
    const stored = (id: number) => world.handPost.parts.db.query('SELECT id FROM list_rows WHERE list_id = $1', [id])
    expect([(await stored(copy.id)).length, (await stored(list.id)).length]).toEqual([0, 2])
    const topped = (await world.call(routes.rounds)).find((r) => r.title === 'Topped up')!
    const from = (outcomes: ('sent' | 'bounced')[]) =>
      world.call(routes.listFromRound, { body: { name: 'Chosen', round: topped.id, outcomes } })
    expect((await world.rows((await from(['sent'])).id)).length).toBeGreaterThan(0)
    expect(await status(from(['bounced']))).toBe(422)
    const { list: used } = await world.call(routes.round, { params: { round: topped.id } })
    expect(await words(world.call(routes.deleteList, { params: { list: used!.id } }))).toContain(
      'is the list of “Topped up”',
    )
    const typedIn = await world.call(routes.startList, {
      body: {
        name: 'Typed',
        columns: [
          { name: 'Name', kind: 'text' },
          { name: 'Email', kind: 'address' },
        ],
      },
    })
    const { edits } = (await world.edit(typedIn.id, { do: 'addRows', rows: [{ c1: 'Ada' }] })) as Edited
    expect(edits).toMatchObject([{ do: 'addRows', rows: [{ id: 1, cells: { c1: 'Ada' } }] }])
  })
})
