import type { OutcomeSheetAbout } from '@hand-post/contract'
import {
  automaticOnes,
  type Column,
  changedRow,
  choiceSets,
  csvText,
  linkFamily,
  type MessageState,
  newColumnId,
  type OutcomeColumn,
  outcomeCells,
  outcomeHeadings,
  outcomeKind,
  outcomeOf,
  type Row,
  type SheetCell,
  type SheetLetter,
  type SheetRow,
  safeName,
  shown,
  times,
  usualOutcomeColumns,
  wallOf,
  zonedIso,
} from '@hand-post/core'
import { zipSync } from 'fflate'
import { type Database, json } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { unpack, ZipFault } from '../files/zip.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { type ListSource, sourceOf } from '../people/sources.ts'
import { type AddedCell, addColumns } from '../people/workbook/addColumns.ts'
import { WorkbookFault } from '../people/workbook/limits.ts'
import { unpacking } from '../people/workbook/workbook.ts'
import { writeTable } from '../people/writeFile.ts'
import { Refusal } from '../problem.ts'
import { chasersOf } from '../rounds/chasers.ts'
import { loadPeople } from '../rounds/loadRound.ts'
import { paperLinesOf } from '../rounds/paperLetters.ts'
import { type RoundRecord, roundById } from '../rounds/store.ts'
import { keptBoard } from './boardStore.ts'
import { asHeard, linksOfMessages, responsesOfMessages } from './store.ts'

/** The formats in which outcomes are handed back. */
export type SheetFormat = 'original' | 'xlsx' | 'ods' | 'csv'

/** What came of each row of a round's list. */
export async function rowsOfRound(db: Database, roundId: number): Promise<Map<number, SheetRow>> {
  type Line = Omit<SheetLetter, 'outcome' | 'responses' | 'fetched' | 'returned' | 'awayUntil'> & {
    id: number
    opens: number
    clicks: number
    followed: string[]
  }
  const letters = await db.query<Line>(
    `SELECT m.id, m.row_id AS "rowId", m.state, m.sent_at AS "sentAt", m.address, m.subject, m.reason AS answer, m.version, h.choice, g.word,
       concat_ws(' ', nullif(c.contents->'from'->>'name', ''), '<' || (c.contents->'from'->>'address') || '>') AS from,
       (SELECT coalesce(jsonb_agg(f->>'name'), '[]') FROM jsonb_array_elements(c.contents->'files') f) AS files,
       coalesce((SELECT sum(f.times) FROM fetched f WHERE f.message_id = m.id AND f.what < 0), 0)::int AS opens,
       coalesce((SELECT sum(f.times) FROM fetched f WHERE f.message_id = m.id AND f.what >= 0), 0)::int AS clicks
     FROM messages m JOIN message_contents c ON c.message_id = m.id LEFT JOIN heard h ON h.message_id = m.id
       LEFT JOIN given_words g ON g.round_id = m.round_id AND g.row_id = m.row_id
     WHERE m.round_id = $1 ORDER BY m.position, m.again`,
    [roundId],
  )
  const came = await responsesOfMessages(
    db,
    letters.map(({ id }) => id),
  )
  const links = await linksOfMessages(
    db,
    letters.flatMap(({ id, clicks }) => (clicks > 0 ? id : [])),
  )
  const returned = await db.query<{ row: number; name: string }>(
    `SELECT m.row_id AS row, f.name FROM returned_files f JOIN responses q ON q.id = f.response_id JOIN messages m ON m.id = q.message_id
     WHERE m.round_id IN (SELECT x.id FROM rounds x WHERE x.id = $1 OR x.chases = $1) AND q.of = 'person' AND NOT f.ours ORDER BY q.at, f.position`,
    [roundId],
  )
  const chased = await db.query<{ row: number; sentAt: number }>(
    `SELECT m.row_id AS row, m.sent_at AS "sentAt" FROM messages m JOIN rounds r ON r.id = m.round_id WHERE r.chases = $1 AND m.state = 'sent' ORDER BY m.sent_at`,
    [roundId],
  )
  const rows = new Map<number, { letters: SheetLetter[]; chased: { sentAt: number }[]; paper: SheetRow['paper'] }>()
  const rowOf = (id: number) => {
    const row = rows.get(id) ?? { letters: [], chased: [], paper: null }
    rows.set(id, row)
    return row
  }
  for (const { id, opens, clicks, ...letter } of letters) {
    const theirs = (came.get(id) ?? []).map(asHeard)
    const machine = letter.sentAt === null ? new Map() : automaticOnes(letter.sentAt, theirs)
    const { rowId, state, sentAt } = letter
    const followed = theirs.flatMap((r) =>
      r.kind === 'click' && r.link !== undefined && !machine.has(r) ? (links.get(id)?.[r.link] ?? []) : [],
    )
    rowOf(rowId).letters.push({
      ...letter,
      outcome: outcomeOf({ state: state as MessageState, sentAt, responses: theirs }),
      responses: theirs.map((r) => ({
        kind: r.kind,
        at: r.at,
        of: r.of,
        automatic: machine.has(r),
        words: r.details.words ?? '',
      })),
      fetched: { opens, clicks, links: [...new Set(followed.map(linkFamily).filter(Boolean))] },
      returned: [],
      awayUntil: theirs.findLast(({ kind }) => kind === 'automatic')?.details.back?.day ?? null,
    })
  }
  for (const { row, sentAt } of chased) rowOf(row).chased.push({ sentAt })
  for (const { rowId, state, printedAt } of await paperLinesOf(db, roundId)) rowOf(rowId).paper = { state, printedAt }
  const files = new Map<number, string[]>()
  for (const { row, name } of returned) files.set(row, [...(files.get(row) ?? []), name])
  for (const [id, names] of files) {
    const last = rowOf(id).letters.at(-1)
    if (last) Object.assign(last, { returned: names })
  }
  return rows
}

