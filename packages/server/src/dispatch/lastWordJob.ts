import type { LastWord } from '@hand-post/contract'
import {
  bareAddress,
  cellIn,
  chaserDaysWords,
  compileCopies,
  displayName,
  domainOf,
  encloser,
  isOwn,
  shown,
  whyNotPrinted,
  ZoneDays,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { openChasers } from '../rounds/chasers.ts'
import { kindsOf } from '../rounds/files.ts'
import { postingFingerprint } from '../rounds/fingerprint.ts'
import { type LoadedRound, loadPeople, loadRound } from '../rounds/loadRound.ts'
import type { JobContext } from '../threads/job.ts'
import { followTimes, planRound } from './planRound.ts'

/** How many people or addresses the last word names. */
const maxNamed = 200

/** What is said before a round is posted. */
export const lastWordJobs = {
  /** Who gets a round's letters and copies, with which files, and what the mailbox may write to after them. Changes nothing. */
  async lastWord({ roundId, now }: { roundId: number; now: number }, { db }: JobContext): Promise<LastWord> {
    // First of all, so that whatever is changed while the rest is being found out is noticed at posting.
    const print = await postingFingerprint(db, roundId)
    const loaded = await loadRound(db, roundId, now)
    const { round, columns, people, toProof, files } = loaded
    const { settings } = await mailboxById(db, round.mailboxId)
    const own = [...new Set([settings.address, ...settings.aliases].map(domainOf))]
    const copiesOf = compileCopies(toProof.copies, columns)
    const enclose = encloser(toProof.files, columns, toProof.matching)
    const common = new Set(files.filter((f) => f.role === 'common').map((f) => f.id))

    const copies = new Map<string, number>()
    const outside: LastWord['outside']['people'] = []
    const going = new Set<number>()
    let withCopies = 0
    let withOwnFiles = 0
    let notPrinted = 0
    const kinds = await kindsOf(db, people.onPaper.length === 0 ? [] : files.map((f) => f.hash))
    for (const row of people.onPaper) {
      const { files } = enclose(row)
      for (const { id } of files) going.add(id)
      if (files.some(({ id }) => !common.has(id))) withOwnFiles++
      notPrinted += files.filter((file) => whyNotPrinted(file, kinds) !== null).length
    }
    for (const row of people.chosen) {
      const address = round.addressColumn ? bareAddress(shown(cellIn(row, round.addressColumn))) : ''
      const { cc, bcc } = copiesOf.of(row, address)
      if (cc.length + bcc.length > 0) withCopies++
      for (const copy of [...cc, ...bcc]) copies.set(copy, (copies.get(copy) ?? 0) + 1)
      if (!isOwn(address, own))
        outside.push({ rowId: row.id, person: displayName(row, round.nameColumns, round.addressColumn), address })
      const ids = enclose(row, people.rowsOf.get(row.id)).files.map((f) => f.id)
      for (const id of ids) going.add(id)
      if (ids.some((id) => !common.has(id))) withOwnFiles++
    }
    const { table, ...planned } = await planRound(db, loaded, now)
    const outsideCopies = [...copies.keys()].filter((address) => !isOwn(address, own))
    return {
      print,
      letters: people.chosen.length,
      paper: { letters: people.onPaper.length, notPrinted },
      home: own,
      outside: { count: outside.length, people: outside.slice(0, maxNamed), copies: outsideCopies.length },
      copies: {
        letters: withCopies,
        count: copies.size,
        addresses: [...copies]
          .map(([address, letters]) => ({ address, letters, outside: !isOwn(address, own) }))
          .sort((a, b) => b.letters - a.letters || a.address.localeCompare(b.address))
          .slice(0, maxNamed),
      },
      files: {
        common: [...going].filter((id) => common.has(id)).length,
        own: [...going].filter((id) => !common.has(id)).length,
        peopleWithOwn: withOwnFiles,
        staying: files.length - going.size,
      },
      ...planned,
      ...table,
      chasers: round.postedAt === null ? await chasersToCome(db, loaded, settings.timeZone, now) : [],
    }
  },
}

/** The chasers that are posted together with a round: to how many at most, and on which days. */
async function chasersToCome(
  db: Database,
  { round }: LoadedRound,
  zone: string,
  now: number,
): Promise<LastWord['chasers']> {
  const found = []
  for (const id of await openChasers(db, round.id)) {
    const loaded = await loadPeople(db, id, now)
    const { length } = loaded.people.chosen
    const times = (await followTimes(db, loaded, now)) ?? new Map<number, number | null>()
    const due = loaded.people.chosen.flatMap((row) => times.get(row.id) ?? [])
    const [first, last] = due.length === 0 ? [null, null] : [due.reduce(least), due.reduce(most)]
    found.push({
      id,
      title: loaded.round.title,
      letters: length,
      days: chaserDaysWords(length, first, last, new ZoneDays(zone)),
    })
  }
  return found
}
const least = (a: number, b: number) => Math.min(a, b)
const most = (a: number, b: number) => Math.max(a, b)
