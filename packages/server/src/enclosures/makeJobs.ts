import { createHash } from 'node:crypto'
import { Readable } from 'node:stream'
import type { Made } from '@hand-post/contract'
import {
  cellIn,
  compileLetter,
  compileName,
  displayName,
  eachLine,
  type Letter,
  type MadeFiles,
  picturesOf,
  type Row,
  reckonsFromToday,
  safeName,
  shown,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { packFiles } from '../files/pack.ts'
import { fileFacts } from '../files/store.ts'
import { pictureHash } from '../letter/pictures.ts'
import { shelfLetter } from '../letter/shelfStore.ts'
import { Refusal } from '../problem.ts'
import { madeFilesOf, madeFolder } from '../rounds/files.ts'
import { everybody, type LoadedRound, loadRound } from '../rounds/loadRound.ts'
import { rowsWithLetter } from '../rounds/paperLetters.ts'
import type { JobContext } from '../threads/job.ts'
import { readModel } from './model.ts'
import { htmlOnPaper, writePdf } from './paper.ts'
import { signName, signWithoutForm } from './typefaces.ts'

const largestMade = 50_000_000

const hash = (...parts: unknown[]) => createHash('sha256').update(JSON.stringify(parts)).digest('base64url')

/** The letter that a made file is of; null for a model. */
async function letterOf(db: Database, made: Made, { round }: LoadedRound): Promise<Letter | null> {
  if (made.of === 'model') return null
  return made.of === 'letter' ? round.letter : (await shelfLetter(db, made.letterId!)).letter
}

/**
 * Whose made file is lacking, or was made of other words than stand there now.
 * @returns null when the round makes none.
 */
export async function madeState(
  db: Database,
  loaded: LoadedRound,
): Promise<(MadeFiles & { printOf: (row: Row) => string }) | null> {
  const { round, toProof } = loaded
  if (!round.made) return null
  // A letter that is gone from the shelf is another than the files were made of.
  const letter = await letterOf(db, round.made, loaded).catch(() => 'gone')
  const { today, signature } = toProof.making
  // A new day makes another file only of a letter whose rules reckon from it.
  const from = reckonsFromToday(letter) ? today : null
  const whole = hash(round.made, letter, signature, from, toProof.columns, round.nameColumns)
  const printOf = (row: Row) =>
    hash(
      whole,
      row.cells,
      toProof.rowsOf.get(row.id)?.map((r) => r.cells),
      toProof.notes.get(row.id),
    )
  const before = new Map((await madeFilesOf(db, round.id)).map((m) => [m.rowId, m.print]))
  const lacking = new Set<number>()
  const stale = new Set<number>()
  const withoutForm: MadeFiles['withoutForm'] =
    letter === null || typeof letter === 'string' ? new Map() : signsWithoutForm(letter, loaded)
  for (const row of everybody(loaded)) {
    const print = before.get(row.id)
    if (print === undefined) lacking.add(row.id)
    else if (print !== printOf(row)) stale.add(row.id)
  }
  return { lacking, stale, withoutForm, printOf }
}

/** In whose PDFs of a letter there are characters that no typeface has: of the letter's own words, their cells, or their note. */
function signsWithoutForm(letter: Letter, loaded: LoadedRound) {
  const { columns, toProof } = loaded
  const found = new Map<number, { character: string; columnId: string | null }>()
  const { columnIds } = compileLetter({ ...letter, plain: false }, columns, {
    ...toProof.making,
    optOut: false,
    forPaper: true,
  })
  const words = [letter.subject, JSON.stringify(toProof.making.signature ?? '')]
  eachLine(letter.body.content, (line) => {
    for (const part of line)
      if (part.type === 'text') words.push(part.text)
      else if (part.type === 'field') words.push(part.attrs.standIn ?? '')
  })
  const ofAll = signWithoutForm(words.join('\n'))
  for (const row of everybody(loaded)) {
    const rows = toProof.rowsOf.get(row.id) ?? [row]
    const columnId = columnIds.find((id) => rows.some((one) => signWithoutForm(shown(cellIn(one, id))) !== null))
    const character =
      ofAll ??
      (columnId === undefined
        ? signWithoutForm(toProof.notes.get(row.id) ?? '')
        : signWithoutForm(rows.map((one) => shown(cellIn(one, columnId))).join('\n')))
    if (character !== null)
      found.set(row.id, { character: signName(character), columnId: ofAll === null ? (columnId ?? null) : null })
  }
  return found
}

/** A file that is to be made for a person. */
export interface ToMake {
  rowId: number
  name: string
  /** The file that it takes the place of. */
  before: number | null
}

/** Makes one person's file of a round. Throws a refusal when the letter or the model has a field without a column. */
async function makerOf(
  { db, files }: JobContext,
  loaded: LoadedRound,
  made: Made,
): Promise<(row: Row) => Promise<Uint8Array>> {
  const { columns, toProof } = loaded
  if (made.of === 'model') {
    const model = made.model!
    const read = await readModel(await files.read(model.hash), model.name, columns)
    if (read.unknown.length > 0)
      throw new Refusal(
        422,
        `The model “${model.name}” has ${read.unknown.length === 1 ? 'the field' : 'the fields'} ${read.unknown.map((n) => `“${n}”`).join(', ')}, and the list has no such column. Nothing was made.`,
        'Field without a column',
      )
    return async (row) => read.fill(row)
  }
  const letter = (await letterOf(db, made, loaded))!
  const compiled = compileLetter(letter, columns, { ...toProof.making, optOut: false, forPaper: true })
  if (compiled.unknown.length > 0)
    throw new Refusal(
      422,
      `The letter has the field “${compiled.unknown[0]}”, and the list has no such column. Nothing was made.`,
      'Field without a column',
    )
  const pictures = new Map<string, string>()
  for (const src of picturesOf(letter)) {
    const stored = pictureHash(src)
    const facts = stored ? await fileFacts(db, stored) : null
    if (stored && facts) pictures.set(src, `data:${facts.type};base64,${(await files.read(stored)).toString('base64')}`)
  }
  return async (row) => {
    const merged = compiled.merge(row, toProof.rowsOf.get(row.id), toProof.notes.get(row.id))
    return writePdf(
      merged.subject,
      htmlOnPaper(merged.html, (src) => pictures.get(src) ?? (src.startsWith('data:') ? src : null)),
    )
  }
}

export const makeJobs = {
  /** Whose files are lacking or stale, and what they will be called. Sees to it that all of them can be made. */
  async toMake(
    { roundId, now }: { roundId: number; now: number },
    context: JobContext,
  ): Promise<{ made: Made; wanted: ToMake[] }> {
    const { db } = context
    const loaded = await loadRound(db, roundId, now)
    const { round, columns } = loaded
    const state = await madeState(db, loaded)
    if (!round.made || !state)
      throw new Refusal(409, 'This round makes no files. Choose first what is to be made.', 'Nothing to make')
    const { made } = round
    await makerOf(context, loaded, made)
    const [unwritable] = everybody(loaded).filter((row) => state.withoutForm.has(row.id))
    if (unwritable) {
      const { character, columnId } = state.withoutForm.get(unwritable.id)!
      const column = columns.find((c) => c.id === columnId)
      throw new Refusal(
        422,
        `${character} stands in ${column ? `“${column.name}” of ${displayName(unwritable, round.nameColumns, round.addressColumn)}` : 'the words of the letter or a note'}, and no typeface here has a form for it${state.withoutForm.size > 1 ? `; the same holds for ${state.withoutForm.size - 1} more` : ''}. Write it otherwise, or set the person aside. Nothing was made.`,
        'A character that cannot be drawn',
      )
    }
    const names = compileName(made.name, columns)
    if (names.unknown.length > 0)
      throw new Refusal(
        422,
        `The list has no column “${names.unknown[0]}”, which the name of the made files has. Nothing was made.`,
        'No such column',
      )
    // Whoever has a message of a posted round has had their file: only late-comers still get one.
    const had = round.postedAt === null ? new Set<number>() : await rowsWithLetter(db, roundId)
    const wanted = everybody(loaded).filter(
      (row) => !had.has(row.id) && (state.lacking.has(row.id) || state.stale.has(row.id)),
    )
    const before = new Map((await madeFilesOf(db, roundId)).map((m) => [m.rowId, m.fileId]))
    const owners = new Map([...before].map(([rowId, fileId]) => [fileId, rowId]))
    const taken = new Map(
      loaded.files.filter((f) => f.folder === madeFolder).map((f) => [f.name, owners.get(f.id) ?? null]),
    )
    const ending = made.of === 'model' ? '.docx' : '.pdf'
    const toMake = wanted.map((row) => {
      const stem = safeName(names.of(row) ?? displayName(row, round.nameColumns, round.addressColumn)).replace(
        /\.(pdf|docx)$/i,
        '',
      )
      // Two people may come to the same name: neither file takes the other's place.
      let name = `${stem}${ending}`
      for (let n = 2; taken.has(name) && taken.get(name) !== row.id; n++) name = `${stem} (${n})${ending}`
      taken.set(name, row.id)
      return { rowId: row.id, name, before: before.get(row.id) ?? null }
    })
    return { made, wanted: toMake }
  },

  /** Makes the files of some people, and puts their contents into the store; with a print of what each is made of. */
  async makeSome(
    { roundId, made, rowIds, now }: { roundId: number; made: Made; rowIds: number[]; now: number },
    context: JobContext,
  ): Promise<{ rowId: number; hash: string; size: number; print: string }[]> {
    const loaded = await loadRound(context.db, roundId, now)
    const state = await madeState(context.db, loaded)
    if (!state || hash(loaded.round.made) !== hash(made))
      throw new Refusal(
        409,
        'What is made for each person was changed meanwhile, so the rest was not made. Make the files again.',
        'Changed meanwhile',
      )
    const make = await makerOf(context, loaded, made)
    const byId = new Map(everybody(loaded).map((row) => [row.id, row]))
    const kept: { rowId: number; hash: string; size: number; print: string }[] = []
    for (const rowId of rowIds) {
      const row = byId.get(rowId)
      // Somebody who left the round meanwhile gets no file any more.
      if (!row) continue
      const content = await context.files.keep(Readable.from(await make(row)), largestMade)
      kept.push({ rowId, ...content, print: state.printOf(row) })
      context.progress(kept.length, rowIds.length, 'Making files')
    }
    return kept
  },

  /** All made files of a round as one zip, written to a path. Gives its name. */
  async madeZip(
    { roundId, path, now }: { roundId: number; path: string; now: number },
    { db, files, progress }: JobContext,
  ): Promise<string> {
    const { round, files: all } = await loadRound(db, roundId, now)
    const ids = new Set((await madeFilesOf(db, roundId)).map((m) => m.fileId))
    const made = all.filter((f) => ids.has(f.id))
    if (made.length === 0) throw new Refusal(409, 'No files have been made yet. Make them first.', 'Nothing made')
    await packFiles(path, made, files, (done) => progress(done, made.length, 'Packing'))
    return `${round.title}, made files.zip`
  },
}
