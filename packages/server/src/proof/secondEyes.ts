import type { SecondEyes } from '@hand-post/contract'
import { displayName, readingSetOf, times, verb } from '@hand-post/core'
import { lastChangedBy } from '../accounts/changes.ts'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import { everybody, type LoadedRound } from '../rounds/loadRound.ts'
import type { RoundRecord } from '../rounds/store.ts'
import { whoActs } from '../who.ts'
import { printsOf } from './readLetters.ts'
import { readOf } from './store.ts'

/** How many people are named whose letters were changed. */
const maxNamed = 5

/** What wants a second pair of eyes for a round: itself, or its mailbox for all of its rounds; null where nothing does. */
async function wantedBy(db: Database, round: RoundRecord): Promise<SecondEyes['by']> {
  const { settings } = await mailboxById(db, round.mailboxId)
  return round.secondEyes ? 'round' : settings.secondEyes === true ? 'mailbox' : null
}

/** How it stands with a second pair of eyes for a round, for whoever acts. */
export async function secondEyesOf(db: Database, loaded: LoadedRound): Promise<SecondEyes> {
  const { round } = loaded
  const by = await wantedBy(db, round)
  const changed = await lastChangedBy(db, round.id, round.listId)
  const who = whoActs()
  if (by === null) return { by, lastChanged: changed, own: false, unread: 0, of: 0, changedSince: [] }
  const kept = await readOf(db, round.id)
  const printOf = printsOf(loaded)
  const all = everybody(loaded)
  const byId = new Map(all.map((row) => [row.id, row]))
  const set = readingSetOf({ ...loaded.toProof, people: all }).map(({ rowId }) => byId.get(rowId)!)
  const unread = set.filter((row) => kept.get(row.id) !== printOf(row))
  return {
    by,
    lastChanged: changed,
    own: who !== null && changed?.id === who.id,
    unread: unread.length,
    of: set.length,
    changedSince: unread
      .filter((row) => kept.has(row.id))
      .slice(0, maxNamed)
      .map((row) => displayName(row, round.nameColumns, round.addressColumn)),
  }
}

/**
 * Refuses to post by whoever acts, where a second pair of eyes is wanted and theirs are not.
 * @returns who changed it last; null where nobody did, or no second pair of eyes is wanted.
 */
export async function needsSecondEyes(db: Database, loaded: LoadedRound): Promise<string | null> {
  const { by, lastChanged, own, unread, of, changedSince } = await secondEyesOf(db, loaded)
  if (by === null) return null
  const refused = (words: string) => refusal(by, `${words} Nothing was posted.`)
  if (whoActs() === null) throw refused('Nobody signs in here, so there is no second one: set up accounts first.')
  if (own) throw refused('You changed it last, so somebody else who may post reads the reading set, and posts it.')
  if (unread > 0)
    throw refused(
      `Of the reading set ${times(unread, 'letter')} of ${of} ${verb(unread, 'is', 'are')} not read by you as ${verb(unread, 'it stands', 'they stand')} now${
        changedSince.length > 0
          ? `; changed since you read ${verb(changedSince.length, 'it', 'them')}: ${changedSince.join(', ')}`
          : ''
      }. Read them at Proof.`,
    )
  return lastChanged?.name ?? null
}

const refusal = (by: 'round' | 'mailbox', words: string) =>
  new Refusal(409, `A second pair of eyes is wanted for this ${by}. ${words}`, 'A second pair of eyes')

/**
 * Refuses to send one letter of a posted round, made anew of the list as it stands now, by whoever changed it last, where a second pair of eyes
 * is wanted: the address that is put right is what nobody else has seen. Of the letter itself the reading set was read before it was posted.
 */
export async function needsOtherHand(db: Database, round: RoundRecord): Promise<void> {
  const by = await wantedBy(db, round)
  if (by === null) return
  const who = whoActs()
  if (who === null)
    throw refusal(by, 'Nobody signs in here, so there is no second one: set up accounts first. Nothing was sent.')
  if ((await lastChangedBy(db, round.id, round.listId))?.id === who.id)
    throw refusal(
      by,
      'You changed the round or its list last, so somebody else who may post looks at the new address, and sends this letter. Nothing was sent.',
    )
}
