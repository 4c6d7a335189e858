import { setTimeout as sleep } from 'node:timers/promises'
import { type CallInput, call, mailboxSettingsSchema, type Route, routes } from '@hand-post/contract'
import type { z } from 'zod'
import { type PracticeMailbox, startPractice } from '../../practice/src/index.ts'
import { random } from './fuzz.ts'
import { office, peopleCsv } from './world.ts'

// A round that goes out by a program of its own, which is then ended, or stopped, in the midst of it.

/** Calls the API at an address. */
export type Ask = <R extends Route>(route: R, input?: CallInput<R>) => Promise<z.output<R['answer']>>
export const askAt =
  (address: () => string): Ask =>
  (route, input = {}) =>
    call(address(), route, input)

/** The address of a made-up person. */
export const person = (i: number) => `person${i}@village.example`

/**
 * A practice mailbox of so many people, and a host that is slow both before and after it has taken a message: between the two lies the
 * moment that nobody can know of.
 * @param slow how long (ms) it takes each time, at most.
 */
export async function slowPractice(
  folder: string,
  people: number,
  slow: number,
  chance = random(1),
  accounts: string[] = [office],
): Promise<PracticeMailbox> {
  const practice = await startPractice({
    folder,
    accounts: Object.fromEntries(accounts.map((one) => [one, 'practice'])),
    limits: { perDay: 100_000, perMinute: 100_000 },
    manners: Object.fromEntries(Array.from({ length: people }, (_, i) => [person(i), {}])),
    lookEvery: 0,
  })
  const add = practice.store.add.bind(practice.store)
  practice.store.add = async (...given) => {
    if (given[1] === 'INBOX') await sleep(chance() * slow)
    const stored = await add(...given)
    if (given[1] === 'INBOX') await sleep(chance() * slow)
    return stored
  }
  return practice
}

/** How many messages each person has had. */
export async function hadBy(practice: PracticeMailbox, people: number): Promise<number[]> {
  const had: number[] = []
  for (let i = 0; i < people; i++) had.push((await practice.store.box(person(i), 'INBOX')).messages.length)
  return had
}

/** Waits until so many people have had something, two minutes at most. */
export async function untilHad(practice: PracticeMailbox, people: number, n: number): Promise<void> {
  for (let i = 0; i < 2400 && (await hadBy(practice, people)).filter((one) => one > 0).length < n; i++) await sleep(50)
}

/** The first mailbox, with limits that hold nothing up. */
export async function fastMailbox(ask: Ask): Promise<number> {
  const [mailbox] = await ask(routes.mailboxes)
  await ask(routes.changeMailbox, {
    params: { mailbox: mailbox.id },
    body: { ...mailboxSettingsSchema.parse(mailbox), perDay: 100_000, perMinute: 100_000 },
  })
  return mailbox.id
}

/** Posts a round to people from one on up to another, as fast as its mailbox sends. Gives its number. */
export async function postRound(ask: Ask, from: number, to: number, mailboxId?: number): Promise<number> {
  const [head, ...rows] = peopleCsv(to)
    .replace(/,permit-\d+\.pdf/g, '')
    .replace(',Permit', '')
    .split('\r\n')
  const file = Buffer.from([head, ...rows.slice(from)].join('\r\n'))
  const reading = await ask(routes.readFile, { query: { name: 'people.csv' }, file })
  const list = await ask(routes.makeList, { body: { reading: reading.id } })
  const { id } = await ask(routes.startRound, { body: { title: 'Killed' } })
  await ask(routes.changeRound, {
    params: { round: id },
    body: {
      listId: list.id,
      letterHtml: { subject: 'Berth {{Berth}}', html: '<p>Dear {{Name}}</p>' },
      dispatch: { perMinute: 100_000 },
      ...(mailboxId === undefined ? {} : { mailboxId }),
    },
  })
  await ask(routes.post, { params: { round: id }, body: { messages: to - from } })
  return id
}
