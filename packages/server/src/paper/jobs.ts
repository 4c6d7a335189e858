import { writeFile } from 'node:fs/promises'
import type { PaperLetter } from '@hand-post/contract'
import { kindOf, type PaperForm, times, whyNotPrinted } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { htmlOnPaper, type Paper, writePdf } from '../enclosures/paper.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import { kindsOf } from '../rounds/files.ts'
import { freezePaper } from '../rounds/freezePaper.ts'
import { loadRound } from '../rounds/loadRound.ts'
import { type NewPaperLetter, paperLettersOf } from '../rounds/paperLetters.ts'
import type { JobContext } from '../threads/job.ts'
import { type Binding, bind } from './bind.ts'
import { letterOnPaper, testPage } from './setting.ts'

/** How many letters one PDF holds at most, and how many octets of files behind them. */
const maxLetters = 2000
const maxFiles = 300_000_000

/** A file that is not printed behind a letter, whose that is, and why not. */
interface Left {
  person: string
  name: string
  why: string
}

/** The day of a moment as it stands on a letter. */
const dayWords = (at: number, timeZone: string) =>
  new Intl.DateTimeFormat('en-GB', { timeZone, day: 'numeric', month: 'long', year: 'numeric' }).format(at)

/** What is known of the contents of the files behind letters. */
const factsBehind = (db: Database, letters: readonly Pick<NewPaperLetter, 'contents'>[]) =>
  kindsOf(db, [...new Set(letters.flatMap(({ contents }) => contents.files.map((f) => f.hash)))])

/** The letters of a round that are to be printed: as they were posted or, of one that is not posted, as they would be now. */
async function lettersOf(
  { roundId, which, now }: { roundId: number; which: 'toPrint' | 'all'; now: number },
  { db }: JobContext,
) {
  const loaded = await loadRound(db, roundId, now)
  const { round } = loaded
  if (round.postedAt === null || round.amendingSince !== null)
    return { round, letters: (await freezePaper(db, loaded)).map((letter) => ({ ...letter, madeAt: now })) }
  const posted = await paperLettersOf(db, roundId)
  const letters = posted.filter(({ state }) => state === 'toPrint' || (which === 'all' && state === 'printed'))
  return { round, letters }
}

/** The sheet before the letters that says what must be put behind them by hand. */
const coverSheet = (left: readonly Left[]): Paper[] => [
  { text: 'Not to be posted: take this sheet out', bold: true, fontSize: 16, margin: [0, 0, 0, 10] },
  {
    text: `${times(left.length, 'file')} could not be printed with the letters. Print each yourself and put it behind its letter.`,
    margin: [0, 0, 0, 12],
  },
  {
    table: {
      headerRows: 1,
      widths: ['*', '*', '*'],
      body: [
        ['Letter to', 'File', 'Why'].map((text) => ({ text, bold: true })),
        ...left.map(({ person, name, why }) => [person, name, `It ${why}.`].map((text) => ({ text }))),
      ],
    },
    layout: 'lightHorizontalLines',
    fontSize: 9.5,
  },
]