/** Of a row that has no letter. */
const nothing: SheetRow = { letters: [], chased: [], paper: null }

/** Which columns an outcome sheet of a round has: by what the writer chose for its list last, else what there may be something to tell of. */
async function columnsOf(db: Database, round: RoundRecord): Promise<OutcomeColumn[]> {
  const [found] = await db.query<{ columns: OutcomeColumn[] | null }>(
    'SELECT outcome_columns AS columns FROM lists WHERE id = $1',
    [round.listId],
  )
  if (found?.columns) return found.columns.filter((name) => name in outcomeHeadings)
  const { opens, clicks } = round.tracking
  const chasers = (await chasersOf(db, round.id)).length > 0
  const without = new Set<OutcomeColumn>([
    ...(opens || clicks ? [] : (['opened'] as const)),
    ...(choiceSets(round.letter).length > 0 ? [] : (['choice'] as const)),
    ...(round.outcomeWords.length > 0 ? [] : (['word'] as const)),
    ...(chasers ? [] : (['chasedTimes', 'chasedLast'] as const)),
  ])
  return usualOutcomeColumns.filter((name) => !without.has(name))
}

/** Keeps which columns the outcome sheets of a round's list have. */
export const rememberColumns = async (
  db: Database,
  listId: number,
  columns: readonly OutcomeColumn[],
): Promise<void> => {
  await db.query('UPDATE lists SET outcome_columns = $2 WHERE id = $1', [listId, json(columns)])
}

/** How the list stands beside the workbook that it was made of, in words. */
function saidOf({ added, changed, removed }: ListSource): string[] {
  return [
    added > 0 &&
      `${times(added, 'row')} came to the list later and ${added === 1 ? 'stands' : 'stand'} in no row of the workbook: what came of ${added === 1 ? 'it' : 'them'} is not in it. It is in the other formats.`,
    changed > 0 &&
      `${times(changed, 'row')} of the list ${changed === 1 ? 'was' : 'were'} changed since: the workbook has ${changed === 1 ? 'it' : 'them'} as ${changed === 1 ? 'it was' : 'they were'} brought in.`,
    removed > 0 &&
      `${times(removed, 'row')} of the workbook ${removed === 1 ? 'is' : 'are'} not in the list any more; what came of ${removed === 1 ? 'its letter' : 'their letters'} stands there all the same.`,
  ].filter((words) => words !== false)
}

/** Whether outcomes can be handed back in a workbook: of those that are read, in .xlsx. */
const isXlsx = ({ name }: ListSource) => /\.xls[xm]$/i.test(name)

/** What an outcome sheet of a round would be. */
export async function aboutSheet(db: Database, files: FileStore, roundId: number): Promise<OutcomeSheetAbout> {
  const round = await roundById(db, roundId)
  const { listId } = round
  const source = listId === null ? null : await sourceOf(db, listId)
  const columns = await columnsOf(db, round)
  const forgotten =
    (await keptBoard(db, roundId)) === null
      ? []
      : [
          'What was kept of people is forgotten: who opened and what they answered is blank, and so is what came of files.',
        ]
  if (source === null) return { original: null, said: forgotten, columns }
  if (!isXlsx(source))
    return {
      original: null,
      said: [
        ...forgotten,
        `“${source.name}” is not of the format .xlsx, so its formats are not kept: a new workbook is made.`,
      ],
      columns,
    }
  if (!(await files.has(source.hash)))
    return {
      original: null,
      said: [
        ...forgotten,
        `“${source.name}” is not on the disk any more, so a new workbook is made. Bring it back from a backup to have its formats.`,
      ],
      columns,
    }
  return { original: source.name, said: [...forgotten, ...saidOf(source)], columns }
}

