import { type PersonPage, routes } from '@hand-post/contract'
import {
  automaticOnes,
  dayOf,
  findAddressColumn,
  findNameColumns,
  isPersons,
  outcomeOf,
  personName,
  sameAddressKey,
  shown,
} from '@hand-post/core'
import { hidden } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import { type Desk, handle } from '../http/handle.ts'
import * as book from '../people/bookStore.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { listById } from '../people/store.ts'
import { notFound } from '../problem.ts'
import type { Computes } from '../threads/job.ts'
import { filesOfResponses } from './returnedStore.ts'
import { asHeard, responsesOfMessages } from './store.ts'
import { addressesOf, forgetAddress } from './trayStore.ts'

/** A person over all rounds: what they were sent, and what came back. */
export function personRoutes(
  desk: Desk,
  { db, clock, compute }: { db: Database; clock: Clock; compute: Computes<PeopleJobs> },
): void {
  handle(desk, routes.person, async ({ query }): Promise<PersonPage> => {
    const key = sameAddressKey(query.address)
    const list = await listById(db, await book.bookId(db, clock.now()))
    const address = findAddressColumn(list.columns)
    const row = address
      ? (
          await compute.run('rowsOfAddresses', {
            listId: list.id,
            column: address,
            keys: [key],
            today: dayOf(clock.now()),
          })
        ).get(key)
      : undefined
    const all = await addressesOf(db, key)
    const away = (await hidden(db)).rounds
    const messages = (await book.messagesTo(db, all)).filter(({ round }) => !away.has(round))
    const heard = await responsesOfMessages(
      db,
      messages.map(({ id }) => id),
      // Every letter has a line of its own here, that of a chaser too.
      false,
    )
    const files = await filesOfResponses(
      db,
      [...heard.values()].flatMap((some) => some.flatMap(({ id, kind }) => (kind === 'reply' ? id : []))),
    )
    const rounds = messages.map(({ id, person: _, ...message }) => {
      const came = (heard.get(id) ?? []).map(asHeard)
      const machine = message.sentAt === null ? new Map() : automaticOnes(message.sentAt, came)
      return {
        ...message,
        outcome: outcomeOf({ state: message.state, sentAt: message.sentAt, responses: came }),
        responses: came
          .filter((r) => isPersons(r) && !machine.has(r))
          .map((r) => ({
            kind: r.kind,
            at: r.at,
            words: r.details.words ?? '',
            forgotten: r.details.forgotten === true,
          })),
        returned: came.flatMap((r) => (isPersons(r) ? (files.get(r.id) ?? []) : [])),
      }
    })
    return {
      address: query.address,
      also: all.filter((one) => one !== key),
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
  handle(desk, routes.forgetAddress, async ({ query }) => {
    if (!(await forgetAddress(db, sameAddressKey(query.address)))) throw notFound('address')
    return {}
  })
}
