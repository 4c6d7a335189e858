import { readFile } from 'node:fs/promises'
import { basename } from 'node:path'
import type { Enclosures, Proof, Reading, Table, Timetable } from '@hand-post/contract'
import {
  allowanceAt,
  callName,
  checks,
  compileLetter,
  countSentence,
  encloser,
  type Finding,
  findAddressColumn,
  findTable,
  gapOf,
  mayPost,
  messageSize,
  plan,
  proofRound,
  shown,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { insertMessages, unplanned } from '../dispatch/store.ts'
import { departuresOf, mailboxById } from '../mailboxes/store.ts'
import { type FileRead, readTableFile } from '../people/readFile.ts'
import { insertList } from '../people/store.ts'
import { Refusal } from '../problem.ts'
import { acceptedOf } from '../rounds/store.ts'
import { freezeMessages } from './freeze.ts'
import { loadRound } from './loadRound.ts'

/** What a job may use besides what it is given. */
export interface JobContext {
  db: Database
  progress: (done: number, of: number, words: string) => void
}

/** The files last read, by reading id. */
const readings = new Map<string, FileRead>()

async function fileRead(path: string, name: string): Promise<FileRead> {
  const id = basename(path)
  let read = readings.get(id)
  if (!read) {
    read = readTableFile(await readFile(path), name)
    readings.set(id, read)
    for (const old of readings.keys()) if (readings.size > 3) readings.delete(old)
  }
  return read
}

function sheetOf(read: FileRead, index: number): FileRead['sheets'][number] {
  const sheet = read.sheets[index]
  if (!sheet)
    throw new Refusal(
      404,
      `The file has ${read.sheets.length} sheets; there is no number ${index + 1}.`,
      'No such sheet',
    )
  return sheet
}

function tableOf(read: FileRead, index: number, headingsRow?: number) {
  const sheet = sheetOf(read, index)
  if (headingsRow !== undefined && headingsRow >= sheet.rows.length)
    throw new Refusal(422, `The sheet has ${sheet.rows.length} rows; row ${headingsRow + 1} cannot be its heading.`)
  const found = findTable(sheet.rows, headingsRow)
  return { sheet, found, said: [...sheet.said, ...found.said] }
}

/** Everything that is computed over a whole list or file. Run in a thread of its own, one job after another. */
export const jobs = {
  async readFile({ path, name }: { path: string; name: string }, _context: JobContext): Promise<Reading> {
    const read = await fileRead(path, name)
    return {
      id: basename(path),
      fileName: name,
      delimiter: read.delimiter,
      encoding: read.encoding,
      sheets: read.sheets.map((s) => ({
        name: s.name,
        hidden: s.hidden,
        rows: s.rows.length,
        columns: s.rows.reduce((most, row) => Math.max(most, row.length), 0),
      })),
    }
  },

  async readTable(
    { path, name, sheet, headingsRow }: { path: string; name: string; sheet: number; headingsRow?: number },
    _context: JobContext,
  ): Promise<Table> {
    const { sheet: whole, found, said } = tableOf(await fileRead(path, name), sheet, headingsRow)
    return {
      headingsRow: found.headingsRow,
      columns: found.columns,
      firstRows: whole.rows
        .slice(0, Math.max(12, found.headingsRow + 6))
        .map((row) => Array.from({ length: Math.min(row.length, 60) }, (_, i) => shown(row[i]).slice(0, 120))),
      rowCount: found.rows.length,
      addressColumn: findAddressColumn(found.columns),
      said,
    }
  },

  async makeList(
    {
      path,
      fileName,
      sheet,
      headingsRow,
      name,
      now,
    }: { path: string; fileName: string; sheet: number; headingsRow?: number; name?: string; now: number },
    { db, progress }: JobContext,
  ): Promise<number> {
    const { sheet: whole, found, said } = tableOf(await fileRead(path, fileName), sheet, headingsRow)
    if (found.rows.length === 0)
      throw new Refusal(
        422,
        `“${whole.name}” has no rows below its headings. Choose another sheet or heading row.`,
        'No rows',
      )
    if (findAddressColumn(found.columns) === null)
      said.push(
        'No column looks like addresses. Choose the one that holds them at People, or look whether the heading row is right.',
      )
    const words = `Storing ${found.rows.length.toLocaleString('en-GB')} rows`
    return insertList(
      db,
      {
        name: name?.trim() || fileName.replace(/\.\w{1,5}$/, ''),
        columns: found.columns,
        source: { fileName, sheet: whole.name === fileName ? null : whole.name, said },
        createdAt: now,
      },
      found.rows,
      (stored) => progress(stored, found.rows.length, words),
    )
  },

  async people({ roundId }: { roundId: number }, { db }: JobContext) {
    const { people } = await loadRound(db, roundId)
    const byRule: number[] = []
    const aside: number[] = []
    for (const [id, standing] of people.standing) {
      if (standing === 'byRule') byRule.push(id)
      else if (standing === 'setAside') aside.push(id)
    }
    return {
      counts: people.counts,
      sentence: countSentence(people.counts),
      byRule,
      setAside: aside,
      chosen: people.chosen.map((row) => row.id),
    }
  },

  async enclosures({ roundId }: { roundId: number }, { db }: JobContext): Promise<Enclosures> {
    const { round, columns, people, toProof } = await loadRound(db, roundId)
    const enclose = encloser(toProof.files, round.filesColumn)
    const compiled = compileLetter(round.letter, columns)
    const claimed = new Set<number>()
    const lines = people.chosen.map((row) => {
      const { files, missing } = enclose(row)
      for (const file of files) claimed.add(file.id)
      const { html, text } = compiled.merge(row)
      return {
        rowId: row.id,
        person: callName(row, round.nameColumns, round.addressColumn),
        files: files.map((f) => f.id),
        missing,
        size: messageSize(html, text, [...files.map((f) => f.size), ...toProof.pictureSizes]),
      }
    })
    return {
      people: lines,
      unclaimed: toProof.files.filter((f) => f.role === 'own' && !claimed.has(f.id)).map((f) => f.id),
    }
  },

  async proof({ roundId }: { roundId: number }, { db, progress }: JobContext): Promise<Proof> {
    const { people, toProof } = await loadRound(db, roundId)
    const findings = proofRound(toProof, (checked) => progress(checked, people.chosen.length, 'Proofing'))
    return withAcceptances(people.chosen.length, findings, await acceptedOf(db, roundId))
  },

  async timetable(
    { roundId, now }: { roundId: number; now: number },
    { db }: JobContext,
  ): Promise<Omit<Timetable, 'sentence'>> {
    const { round, people } = await loadRound(db, roundId)
    const { settings, pausedUntil } = await mailboxById(db, round.mailboxId)
    const history = await departuresOf(db, round.mailboxId, now)
    const ahead = await unplanned(db, round.mailboxId)
    const gap = gapOf(round.dispatch.perMinute)
    const mine = people.chosen.map((row) => ({
      id: -row.id,
      recipients: 1 + round.cc.length + round.bcc.length,
      notBefore: round.dispatch.startAt ?? now,
      gap,
    }))
    // In the order in which the dispatcher takes them: by earliest time, and what was posted before goes first.
    const all = [...ahead, ...mine].sort((a, b) => a.notBefore - b.notBefore)
    const times = plan(
      Math.max(now, pausedUntil ?? 0),
      all,
      { perDay: settings.perDay, perMinute: settings.perMinute },
      history,
    )
    const departures = all.flatMap((item, i) =>
      item.id < 0 && times[i] !== null
        ? [{ at: times[i], recipients: item.recipients, rowId: -item.id, gone: false }]
        : [],
    )
    return {
      departures,
      messages: departures.length,
      recipients: departures.reduce((sum, d) => sum + d.recipients, 0),
      first: departures[0]?.at ?? null,
      last: departures.at(-1)?.at ?? null,
      impossible: mine.length - departures.length,
      allowance: allowanceAt(now, settings.perDay, history),
      perDay: settings.perDay,
    }
  },

  /** Posts a round: proofs it once more, freezes every message and writes them as waiting, all in one transaction. */
  async post(
    {
      roundId,
      expected,
      now,
      publicUrl,
      signingKey,
    }: { roundId: number; expected: number; now: number; publicUrl: string; signingKey: Uint8Array },
    { db, progress }: JobContext,
  ): Promise<number> {
    const loaded = await loadRound(db, roundId)
    const { round, people } = loaded
    if (round.postedAt !== null)
      throw new Refusal(409, 'This round is posted already. Nothing was posted a second time.', 'Already posted')
    const findings = proofRound(loaded.toProof)
    const accepted = await acceptedOf(db, roundId)
    if (!mayPost(findings, new Set(accepted.keys())))
      throw new Refusal(
        409,
        'The proof has something to settle. Nothing was posted; look at Proof first.',
        'Not settled',
      )
    if (people.chosen.length !== expected)
      throw new Refusal(
        409,
        `The round has ${people.chosen.length} messages, not the ${expected} you saw: it was changed meanwhile. Nothing was posted; look at it once more.`,
        'Changed meanwhile',
      )
    const messages = await freezeMessages(db, loaded, { url: publicUrl, signingKey: Buffer.from(signingKey) }, (made) =>
      progress(made, expected, 'Making messages'),
    )
    await db.transaction(async (tx) => {
      const taken = await tx.query(
        'UPDATE rounds SET posted_at = $2, changed_at = $2 WHERE id = $1 AND posted_at IS NULL RETURNING id',
        [roundId, now],
      )
      if (taken.length === 0)
        throw new Refusal(409, 'This round is posted already. Nothing was posted a second time.', 'Already posted')
      await insertMessages(
        tx,
        {
          id: roundId,
          mailboxId: round.mailboxId,
          notBefore: Math.max(now, round.dispatch.startAt ?? now),
          gap: gapOf(round.dispatch.perMinute),
        },
        messages,
      )
    })
    return messages.length
  },
}

export type Jobs = typeof jobs

function withAcceptances(people: number, findings: Finding[], accepted: Map<string, string>): Proof {
  const titles = new Map(checks.map((c) => [c.name, c.title]))
  const open = findings.filter((f) => f.grade === 'ask' && !accepted.has(f.key))
  return {
    people,
    findings: findings.map((f) => ({
      ...f,
      title: titles.get(f.check)!,
      accepted: f.grade === 'ask' ? (accepted.get(f.key) ?? null) : null,
    })),
    stops: findings.filter((f) => f.grade === 'stop').length,
    asks: open.length,
    mayPost: mayPost(findings, new Set(accepted.keys())),
  }
}
