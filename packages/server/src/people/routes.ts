import { randomUUID } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { type Edited, routes } from '@hand-post/contract'
import { type Column, dayOf, safeName } from '@hand-post/core'
import type { z } from 'zod'
import { noteDeed } from '../accounts/deeds.ts'
import { hidden, shareAlike } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { limited, receive } from '../files/upload.ts'
import { type Desk, giveFile, handle } from '../http/handle.ts'
import { notFound, Refusal } from '../problem.ts'
import type { Computes } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import * as book from './bookStore.ts'
import type { PeopleJobs } from './jobs.ts'
import { fileOf } from './readings.ts'
import * as lists from './store.ts'
import type { Newer } from './tables.ts'
import { mediaTypes } from './writeFile.ts'

/** Octets of a file that is read as a table. */
const largestTable = 250_000_000

/** What the routes of lists need. */
export interface PeopleParts {
  db: Database
  clock: Clock
  compute: Computes<PeopleJobs>
  /** Where files given to be read lie until they are stored as lists. */
  readingsFolder: string
  publish: Publish
  works: Works
}

/** Lists: brought in, edited, written out. */
export function peopleRoutes(desk: Desk, { db, clock, compute, readingsFolder, publish, works }: PeopleParts): void {
  const today = () => dayOf(clock.now())
  const given = (reading: string) => fileOf(readingsFolder, reading)
  const changed = (id: number) => publish({ topic: 'lists', id })
  /** Tells every window of a change, with the list's version, so that the one which made it has nothing to fetch. */
  const edited = (done: Edited): Edited => {
    publish({ topic: 'lists', id: done.list.id, version: done.list.version })
    publish({ topic: 'rounds', id: null })
    return done
  }

  handle(desk, routes.readFile, async ({ query, req, gone }) => {
    const path = join(readingsFolder, randomUUID())
    compute.warm('readFile')
    const name = safeName(query.name)
    const pasted = query.pasted === 'yes'
    try {
      await receive(
        req,
        limited(largestTable, `“${name}” is larger than 250 MB, the most that is read as a list.`),
        createWriteStream(path),
      )
      await writeFile(`${path}.json`, JSON.stringify({ name, pasted }))
      return await compute.run('readFile', { path, name, pasted }, { signal: gone })
    } catch (error) {
      await Promise.all([rm(path, { force: true }), rm(`${path}.json`, { force: true })])
      throw error
    }
  })

  handle(desk, routes.readTable, async ({ params, query, gone }) =>
    compute.run('readTable', { file: await given(params.reading), options: query }, { signal: gone }),
  )

  handle(desk, routes.makeList, async ({ body: { reading, name, addressColumn, ...options }, gone }) => {
    const file = await given(reading)
    const id = await works.long({ what: 'bringingIn' }, gone, (run) =>
      compute.run('makeList', { file, options, name, addressColumn, now: clock.now() }, run),
    )
    changed(id)
    return lists.listById(db, id)
  })

  const newerOf = async (newer: z.output<typeof routes.compareList.body>['newer']): Promise<Newer> => {
    if ('groups' in newer) return newer
    const { reading, ...options } = newer
    return { file: await given(reading), options }
  }
  handle(desk, routes.compareList, async ({ params, body, gone }) =>
    works.long({ what: 'comparing', list: params.list }, gone, async (options) =>
      compute.run(
        'compareList',
        {
          listId: params.list,
          newer: await newerOf(body.newer),
          key: body.key,
          now: clock.now(),
          today: today(),
        },
        options,
      ),
    ),
  )
  handle(desk, routes.updateList, async ({ params, body }) => {
    const { newer, key, version, ...wanted } = body
    const update = { newer: await newerOf(newer), key, version, wanted, now: clock.now(), today: today() }
    return edited(
      await works.long({ what: 'updatingList', list: params.list }, null, (options) =>
        compute.run('updateList', { listId: params.list, ...update }, { ...options, gently: true }),
      ),
    )
  })

  handle(desk, routes.lists, async () => {
    const away = await hidden(db)
    return (await lists.lists(db))
      .filter(({ id }) => !away.lists.has(id))
      .map((list) => ({ ...list, rounds: list.rounds.filter(({ id }) => !away.rounds.has(id)) }))
  })
  handle(desk, routes.list, ({ params }) => lists.listById(db, params.list))
  handle(desk, routes.startList, async ({ body }) => {
    const names = new Set(body.columns.map((c) => c.name.toLowerCase()))
    if (names.size < body.columns.length)
      throw new Refusal(422, 'Two of the headings are the same. Fields could not tell them apart; nothing was made.')
    const columns: Column[] = body.columns.map((c, i) => ({ id: `c${i + 1}`, ...c }))
    const source = { fileName: null, sheet: null, said: [] }
    const id = await lists.insertList(db, { name: body.name, columns, source, createdAt: clock.now() }, 0, [])
    changed(id)
    return lists.listById(db, id)
  })
  handle(desk, routes.renameList, async ({ params, body }) => {
    await lists.listById(db, params.list)
    await lists.renameList(db, params.list, body.name)
    changed(params.list)
    publish({ topic: 'rounds', id: null })
    return lists.listById(db, params.list)
  })
  const copy = async (from: Parameters<PeopleJobs['copyList']>[0]['from'], name: string, rowIds?: number[]) => {
    const wanted = { from, name, rowIds, now: clock.now(), today: today() }
    const about = { what: 'copyingList' as const, ...('listId' in from ? { list: from.listId } : {}) }
    const id = await works.long(about, null, (options) => compute.run('copyList', wanted, { ...options, gently: true }))
    changed(id)
    return lists.listById(db, id)
  }
  handle(desk, routes.copyList, async ({ params, body }) => {
    const made = await copy({ listId: params.list }, body.name, body.rows)
    await shareAlike(db, { kind: 'list', id: params.list }, { kind: 'list', id: made.id })
    return made
  })
  handle(desk, routes.deleteList, async ({ params }) => {
    const list = (await lists.lists(db)).find((l) => l.id === params.list)
    if (!list) throw notFound('list')
    const { rounds } = list
    if (rounds.length > 0)
      throw new Refusal(
        409,
        `“${list.name}” is the list of ${rounds.length === 1 ? `“${rounds[0].title}”` : `${rounds.length} rounds`}, and was not deleted.`,
        'List in use',
      )
    await db.transaction(async (tx) => {
      await lists.deleteList(tx, list.id)
      await noteDeed(tx, clock.now(), 'listDeleted', { list: list.name })
    })
    changed(list.id)
    return {}
  })

  handle(desk, routes.rows, async ({ params, query, res }) => {
    res.type('json').send(await lists.rowsText(db, params.list, query.from, query.count))
    return undefined
  })
  handle(desk, routes.derivedRows, ({ params, query }) =>
    compute.run('derivedRows', { listId: params.list, ...query, today: today() }),
  )
  handle(desk, routes.someRows, async ({ params, body, res }) => {
    res.type('json').send(await lists.someRowsText(db, params.list, body.rows))
    return undefined
  })
  // Only where rows are sorted is anything to be computed.
  handle(desk, routes.order, async ({ params, query, res }) => {
    if (query.own === undefined && (await lists.listById(db, params.list)).sort.length > 0)
      return compute.run('order', { listId: params.list, today: today() })
    res.type('json').send(await lists.orderText(db, params.list))
    return undefined
  })
  handle(desk, routes.findCells, ({ params, body, gone }) =>
    compute.run('findCells', { listId: params.list, ...body, today: today() }, { signal: gone }),
  )
  handle(desk, routes.rowsWith, ({ params, query, gone }) =>
    compute.run('rowsWith', { listId: params.list, ...query, today: today() }, { signal: gone }),
  )

  handle(desk, routes.columnValues, ({ params, query, gone }) =>
    compute.run(
      'columnValues',
      { listId: params.list, column: params.column, ...query, today: today() },
      { signal: gone },
    ),
  )

  handle(desk, routes.editList, async ({ params, body }) =>
    edited(await compute.run('editList', { listId: params.list, ...body, now: clock.now() })),
  )
  handle(desk, routes.undoEdit, async ({ params }) =>
    edited(await compute.run('undoEdit', { listId: params.list, which: 'undo', now: clock.now() })),
  )
  handle(desk, routes.redoEdit, async ({ params }) =>
    edited(await compute.run('undoEdit', { listId: params.list, which: 'redo', now: clock.now() })),
  )
  handle(desk, routes.tryRecipe, ({ params, body }) =>
    compute.run('tryRecipe', { listId: params.list, recipe: body.recipe, count: body.rows, today: today() }),
  )

  handle(desk, routes.listFile, async ({ params, query, res, gone }) => {
    const { name, bytes } = await works.long({ what: 'writingList', list: params.list }, gone, (options) =>
      compute.run('writeList', { listId: params.list, as: query.as, today: today() }, options),
    )
    await noteDeed(db, clock.now(), 'listTaken', { list: name })
    return giveFile(res, `${name}.${query.as}`, mediaTypes[query.as], Buffer.from(bytes))
  })
  handle(desk, routes.sampleTable, async ({ query, res }) => {
    const bytes = await compute.run('writeSample', { as: query.as })
    return giveFile(res, `Sample table.${query.as}`, mediaTypes[query.as], Buffer.from(bytes))
  })

  handle(desk, routes.savedRules, () => book.savedRules(db))
  handle(desk, routes.saveRules, async ({ body }) => ({
    id: await book.saveRules(db, body.name, body.selection, body.columns),
  }))
  handle(desk, routes.forgetRules, async ({ params }) => {
    await book.forgetRules(db, params.rules)
    return {}
  })

  handle(desk, routes.doubles, ({ params }) => compute.run('doubles', { listId: params.list, today: today() }))
  handle(desk, routes.mergeRows, async ({ params, body }) => {
    edited(await compute.run('mergeRows', { listId: params.list, sets: body.sets, now: clock.now() }))
    return { merged: body.sets.length }
  })
  handle(desk, routes.listFromGroups, ({ body }) => copy({ groups: body.groups }, body.name))
}
