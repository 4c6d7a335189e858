import type { List, Round } from '@hand-post/contract'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { listById } from '../people/store.ts'
import type { Computes } from '../threads/job.ts'
import { chasersOf } from './chasers.ts'
import { filesOf, madeFilesOf, matchesOf } from './files.ts'
import type { RoundJobs } from './jobs.ts'
import { postedVersions } from './postedVersions.ts'
import { onPaperByHand, paperCountsOf, roundById, setAsideOf, statesOf } from './store.ts'

/** What it takes to tell a round as the API gives it. */
export interface WholeParts {
  db: Database
  clock: Clock
  compute: Computes<PeopleJobs & RoundJobs>
}

/** The columns of addresses of which the writer has not said yet which is written to; null where there is nothing to ask. */
function addressesToAsk({ addressColumn, columns }: List): string[] | null {
  const addresses = columns.filter((c) => c.kind === 'address').map((c) => c.id)
  const answered = columns.some((c) => c.id === addressColumn)
  return answered || addresses.length < 2 ? null : addresses
}

/** A round as the API gives it. */
export async function wholeRound({ db, compute, clock }: WholeParts, id: number): Promise<Round> {
  const { listId, filesVersion: _, chases, ...round } = await roundById(db, id)
  const followed = chases === null ? null : await roundById(db, chases)
  const list = listId === null ? null : await listById(db, listId)
  const setAside = await setAsideOf(db, id)
  const known = new Set(list?.columns.map((c) => c.id))
  const there = (column: string | null) => (column !== null && known.has(column) ? column : null)
  return {
    ...round,
    addressColumn: there(round.addressColumn),
    filesColumn: there(round.filesColumn),
    nameColumns: round.nameColumns.filter((column) => known.has(column)),
    paper: { ...round.paper, columns: round.paper.columns.filter(({ column }) => known.has(column)) },
    // Asked once: whatever the writer answers is kept with the list.
    perhapsAddresses: list === null || round.postedAt !== null ? null : addressesToAsk(list),
    perhapsNames:
      list !== null && list.nameColumns === null && round.postedAt === null && round.nameColumns.length === 0
        ? (await compute.run('namesOf', { listId: list.id })).columns
        : null,
    list,
    chases: followed && { id: followed.id, title: followed.title, postedAt: followed.postedAt },
    chasers: await chasersOf(db, id),
    setAside,
    counts: await compute.run('counts', { roundId: id, now: clock.now() }),
    files: await filesOf(db, id),
    fileMatches: await matchesOf(db, id),
    madeFiles: (await madeFilesOf(db, id)).map(({ rowId, fileId }) => ({ rowId, fileId })),
    states: await statesOf(db, id),
    onPaperByHand: await onPaperByHand(db, id),
    paperLetters: await paperCountsOf(db, id),
    versions: await postedVersions(db, id),
  }
}
