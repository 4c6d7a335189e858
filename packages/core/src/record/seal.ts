import serialize from 'canonicalize'
import { z } from '../schema.ts'

/**
 * A hash by SHA-256 (FIPS 180-4), as 64 lower-case hexadecimal digits. A text is hashed as UTF-8. Where it comes from is for the caller:
 * each place that runs this has another one.
 */
export type Sha256 = (data: string | Uint8Array) => string

const hash = z.string().regex(/^[0-9a-f]{64}$/)
const text = z.string().max(2_000_000)
/** A moment, by ISO 8601 in UTC. */
const moment = z.string().max(40).nullable()
const file = z.strictObject({ name: text, size: z.number(), sha256: hash })
const mailbox = z.strictObject({ name: text, address: text })

/** What stands at the head of a record. */
export const recordHeadSchema = z.strictObject({
  format: z.literal('hand-post-record'),
  version: z.literal(1),
  round: text,
  /** The number of the round in the installation that made the record. */
  number: z.number(),
  mailbox,
  list: text.nullable(),
  postedAt: moment,
  madeAt: moment,
  /** The zone in which times stand in the PDF. */
  zone: text,
  /** How many entries follow. */
  entries: z.number(),
})
export type RecordHead = z.infer<typeof recordHeadSchema>

/** What became of one Cc or Bcc. */
const copySchema = z.strictObject({
  address: text,
  role: z.enum(['cc', 'bcc']),
  state: text,
  at: moment,
  answer: text.nullable(),
  sha256: hash.nullable(),
})

/** The entries of a record, in the order in which they stand in the chain. */
export const recordEntrySchema = z.discriminatedUnion('kind', [
  /** A version of the letter, as it was posted: its template, not what anybody got. */
  z.strictObject({
    kind: z.literal('version'),
    round: text,
    number: z.number(),
    at: moment,
    subject: text,
    words: text,
    files: z.array(file).max(1000),
  }),
  z.strictObject({
    kind: z.literal('event'),
    round: text,
    at: moment,
    what: text,
    words: text,
    details: z.json(),
    /** Who did it, where people sign in. */
    by: text.optional(),
  }),
  z.strictObject({ kind: z.literal('leftOut'), row: z.number(), person: text, address: text, why: text }),
  z.strictObject({
    kind: z.literal('message'),
    /** The title of the round, chaser or answer that it is a letter of. */
    round: text,
    row: z.number(),
    person: text,
    to: text,
    from: mailbox,
    subject: text,
    messageId: text,
    version: z.number(),
    state: text,
    /** When it was handed over: its Date. */
    at: moment,
    /** What the host said, or why it did not go. */
    answer: text.nullable(),
    /** Of the whole message as it was handed over (RFC 5322, with CRLF at the ends of lines); null where it never was. */
    sha256: hash.nullable(),
    files: z.array(file).max(1000),
    copies: z.array(copySchema).max(1000),
    /** What came back for it from the person, by kind and moment; never opens and clicks. */
    came: z.array(z.strictObject({ what: text, at: moment, words: text })).max(10_000),
  }),
  z.strictObject({
    kind: z.literal('paper'),
    row: z.number(),
    person: text,
    state: text,
    printedAt: moment,
    version: z.number(),
  }),
])
export type RecordEntry = z.infer<typeof recordEntrySchema>
export type MessageEntry = Extract<RecordEntry, { kind: 'message' }>

/** The seal of a posting record: everything that the PDF says, as a chain of hashes. */
export const sealSchema = z.strictObject({
  head: recordHeadSchema,
  entries: z.array(z.strictObject({ entry: recordEntrySchema, hash })).max(2_000_000),
  /** The last hash of the chain, which the PDF prints. */
  end: hash,
  /** Of the PDF that was made with it. */
  pdf: hash,
})
export type Seal = z.infer<typeof sealSchema>

/**
 * A value as JSON in its one canonical form (RFC 8785), which is what is hashed.
 * @example canonical({ b: 1, a: [true, null] }) // '{"a":[true,null],"b":1}'
 */
export function canonical(value: unknown): string {
  const written = serialize(value)
  if (written === undefined) throw new Error('There is nothing to be written as JSON.')
  return written
}

/** The first hash of a chain: that of its head. */
export const firstLink = (head: RecordHead, sha256: Sha256): string => sha256(canonical(head))

/** The next hash of a chain: of the one before, a line feed, and the entry. */
export const nextLink = (before: string, entry: RecordEntry, sha256: Sha256): string =>
  sha256(`${before}\n${canonical(entry)}`)

/** Chains the entries of a record. The PDF is made with the end of the chain, and then belongs to the seal. */
export function chained(head: RecordHead, entries: readonly RecordEntry[], sha256: Sha256): Omit<Seal, 'pdf'> {
  let link = firstLink(head, sha256)
  const linked = entries.map((entry) => {
    link = nextLink(link, entry, sha256)
    return { entry, hash: link }
  })
  return { head, entries: linked, end: link }
}
