import { z } from 'zod'
import { id, ofRound } from './ids.ts'
import { letterSchema } from './letterDocument.ts'
import { route } from './route.ts'

const name = z.string().trim().min(1).max(200)
const tags = z.array(z.string().trim().min(1).max(50)).max(20)

export const shelfLineSchema = z.object({
  id: z.number(),
  name: z.string(),
  tags: z.array(z.string()),
  subject: z.string(),
  /** The first words of the letter, for finding it again. */
  beginning: z.string(),
  createdAt: z.number(),
  changedAt: z.number(),
})
export type ShelfLine = z.infer<typeof shelfLineSchema>

export const shelfLetterSchema = shelfLineSchema.extend({ letter: letterSchema })
export type ShelfLetter = z.infer<typeof shelfLetterSchema>

export const versionSchema = z.object({
  id: z.number(),
  at: z.number(),
  subject: z.string(),
  beginning: z.string(),
  /** Who wrote it, where it was never the round’s letter: somebody else had the pen. '' where nobody signs in. */
  leftBy: z.string().nullable(),
})
export type LetterVersion = z.infer<typeof versionSchema>

const onShelf = z.object({ letter: id })

export const letterRoutes = {
  shelf: route({
    method: 'GET',
    path: '/api/letters',
    wants: 'writer',
    summary: 'The letters of the shelf, the one changed last first',
    query: z.object({ find: z.string().max(200).optional() }),
    answer: z.array(shelfLineSchema),
  }),
  shelfLetter: route({
    method: 'GET',
    path: '/api/letters/:letter',
    wants: 'writer',
    summary: 'One letter of the shelf',
    params: onShelf,
    answer: shelfLetterSchema,
  }),
  putOnShelf: route({
    method: 'POST',
    path: '/api/letters',
    wants: 'writer',
    summary: 'Keep a letter on the shelf',
    body: z.object({ name, tags: tags.default([]), letter: letterSchema }),
    answer: shelfLetterSchema,
  }),
  changeOnShelf: route({
    method: 'PATCH',
    path: '/api/letters/:letter',
    wants: 'writer',
    summary: 'Change a letter of the shelf; what it was before is kept as a version',
    params: onShelf,
    body: z.object({ name: name.optional(), tags: tags.optional(), letter: letterSchema.optional() }),
    answer: shelfLetterSchema,
  }),
  takeOffShelf: route({
    method: 'DELETE',
    path: '/api/letters/:letter',
    wants: 'writer',
    summary: 'Take a letter off the shelf, with its versions; rounds that began with it keep theirs',
    params: onShelf,
  }),
  shelfVersions: route({
    method: 'GET',
    path: '/api/letters/:letter/versions',
    wants: 'writer',
    summary: 'What a letter of the shelf was before, the newest first',
    params: onShelf,
    answer: z.array(versionSchema),
  }),
  letterVersions: route({
    method: 'GET',
    path: '/api/rounds/:round/versions',
    wants: 'writer',
    summary: "What a round's letter was before, the newest first",
    params: ofRound,
    answer: z.array(versionSchema),
  }),
  version: route({
    method: 'GET',
    path: '/api/versions/:version',
    wants: 'writer',
    summary: 'A letter as it was',
    params: z.object({ version: id }),
    answer: z.object({ at: z.number(), letter: letterSchema }),
  }),
  bringInLetter: route({
    method: 'POST',
    path: '/api/rounds/:round/letter-file',
    wants: 'writer',
    changes: 'round',
    summary:
      'Take the letter of a round from a file: a .docx document, HTML, or plain text, with typed {{…}} fields. Says what could not be kept',
    params: ofRound,
    query: z.object({ name: z.string().min(1).max(300) }),
    takesFile: true,
    answer: z.object({
      letter: letterSchema,
      said: z.array(z.string()),
      /** How the file looked, as HTML that must be shown where nothing of it runs or is fetched; null where it is words alone, or too large. */
      asItWas: z.string().nullable(),
    }),
  }),
  letterFile: route({
    method: 'GET',
    path: '/api/rounds/:round/letter-file',
    wants: 'writer',
    summary:
      "The letter as a file: as HTML with its fields in typed form, or one person's message as .eml (RFC 5322), exactly as it would leave",
    params: ofRound,
    query: z.object({ as: z.enum(['html', 'eml']), row: id.optional() }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
  addPicture: route({
    method: 'POST',
    path: '/api/pictures',
    wants: 'writer',
    summary: 'Store a picture for a letter; its `src` goes into the document',
    query: z.object({ name: z.string().min(1).max(300) }),
    takesFile: true,
    answer: z.object({ src: z.string(), size: z.number() }),
  }),
}
