import { envelopes, onPaperWays, paperStates, windowSides } from '@hand-post/core'
import { z } from 'zod'
import { id, ofRound } from './ids.ts'
import { route } from './route.ts'

/** How letters on paper are printed: which envelope they fit, and whether for a printer that prints both sides. */
export const paperFormSchema = z.object({
  envelope: z.enum(envelopes),
  window: z.enum(windowSides),
  foldMarks: z.boolean(),
  /** The day on which it is posted stands on it. */
  dated: z.boolean(),
  /** Each letter, and each file behind it, begins on the front of a sheet. */
  twoSided: z.boolean(),
})
export type PaperFormWanted = z.infer<typeof paperFormSchema>

/** Who of a round gets the letter on paper, what makes the postal address, and how it is printed. */
export const paperSchema = paperFormSchema.extend({
  who: z.enum(onPaperWays),
  /** Columns of the postal address, from its first line; `sameLine`: it goes on in the line of the column before it. */
  columns: z.array(z.object({ column: z.string().max(100), sameLine: z.boolean() })).max(20),
})
export type PaperSettings = z.infer<typeof paperSchema>

/** What a new round begins with: nobody gets the letter on paper until that is chosen. */
export const usualPaper: PaperSettings = {
  who: 'byHand',
  columns: [],
  envelope: 'dl',
  window: 'left',
  foldMarks: true,
  dated: true,
  twoSided: true,
}

export const paperLetterSchema = z.object({
  id: z.number(),
  rowId: z.number(),
  person: z.string(),
  /** The postal address, line by line. */
  lines: z.array(z.string()),
  state: z.enum(paperStates),
  /** When the writer said that it was printed (ms since 1970). */
  printedAt: z.number().nullable(),
  /** Files behind it that are printed with it, and those that are not, each with why. */
  files: z.array(z.string()),
  notPrinted: z.array(z.object({ name: z.string(), why: z.string() })),
  /** Of which version of the round it is: 1 is as it was posted first. */
  version: z.number(),
})
export type PaperLetter = z.infer<typeof paperLetterSchema>

export const paperRoutes = {
  putOnPaper: route({
    method: 'PUT',
    path: '/api/rounds/:round/on-paper',
    wants: 'writer',
    changes: 'round',
    summary: 'Choose by hand who of a round that is not posted gets the letter on paper, or not',
    params: ofRound,
    body: z.object({ rows: z.array(id).min(1).max(10_000), onPaper: z.boolean() }),
  }),
  changePaperForm: route({
    method: 'PATCH',
    path: '/api/rounds/:round/paper-form',
    wants: 'writer',
    changes: 'round',
    summary:
      'Print the letters on paper for another envelope, or otherwise; of a posted round too, for it changes no words',
    params: ofRound,
    body: paperFormSchema.partial(),
  }),
  paperLetters: route({
    method: 'GET',
    path: '/api/rounds/:round/paper-letters',
    wants: 'writer',
    summary: 'The letters on paper of a posted round',
    params: ofRound,
    answer: z.array(paperLetterSchema),
  }),
  paperPdf: route({
    method: 'GET',
    path: '/api/rounds/:round/paper-letters.pdf',
    wants: 'writer',
    summary:
      'Letters on paper as one PDF to be printed, each with its files behind it: those still to be printed, all, or, of a round that is not posted, as they would be now',
    params: ofRound,
    query: z.object({ which: z.enum(['toPrint', 'all']).default('toPrint') }),
    gives: 'application/pdf',
    answer: z.string(),
  }),
  markPaper: route({
    method: 'POST',
    path: '/api/rounds/:round/paper-letters',
    wants: 'writer',
    summary: "The writer's word on letters on paper: they are printed, they are not (any more), or they are withdrawn",
    params: ofRound,
    body: z.object({ letters: z.array(id).min(1).max(100_000), to: z.enum(paperStates) }),
    /** How many letters passed into that state. */
    answer: z.object({ letters: z.number() }),
  }),
  paperTestPage: route({
    method: 'GET',
    path: '/api/paper-test-page.pdf',
    wants: 'writer',
    summary: 'A page to be printed, folded and put into the envelope, that shows where its window is',
    query: z.object({ envelope: z.enum(envelopes), window: z.enum(windowSides) }),
    gives: 'application/pdf',
    answer: z.string(),
  }),
}
