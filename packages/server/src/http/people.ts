import { randomUUID } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { access, readFile, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import { type Column, changeFields } from '@hand-post/core'
import type { Express } from 'express'
import type { Context } from '../context.ts'
import { safeName } from '../enclosures/fileStore.ts'
import * as lists from '../people/store.ts'
import { notFound, Refusal } from '../problem.ts'
import { draftsWithList, updateRound } from '../rounds/store.ts'
import { handle } from './handle.ts'
import { limited, receive } from './upload.ts'

/** Octets of a file that is read as a table. */
const largestTable = 50_000_000

export function peopleHandlers(app: Express, { db, compute, clock, tell, readingsFolder }: Context): void {
  const pathOf = async (reading: string) => {
    if (!/^[\w-]{36}$/.test(reading)) throw notFound('reading')
    const path = join(readingsFolder, reading)
    await access(path).catch(() => {
      throw new Refusal(404, 'The file given before is no longer here. Choose it again.', 'Not found')
    })
    return { path, name: await readFile(`${path}.name`, 'utf8') }
  }

  handle(app, routes.readFile, async ({ query, req, gone }) => {
    const path = join(readingsFolder, randomUUID())
    const name = safeName(query.name)
    try {
      await receive(
        req,
        limited(largestTable, `“${name}” is larger than 50 MB, the most that is read as a list.`),
        createWriteStream(path),
      )
      await writeFile(`${path}.name`, name)
      return await compute.run('readFile', { path, name }, { signal: gone })
    } catch (error) {
      await Promise.all([rm(path, { force: true }), rm(`${path}.name`, { force: true })])
      throw error
    }
  })

  handle(app, routes.readTable, async ({ params, query, gone }) =>
    compute.run(
      'readTable',
      { ...(await pathOf(params.reading)), sheet: query.sheet, headingsRow: query.headingsRow },
      { signal: gone },
    ),
  )

  handle(app, routes.makeList, async ({ body, gone }) => {
    const { path, name: fileName } = await pathOf(body.reading)
    const id = await compute.run(
      'makeList',
      { path, fileName, sheet: body.sheet, headingsRow: body.headingsRow, name: body.name, now: clock.now() },
      { signal: gone, onProgress: (progress) => tell({ topic: 'progress', id: null, progress }) },
    )
    tell({ topic: 'lists', id })
    return lists.listById(db, id)
  })

  handle(app, routes.lists, () => lists.lists(db))
  handle(app, routes.list, ({ params }) => lists.listById(db, params.list))
  handle(app, routes.rows, async ({ params, query }) => {
    const { version } = await lists.listById(db, params.list)
    return { version, rows: await lists.rowsOf(db, params.list, query.from, query.count) }
  })

  handle(app, routes.changeColumn, async ({ params, body }) => {
    const list = await lists.listById(db, params.list)
    const column = list.columns.find((c) => c.id === params.column)
    if (!column) throw notFound('column')
    if (
      body.name !== undefined &&
      list.columns.some((c) => c.id !== column.id && c.name.toLowerCase() === body.name!.toLowerCase())
    )
      throw new Refusal(
        409,
        `Another column is called “${body.name}” already. Choose another name; fields could not tell them apart.`,
        'Name taken',
      )
    const changed: Column = { ...column, ...body }
    await db.transaction(async (tx) => {
      await lists.setColumns(
        tx,
        list.id,
        list.columns.map((c) => (c.id === column.id ? changed : c)),
      )
      if (body.name === undefined || body.name === column.name) return
      for (const round of await draftsWithList(tx, list.id))
        await updateRound(
          tx,
          round.id,
          {
            letter: changeFields(round.letter, (f) =>
              f.column.toLowerCase() === column.name.toLowerCase() ? { ...f, column: changed.name } : f,
            ),
          },
          clock.now(),
        )
    })
    tell({ topic: 'lists', id: list.id })
    tell({ topic: 'rounds', id: null })
    return lists.listById(db, list.id)
  })

  handle(app, routes.changeCell, async ({ params, body }) => {
    const list = await lists.listById(db, params.list)
    if (!list.columns.some((c) => c.id === params.column)) throw notFound('column')
    const row = await lists.setCell(db, params.list, params.row, params.column, body.text.trim())
    tell({ topic: 'lists', id: params.list })
    return row
  })

  handle(app, routes.addRow, async ({ params, body }) => {
    const list = await lists.listById(db, params.list)
    const cells = Object.fromEntries(
      Object.entries(body.cells).filter(([id, text]) => text !== '' && list.columns.some((c) => c.id === id)),
    )
    const row = await lists.addRow(db, params.list, cells)
    tell({ topic: 'lists', id: params.list })
    return row
  })
}