/** Letters on paper. */
export const paperJobs = {
  /** Letters on paper as one PDF, each with its files behind it, written to a path. Gives its name. */
  async printLetters(
    wanted: { roundId: number; which: 'toPrint' | 'all'; now: number; path: string },
    context: JobContext,
  ): Promise<string> {
    const { db, files, progress } = context
    const { round, letters } = await lettersOf(wanted, context)
    if (letters.length === 0)
      throw new Refusal(
        409,
        'There are no letters on paper to be printed. Those that were printed already are had by “All of them”.',
        'Nothing to print',
      )
    if (letters.length > maxLetters)
      throw new Refusal(
        413,
        `One PDF takes at most ${maxLetters.toLocaleString('en-GB')} letters, and there are ${letters.length.toLocaleString('en-GB')} to be printed. Post them in several rounds.`,
        'Too many for one PDF',
      )
    const sizes = new Map(letters.flatMap(({ contents }) => contents.files.map((f) => [f.hash, f.size])))
    if ([...sizes.values()].reduce((sum, size) => sum + size, 0) > maxFiles)
      throw new Refusal(
        413,
        'The files behind these letters have more than 300 MB together, and one PDF cannot take them. Print the largest yourself.',
        'Too large for one PDF',
      )
    const { settings } = await mailboxById(db, round.mailboxId)
    const facts = await factsBehind(db, letters)
    const pictures = new Map<string, string>()
    for (const { contents } of letters)
      for (const { cid, hash, type } of contents.pictures)
        if (!pictures.has(`cid:${cid}`))
          pictures.set(`cid:${cid}`, `data:${type};base64,${(await files.read(hash)).toString('base64')}`)

    const left: Left[] = []
    const title = `${round.title}, on paper`
    const binding = await bind(title)
    const next = () => {
      if (round.paper.twoSided) binding.newSheet()
    }
    for (const [i, { contents, lines, person, madeAt }] of letters.entries()) {
      progress(i + 1, letters.length, 'Putting letters on paper')
      const set = letterOnPaper(
        {
          from: contents.from,
          lines,
          day: round.paper.dated ? dayWords(madeAt, settings.timeZone) : null,
          subject: contents.subject,
          words: htmlOnPaper(contents.html, (src) => pictures.get(src) ?? null, true),
        },
        round.paper,
      )
      await binding.pdf(await writePdf(title, set, (page, of) => (of > 1 ? `${page} of ${of}` : '')))
      next()
      for (const file of contents.files) {
        const why =
          whyNotPrinted(file, facts) ?? (await putBehind(file, context, binding, kindOf(file, facts.get(file.hash))))
        if (why === null) next()
        else left.push({ person, name: file.name, why })
      }
    }
    const whole =
      left.length === 0 ? binding : await withCover(title, left, await binding.write(), round.paper.twoSided)
    await writeFile(wanted.path, await whole.write())
    return `${title}.pdf`
  },

  /** The letters on paper of a posted round, with what of their files is printed. */
  async paperLetters({ roundId }: { roundId: number }, { db }: JobContext): Promise<PaperLetter[]> {
    const letters = await paperLettersOf(db, roundId)
    const facts = await factsBehind(db, letters)
    return letters.map(({ id, rowId, person, lines, state, printedAt, version, contents }) => {
      const told = contents.files.map((file) => ({ name: file.name, why: whyNotPrinted(file, facts) }))
      return {
        id,
        rowId,
        person,
        lines,
        state,
        printedAt,
        version,
        files: told.filter(({ why }) => why === null).map(({ name }) => name),
        notPrinted: told.flatMap(({ name, why }) => (why === null ? [] : [{ name, why }])),
      }
    })
  },

  /** A page to be printed that shows where the window of an envelope is. */
  paperTestPage(form: PaperForm): Promise<Uint8Array> {
    return writePdf('Test page for a window envelope', testPage(form, testWords))
  },
}
export type PaperJobs = typeof paperJobs

/** Puts a file behind a letter. Returns null, or why that cannot be. */
async function putBehind(
  file: { hash: string },
  { files }: JobContext,
  binding: Binding,
  kind: string,
): Promise<string | null> {
  const content = await files.read(file.hash)
  try {
    if (kind === 'pdf') await binding.pdf(content, file.hash)
    else await binding.picture(content, kind === 'png' ? 'png' : 'jpg')
    return null
  } catch {
    return 'cannot be read'
  }
}

async function withCover(title: string, left: Left[], letters: Uint8Array, twoSided: boolean): Promise<Binding> {
  const whole = await bind(title)
  await whole.pdf(await writePdf(title, coverSheet(left)))
  if (twoSided) whole.newSheet()
  await whole.pdf(letters)
  return whole
}

const testWords = {
  heading: 'Test page for a window envelope',
  lines: [
    'Whoever it goes to',
    'Their house and street',
    'A third line',
    'The town',
    'The postcode',
    'A sixth line, the last',
  ],
  steps: [
    'Print this page on A4 at its own size: “100 %” or “actual size”, not “fit to page”.',
    'Fold it at the two small marks at the left edge, with the printed side outwards, so that the address lies on top.',
    'Put it into the envelope and push it about: to the left, to the right, up and down.',
    'All six lines must stay in sight wherever you push it. Of what stands outside of the dashed frame nothing may ever be seen.',
    'If the address is hidden at one side, choose the other window or the other envelope, and print this page again.',
  ],
}
