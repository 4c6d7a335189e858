import type { RoundFileEntry } from '@hand-post/contract'
import { type Column, choosePeople, type PeopleOfRound, picturesOf, type RoundToProof, type Row } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { listById, rowsOf } from '../people/store.ts'
import { asRoundFiles, fileFacts, filesOf, type RoundRecord, roundById, setAsideOf } from '../rounds/store.ts'

/** A round with everything that is computed over: its columns, rows, people and files. */
export interface LoadedRound {
  round: RoundRecord
  columns: Column[]
  rows: Row[]
  people: PeopleOfRound
  files: RoundFileEntry[]
  toProof: RoundToProof
}

/** The rows of the lists last used, by list and version: a 100,000-row list is read once, not at every keystroke. */
const known = new Map<string, Row[]>()
const mostKnown = 3

async function rowsOfVersion(db: Database, listId: number, version: number): Promise<Row[]> {
  const key = `${listId}:${version}`
  const rows = known.get(key) ?? (await rowsOf(db, listId))
  known.delete(key)
  known.set(key, rows)
  for (const old of known.keys()) if (known.size > mostKnown) known.delete(old)
  return rows
}

/** The hash behind a picture of a letter, or null when it is none of the store's. */
export function pictureHash(src: string): string | null {
  return /^file:([0-9a-f]{64})$/.exec(src)?.[1] ?? null
}

/** Reads a round from the database. */
export async function loadRound(db: Database, roundId: number): Promise<LoadedRound> {
  const round = await roundById(db, roundId)
  const list = round.listId === null ? null : await listById(db, round.listId)
  const rows = list ? await rowsOfVersion(db, list.id, list.version) : []
  const columns = list?.columns ?? []
  const aside = await setAsideOf(db, roundId)
  const people = choosePeople(rows, columns, round.selection, new Set(aside.map((a) => a.rowId)))
  const files = await filesOf(db, roundId)
  const mailbox = await mailboxById(db, round.mailboxId)
  const pictureSizes: number[] = []
  for (const src of picturesOf(round.letter)) {
    const hash = pictureHash(src)
    pictureSizes.push(hash ? ((await fileFacts(db, hash))?.size ?? 0) : src.length)
  }
  return {
    round,
    columns,
    rows,
    people,
    files,
    toProof: {
      letter: round.letter,
      columns,
      people: people.chosen,
      addressColumn: round.addressColumn,
      nameColumns: round.nameColumns,
      filesColumn: round.filesColumn,
      files: asRoundFiles(files),
      pictureSizes,
      largestMessage: mailbox.settings.largestMessage,
    },
  }
}