/** A round's outcomes as a sheet, in one of its formats. */
export async function outcomeSheet(
  db: Database,
  files: FileStore,
  { roundId, as, columns, now }: { roundId: number; as: SheetFormat; columns: readonly OutcomeColumn[]; now: number },
): Promise<{ name: string; file: Buffer }> {
  const { round, columns: own, rows, people } = await loadPeople(db, roundId, now)
  const { timeZone } = (await mailboxById(db, round.mailboxId)).settings
  const came = await rowsOfRound(db, roundId)
  // Whose message went with that of another row has what came of that.
  for (const [first, together] of people.rowsOf)
    for (const { id } of together) if (!came.has(id) && came.has(first)) came.set(id, came.get(first)!)
  const headings = columns.map((name) => outcomeHeadings[name])
  const there = new Set(rows.map((row) => row.id))
  if (as === 'original') {
    const source = round.listId === null ? null : await sourceOf(db, round.listId)
    if (source === null || !isXlsx(source))
      throw new Refusal(
        409,
        'The list was not made of a workbook that could be handed back. Choose another format.',
        'No workbook',
      )
    const wall = (cell: SheetCell): AddedCell =>
      cell !== null && 'at' in cell ? { wall: wallOf(cell.at, timeZone) } : cell
    const cells = new Map(
      [...source.rowOf].flatMap(([id, row]) => {
        const one = came.get(id)
        // Who is neither in the list any more nor in the round has nothing to be told of.
        return one || there.has(id) ? [[row, outcomeCells(columns, one ?? nothing).map(wall)] as const] : []
      }),
    )
    const added = { sheet: source.sheet, headingsAt: source.headings, headings, rows: cells }
    return {
      name: safeName(nameOf(source.name, round.title)),
      file: await intoWorkbook(await bytesOf(files, source), source.name, added),
    }
  }
  const all: Row[] = [...rows]
  // Whoever was taken out of the list after posting has a line all the same.
  const onPaper = new Map((await paperLinesOf(db, roundId)).map(({ rowId, person }) => [rowId, person]))
  for (const [id, { letters }] of came) {
    if (there.has(id)) continue
    const [column, words] =
      letters.length > 0
        ? [round.addressColumn, letters.at(-1)!.address]
        : [round.nameColumns[0] ?? own[0]?.id, onPaper.get(id) ?? '']
    all.push({ id, position: '', cells: column ? { [column]: words } : {} })
  }
  const asText = (cell: SheetCell): string =>
    cell === null
      ? ''
      : 'text' in cell
        ? cell.text
        : 'number' in cell
          ? String(cell.number)
          : as === 'csv'
            ? zonedIso(cell.at, timeZone)
            : zonedIso(cell.at, timeZone).slice(0, 16).replace('T', ' ')
  if (as === 'csv')
    return {
      name: safeName(`${round.title}, outcomes.csv`),
      file: Buffer.from(
        csvText([
          [...own.map((c) => c.name), ...headings],
          ...all.map((row) => [
            ...own.map((c) => shown(row.cells[c.id])),
            ...outcomeCells(columns, came.get(row.id) ?? nothing).map(asText),
          ]),
        ]),
      ),
    }
  const taken = own.map((c) => c.id)
  const more = columns.map((name): Column => {
    const id = newColumnId(taken)
    taken.push(id)
    return { id, name: outcomeHeadings[name], kind: outcomeKind(name) }
  })
  const filled = all.map((row) => {
    const cells = outcomeCells(columns, came.get(row.id) ?? nothing)
    return changedRow(row, {
      cells: { ...row.cells, ...Object.fromEntries(more.map((c, i) => [c.id, asText(cells[i])])) },
    })
  })
  return {
    name: safeName(`${round.title}, outcomes.${as}`),
    file: writeTable(as, 'Outcomes', [...own, ...more], filled),
  }
}

/** What the workbook is called that is handed back: never as the one that was brought in. */
const nameOf = (original: string, title: string) => {
  const dot = original.lastIndexOf('.')
  return `${original.slice(0, dot)}, outcomes of ${title}${original.slice(dot)}`
}

async function bytesOf(files: FileStore, { hash, name }: ListSource): Promise<Buffer> {
  return files.read(hash).catch(() => {
    throw new Refusal(
      409,
      `“${name}” is not on the disk as it was when it was brought in. Choose another format, or bring it back from a backup. Nothing was written.`,
      'Workbook gone',
    )
  })
}

/** Parts that are pressed already. */
const pressed = /\.(png|jpe?g|gif|bin|emf|wmf)$/i

/** Adds columns to a workbook: all its other parts go over as they are. */
export async function intoWorkbook(
  bytes: Buffer,
  name: string,
  added: Parameters<typeof addColumns>[1],
): Promise<Buffer> {
  try {
    const parts = await unpack(bytes, unpacking, () => true)
    for (const [path, content] of addColumns(parts, added)) parts.set(path, content)
    const named: Record<string, [Uint8Array, { level: 0 | 3 }]> = Object.create(null)
    for (const [path, content] of parts) named[path] = [content, { level: pressed.test(path) ? 0 : 3 }]
    return Buffer.from(zipSync(named))
  } catch (error) {
    if (!(error instanceof WorkbookFault || error instanceof ZipFault)) throw error
    throw new Refusal(
      422,
      `The outcomes cannot be put into “${name}”: ${error.message} Choose another format. Nothing was written.`,
      'Workbook cannot be written',
    )
  }
}
