import {
  type ByOutcome,
  type CameOfField,
  choosingByOutcome,
  columnsByOutcome,
  type DayInLetter,
  daysInLetter,
  type Selection,
  selectionSchema,
  type Wish,
  withOtherWords,
} from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { listById } from '../people/store.ts'
import { Refusal } from '../problem.ts'
import { boardOf } from '../responses/board.ts'
import { roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'

/** Whom a round like another can be for, with how many people each are. */
interface PeopleOffered {
  answered: number
  notAnswered: number
  notReached: number
  words: { word: string; people: number }[]
  choices: { choice: string; people: number }[]
}

/** What a round like another would be called, what its letter names of days, and whom it can be for. */
export async function nextTime(
  db: Database,
  roundId: number,
): Promise<{ title: string; list: string | null; days: DayInLetter[]; people: PeopleOffered | null }> {
  const { title, letter, listId, mailboxId, postedAt, createdAt } = await roundById(db, roundId)
  const { timeZone } = (await mailboxById(db, mailboxId)).settings
  const [named] = daysInLetter({ subject: title, body: { type: 'doc', content: [] } }, 0, timeZone)
  return {
    title: named ? title.replace(named.words, named.next) : title,
    list: listId === null ? null : (await listById(db, listId)).name,
    days: daysInLetter(letter, postedAt ?? createdAt, timeZone),
    people: listId === null || postedAt === null ? null : await peopleOffered(db, roundId),
  }
}

async function peopleOffered(db: Database, roundId: number): Promise<PeopleOffered> {
  const { counts, words, choices } = await boardOf(db, roundId)
  const { messages, replied, bounced, refused, withdrawn, waiting } = counts
  const some = <One extends { people: number }>(all: One[]) => all.filter(({ people }) => people > 0)
  return {
    answered: replied,
    notAnswered: messages - withdrawn - waiting - replied,
    notReached: bounced + refused,
    words: some(words),
    choices: some(choices),
  }
}

/** How columns of what came of a round are called. */
const columnNames: Readonly<Record<CameOfField, string>> = {
  outcome: 'outcome',
  word: 'word',
  choice: 'choice',
  repliedAt: 'answered',
  files: 'files',
  chased: 'chased',
}

/**
 * The people of a round who are meant by what came of it, as rules. Columns that the list has not yet are added, as a change that can be
 * undone.
 * @throws Refusal where there is no list, or the rules would stand too deep in one another.
 */
export async function peopleByOutcome(
  { db, compute }: { db: Database; compute: Computes<PeopleJobs> },
  roundId: number,
  choice: ByOutcome,
  now: number,
): Promise<Selection> {
  const { title, listId, selection } = await roundById(db, roundId)
  const wanted = columnsByOutcome(choice)
  if (wanted.length === 0) return selection
  if (listId === null) throw new Refusal(409, `“${title}” has no list to choose people of.`, 'No list')
  const columnsThere = async () => {
    const { columns } = await listById(db, listId)
    return new Map(
      columns.flatMap(({ id, recipe }) =>
        recipe?.do === 'cameOf' && recipe.round === roundId ? [[recipe.what, id] as const] : [],
      ),
    )
  }
  const there = await columnsThere()
  const wishes = wanted
    .filter((what) => !there.has(what))
    .map(
      (what): Wish => ({
        do: 'addColumn',
        column: {
          name: `${title}: ${columnNames[what]}`,
          kind: 'text',
          recipe: { do: 'cameOf', round: roundId, what },
        },
      }),
    )
  if (wishes.length > 0) await compute.run('editList', { listId, wishes, words: `Add what came of “${title}”`, now })
  const columns = await columnsThere()
  const chosen = choosingByOutcome(selection, choice, (what) => columns.get(what)!)
  if (!selectionSchema.safeParse(chosen).success)
    throw new Refusal(
      409,
      `The rules of “${title}” are too many, or stand too deep in one another, for more to be added. Begin the round for everybody, and choose its people there.`,
      'Too many rules',
    )
  return chosen
}

/**
 * Begins a round like another: its letter, in which some days are others, list, files for everybody, sender and ways. Nothing of its
 * people but how they are chosen: who was set aside or chosen by hand, own files and notes were of that time.
 * @returns its number.
 */
export function beginNextTime(
  db: Database,
  roundId: number,
  {
    title,
    days,
    selection,
    now,
  }: { title: string; days: readonly { words: string; to: string }[]; selection: Selection; now: number },
): Promise<number> {
  return db.transaction(async (tx) => {
    const { letter } = await roundById(tx, roundId)
    const [{ id }] = await tx.query<{ id: number }>(
      `INSERT INTO rounds (title, mailbox_id, list_id, letter, selection, same_address, address_column, name_columns, files_column, file_pattern, sent_as, made, sender, cc, bcc, dispatch, tracking, paper, outcome_words, forget_after, created_at, changed_at)
       SELECT $2, mailbox_id, list_id, $3, $5, same_address, address_column, name_columns, files_column, file_pattern, sent_as, made, sender, cc, bcc,
         dispatch || '{"startAt": null, "until": null}'::jsonb, tracking, paper, outcome_words, forget_after, $4, $4 FROM rounds WHERE id = $1 RETURNING id`,
      [roundId, title, json(withOtherWords(letter, days)), now, json(selection)],
    )
    await tx.query(
      `INSERT INTO round_files (round_id, name, hash, role) SELECT $2, name, hash, role FROM round_files WHERE round_id = $1 AND role = 'common' ORDER BY id`,
      [roundId, id],
    )
    return id
  })
}
