import { type PersonPage, routes, type Wish } from '@hand-post/contract'
import {
  addressFault,
  automaticOnes,
  type Column,
  findAddressColumn,
  findNameColumns,
  outcomeOf,
  personName,
  sameAddressKey,
  shown,
} from '@hand-post/core'
import type { Context } from '../context.ts'
import { accessOf } from '../dispatch/dispatcher.ts'
import { usingImap } from '../mailboxes/connections.ts'
import { mailboxById, mailboxRecords } from '../mailboxes/store.ts'
import * as book from '../people/bookStore.ts'
import { listById, rowsOf } from '../people/store.ts'
import { Refusal } from '../problem.ts'
import { readSenders } from '../responses/senders.ts'
import { responsesOfMessage } from '../responses/store.ts'
import { type Desk, handle } from './handle.ts'

const day = 24 * 60 * 60 * 1000

export function bookHandlers(desk: Desk, { db, clock, compute, secrets, dispatcher, tell }: Context): void {
  const changed = (id: number | null = null) => tell({ topic: 'lists', id })

  handle(desk, routes.book, async () => ({
    list: await listById(db, await book.bookId(db, clock.now())),
    groups: await book.groups(db),
  }))
  handle(desk, routes.addGroup, async ({ body }) => {
    if ((await book.groups(db)).some((g) => g.name === body.name))
      throw new Refusal(409, `A group is called “${body.name}” already. Choose another name.`, 'Name taken')
    const id = await book.groupNamed(db, body.name)
    await book.addMembers(db, id, body.members)
    changed()
    return book.groupById(db, id)
  })
  handle(desk, routes.changeGroup, async ({ params, body }) => {
    const group = await book.groupById(db, params.group)
    if (body.name !== undefined) await book.renameGroup(db, group.id, body.name)
    await book.addMembers(db, group.id, body.add)
    await book.removeMembers(db, group.id, body.remove)
    changed()
    tell({ topic: 'round', id: null })
    return book.groupById(db, group.id)
  })
  handle(desk, routes.deleteGroup, async ({ params }) => {
    await book.groupById(db, params.group)
    await book.deleteGroup(db, params.group)
    changed()
    return {}
  })

  handle(desk, routes.addToBook, async ({ body }) => {
    for (const { address } of body.people) {
      const fault = addressFault(address)
      if (fault)
        throw new Refusal(
          422,
          `“${address}” cannot go into the address book: ${fault}. Nothing was added.`,
          'Not an address',
        )
    }
    const listId = await book.bookId(db, clock.now())
    const list = await listById(db, listId)
    const columns: Column[] = list.columns
    const address = findAddressColumn(columns)
    if (address === null)
      throw new Refusal(409, 'The address book has no column of addresses any more. Undo its deletion first.')
    const names = findNameColumns(columns)
    const rows = await rowsOf(db, listId)
    const known = new Map(rows.map((row) => [sameAddressKey(shown(row.cells[address])), row.id]))
    const fresh = new Map<string, Record<string, string>>()
    for (const person of body.people) {
      const key = sameAddressKey(person.address)
      if (known.has(key) || fresh.has(key)) continue
      // With one column for names the whole goes into it, with two the last word is the last name.
      const words = person.name.trim().split(/\s+/)
      const name: Record<string, string> =
        names.length === 2
          ? { [names[0]]: words.slice(0, -1).join(' ') || words[0], [names[1]]: words.length > 1 ? words.at(-1)! : '' }
          : names.length === 1
            ? { [names[0]]: person.name.trim() }
            : {}
      fresh.set(key, { ...name, [address]: person.address })
    }
    if (fresh.size > 0) {
      const wishes: Wish[] = [{ do: 'addRows', rows: [...fresh.values()] }]
      const words = fresh.size === 1 ? 'Add a contact' : `Add ${fresh.size} contacts`
      const { edits } = await compute.run('editList', { listId, wishes, words, now: clock.now() })
      for (const edit of edits)
        if (edit.do === 'addRows')
          for (const row of edit.rows) known.set(sameAddressKey(shown(row.cells[address])), row.id)
    }
    let group = null
    if (body.group) {
      const id = await book.groupNamed(db, body.group)
      await book.addMembers(
        db,
        id,
        body.people.map((p) => known.get(sameAddressKey(p.address))!),
      )
      group = await book.groupById(db, id)
    }
    changed(listId)
    const addresses = new Set(body.people.map((p) => sameAddressKey(p.address)))
    return { added: fresh.size, known: addresses.size - fresh.size, group }
  })

  handle(desk, routes.person, async ({ query }): Promise<PersonPage> => {
    const key = sameAddressKey(query.address)
    const list = await listById(db, await book.bookId(db, clock.now()))
    const address = findAddressColumn(list.columns)
    const row = address
      ? (await rowsOf(db, list.id)).find((r) => sameAddressKey(shown(r.cells[address])) === key)
      : undefined
    const messages = await book.messagesTo(db, key)
    const rounds = await Promise.all(
      messages.map(async ({ id, person: _, ...message }) => {
        const came = (await responsesOfMessage(db, id)).map((r) => ({ ...r, link: r.details.link }))
        const machine = message.sentAt === null ? new Set() : automaticOnes(message.sentAt, came)
        return {
          ...message,
          outcome: outcomeOf({ state: message.state, sentAt: message.sentAt, responses: came }),
          responses: came
            .filter((r) => !machine.has(r))
            .map((r) => ({ kind: r.kind, at: r.at, words: r.details.words ?? '' })),
        }
      }),
    )
    return {
      address: query.address,
      name: (row && personName(row, findNameColumns(list.columns))) || (messages[0]?.person ?? query.address),
      contact: row
        ? {
            row: row.id,
            cells: list.columns.map((c) => ({ column: c.name, shown: shown(row.cells[c.id]) })),
            groups: (await book.groups(db)).filter((g) => g.members.includes(row.id)).map((g) => g.name),
          }
        : null,
      doNotWrite: (await book.refusedAddresses(db)).find((r) => r.address === key) ?? null,
      rounds,
    }
  })

  handle(desk, routes.doNotWrite, () => book.refusedAddresses(db))
  handle(desk, routes.refuseAddress, async ({ body }) => {
    const fault = addressFault(body.address)
    if (fault)
      throw new Refusal(422, `“${body.address}” is no address: ${fault}. Nothing was changed.`, 'Not an address')
    const setAside = await book.refuseAddress(db, body.address, body.reason, clock.now())
    for (const { id } of await mailboxRecords(db)) await dispatcher.replan(id)
    tell({ topic: 'round', id: null })
    tell({ topic: 'messages', id: null })
    return { setAside }
  })
  handle(desk, routes.allowAddress, async ({ query }) => {
    await book.allowAddress(db, query.address)
    tell({ topic: 'round', id: null })
    return {}
  })

  handle(desk, routes.senders, async ({ params, query }) => {
    const mailbox = await mailboxById(db, params.mailbox)
    const since = new Date(clock.now() - query.days * day)
    return usingImap(accessOf(mailbox, secrets), (client) =>
      readSenders(client, since, [mailbox.settings.address]),
    ).catch((error: unknown) => {
      throw new Refusal(
        502,
        `The inbox cannot be read: ${error instanceof Error ? error.message : error}. Look at Mailboxes.`,
        'No connection',
      )
    })
  })
}
