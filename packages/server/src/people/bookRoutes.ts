import { routes, type Wish } from '@hand-post/contract'
import {
  addressFault,
  type Column,
  dayOf,
  findAddressColumn,
  findNameColumns,
  sameAddressKey,
  shown,
} from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { type Desk, handle } from '../http/handle.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { usingImap } from '../mailboxes/imap.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import type { Computes } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import * as book from './bookStore.ts'
import type { PeopleJobs } from './jobs.ts'
import { fileOf } from './readings.ts'
import { readSenders } from './senders.ts'
import { listById } from './store.ts'

const day = 24 * 60 * 60 * 1000

/** What the routes of the address book need. */
export interface BookParts {
  db: Database
  clock: Clock
  compute: Computes<PeopleJobs>
  keys: MailboxKeys
  /** Where files given to be read lie until they are stored. */
  readingsFolder: string
  /** Puts an address on the do-not-write list and sets aside what waits for it; gives how many letters that were. */
  refuse: (address: string, reason: string) => Promise<number>
  publish: Publish
  works: Works
}

/** The address book, its groups, the do-not-write list, and people found in a mailbox. */
export function bookRoutes(
  desk: Desk,
  { db, clock, compute, keys, readingsFolder, refuse, publish, works }: BookParts,
): void {
  const changed = (id: number | null = null) => publish({ topic: 'lists', id })

  handle(desk, routes.book, async () => ({
    list: await listById(db, await book.bookId(db, clock.now())),
    groups: await book.groups(db),
  }))
  handle(desk, routes.addGroup, async ({ body }) => {
    if ((await book.groups(db)).some((g) => g.name === body.name))
      throw new Refusal(
        409,
        `There is already a group with the name “${body.name}”. Choose another name.`,
        'Name taken',
      )
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
    publish({ topic: 'round', id: null })
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
    const keys = body.people.map((person) => sameAddressKey(person.address))
    const rows = await compute.run('rowsOfAddresses', { listId, column: address, keys, today: dayOf(clock.now()) })
    const known = new Map([...rows].map(([key, row]) => [key, row.id]))
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

  handle(desk, routes.planContacts, async ({ body: { reading, asGroups, ...options }, gone }) =>
    compute.run(
      'planContacts',
      {
        bookId: await book.bookId(db, clock.now()),
        file: await fileOf(readingsFolder, reading),
        options,
        asGroups,
      },
      { signal: gone },
    ),
  )
  handle(
    desk,
    routes.bringInContacts,
    async ({ body: { reading, asGroups, version, group, differing, ...options } }) => {
      if (group !== null) await book.groupById(db, group)
      const given = {
        bookId: await book.bookId(db, clock.now()),
        file: await fileOf(readingsFolder, reading),
        options,
        asGroups,
        version,
        group,
        differing,
        now: clock.now(),
      }
      const edited = await works.long({ what: 'contacts' }, null, (run) =>
        compute.run('bringInContacts', given, { ...run, gently: true }),
      )
      changed(edited?.list.id ?? null)
      publish({ topic: 'round', id: null })
      return edited
    },
  )

  handle(desk, routes.doNotWrite, () => book.refusedAddresses(db))
  handle(desk, routes.refuseAddress, async ({ body }) => {
    const fault = addressFault(body.address)
    if (fault)
      throw new Refusal(422, `“${body.address}” is not an address: ${fault}. Nothing was changed.`, 'Not an address')
    const setAside = await refuse(body.address, body.reason)
    publish({ topic: 'round', id: null })
    publish({ topic: 'messages', id: null })
    return { setAside }
  })
  handle(desk, routes.allowAddress, async ({ query }) => {
    await book.allowAddress(db, query.address)
    publish({ topic: 'round', id: null })
    return {}
  })

  handle(desk, routes.senders, async ({ params, query }) => {
    const mailbox = await mailboxById(db, params.mailbox)
    const since = new Date(clock.now() - query.days * day)
    return usingImap(keys.accessOf(mailbox), (client) => readSenders(client, since, [mailbox.settings.address])).catch(
      (error: unknown) => {
        throw new Refusal(
          502,
          `The inbox cannot be read: ${error instanceof Error ? error.message : error}. Look at Mailboxes.`,
          'No connection',
        )
      },
    )
  })
}
