import { type MessageEntry, momentInFull, type RecordEntry, sizeWords, stateWords, times, verb } from '@hand-post/core'
import { fixedPitch, type Paper, writePdf } from '../enclosures/paper.ts'
import type { Collected } from './collect.ts'

const grey = '#4a5a61'
const heading = (text: string): Paper => ({ text, bold: true, fontSize: 14, margin: [0, 14, 0, 6] })
const hash = (sha256: string) => ({ text: sha256, font: fixedPitch })
const small = (text: string | object[]): Paper => ({ text, fontSize: 8.5, color: grey, margin: [0, 0, 0, 4] })
const facts = (lines: [name: string, value: string][]): Paper => ({
  table: { widths: [110, '*'], body: lines.map(([name, value]) => [{ text: name, color: grey }, value]) },
  layout: 'noBorders',
  fontSize: 9.5,
})

/** What came back, by kind, as a record says it. */
const cameWords: Record<string, string> = {
  reply: 'answered',
  automatic: 'an automatic reply came',
  bounce: 'came back',
  delayed: 'delayed, as its host said',
  delivered: 'delivered, as its host said',
  receipt: 'a read receipt came',
  optOut: 'opted out',
}
const paperWords: Record<string, string> = { toPrint: 'to be printed', printed: 'printed', withdrawn: 'withdrawn' }

/**
 * A posting record as a PDF.
 * @param end of the chain of its seal, which its last page prints; null where it is not sealed.
 * @param unfinished what keeps the round from being finished, in words.
 */
export function recordPdf(
  { round, zone, head, entries, byRule, proofs }: Collected,
  end: string | null,
  unfinished: readonly string[],
): Promise<Buffer> {
  const when = (at: string | number | null) =>
    at === null ? '' : momentInFull(typeof at === 'number' ? at : Date.parse(at), zone)
  const of = <K extends RecordEntry['kind']>(kind: K) =>
    entries.filter((one): one is Extract<RecordEntry, { kind: K }> => one.kind === kind)
  const letters = of('message')
  const sent = letters.filter((one) => one.state === 'sent')
  const paper = of('paper')
  const leftOut = of('leftOut')
  const copies = sent.flatMap((one) => one.copies.filter((copy) => copy.state === 'sent'))
  // What everybody got is listed with the letter; beside each person its name will do.
  const common = new Set(of('version').flatMap((version) => version.files.map((file) => file.sha256)))
  const isOther = (title: string) => title !== round.title

  const content: Paper[] = [
    { text: 'Posting record', bold: true, fontSize: 20 },
    { text: round.title, fontSize: 14, margin: [0, 2, 0, 10] },
    ...(unfinished.length > 0
      ? [
          {
            text: `This round is not finished, so this record is not sealed. ${unfinished.join(' ')}`,
            bold: true,
            margin: [0, 0, 0, 8],
          },
        ]
      : []),
    facts([
      ['Mailbox', `${head.mailbox.name} <${head.mailbox.address}>`],
      ['List', head.list ?? 'not there any more'],
      ['Posted', when(head.postedAt)],
      ['Made', when(head.madeAt)],
      ['Times are of', zone],
      ['Letters sent', `${times(sent.length, 'letter')} of ${letters.length.toLocaleString('en-GB')}`],
      ['Copies sent', copies.length.toLocaleString('en-GB')],
      ...(paper.length > 0
        ? [
            [
              'By paper post',
              `${paper.filter((one) => one.state === 'printed').length.toLocaleString('en-GB')} of ${times(paper.length, 'letter')} printed`,
            ] as [string, string],
          ]
        : []),
      ['Left out', leftOutWords(leftOut.length, byRule)],
    ]),

    heading('What the letter says'),
    ...of('version').flatMap((version): Paper[] => [
      {
        text: `${isOther(version.round) ? `${version.round}, version` : 'Version'} ${version.number}${version.at === null ? '' : `, ${when(version.at)}`}`,
        bold: true,
        margin: [0, 6, 0, 2],
      },
      { text: `Subject: ${version.subject}`, fontSize: 9.5, margin: [0, 0, 0, 4] },
      { text: version.words, fontSize: 9.5, margin: [12, 0, 0, 6] },
      ...version.files.map((file) => small(fileLine(file))),
    ]),

    heading('What was done, and when'),
    ...(of('event').length === 0
      ? [small('This round was posted by a version of Hand Post that did not write such things down.')]
      : []),
    ...of('event').map(
      (event): Paper => ({
        columns: [
          { width: 130, text: when(event.at), color: grey },
          {
            width: '*',
            text: `${isOther(event.round) ? `${event.round}: ` : ''}${event.words}${event.by === undefined ? '' : ` By ${event.by}.`}`,
          },
        ],
        fontSize: 9,
        margin: [0, 0, 0, 3],
      }),
    ),

    heading('What was accepted at the proof'),
    ...proofs.flatMap(({ at, title, read, accepted }): Paper[] => [
      {
        text: `${when(at)}${isOther(title) ? `, ${title}` : ''}: ${accepted.length === 0 ? 'nothing was to be accepted.' : `${times(accepted.length, 'finding')} accepted by whoever posted it.`} ${read === 0 ? 'No letter was marked as read' : `${times(read, 'letter')} ${verb(read, 'was', 'were')} marked as read`} before.`,
        fontSize: 9,
        margin: [0, 0, 0, 3],
      },
      ...accepted.map(
        (one): Paper => ({
          text: [
            { text: `${one.title}: `, bold: true },
            { text: `${one.message} ` },
            { text: `Reason: ${one.reason || 'none given'}`, italics: true },
          ],
          fontSize: 9,
          margin: [12, 0, 0, 3],
        }),
      ),
    ]),
    ...(proofs.length === 0 ? [small('It was not written down.')] : []),

    heading('Who was left out, and why'),
    small(leftOutWords(leftOut.length, byRule)),
    ...leftOut.map(
      (one): Paper => ({
        text: `Row ${one.row}: ${named(one.person, one.address)}. ${one.why}`,
        fontSize: 8.5,
        margin: [0, 0, 0, 2],
      }),
    ),

    ...(paper.length > 0
      ? [
          heading('Letters by paper post'),
          ...paper.map(
            (one): Paper => ({
              text: `Row ${one.row}: ${one.person}. ${paperWords[one.state] ?? one.state}${one.printedAt === null ? '' : `, ${when(one.printedAt)}`}`,
              fontSize: 8.5,
              margin: [0, 0, 0, 2],
            }),
          ),
        ]
      : []),

    heading('Who was written to'),
    small(
      'In the order of the list; what followed a letter stands behind it. SHA-256 is of the whole message as it was handed to the mailbox’s host.',
    ),
    ...letters.map((letter, i) =>
      letterOnPaper(letter, i + 1, { when, common, mailbox: head.mailbox.address, isOther: isOther(letter.round) }),
    ),

    heading('Seal'),
    ...(end === null
      ? [small('Not sealed: the round was not finished when this record was made.')]
      : [
          small(
            'Everything above is sealed by a chain of hashes (SHA-256), in the file that belongs to this PDF. Check it, and the archive of the messages, at “Check a posting record”; the end of the chain must be this:',
          ),
          { text: [hash(end)], fontSize: 10, margin: [0, 4, 0, 0] },
        ]),
  ]
  return writePdf(
    `Posting record: ${round.title}`,
    content,
    (page, pages) => `${round.title}: posting record, page ${page} of ${pages}`,
  )
}

const named = (person: string, address: string) =>
  person === address || address === '' ? person : `${person} <${address}>`

/** What a file is. */
const fileLine = ({ name, size, sha256 }: { name: string; size: number; sha256: string }): object[] => [
  { text: `${name}, ${sizeWords(size)}, SHA-256 ` },
  hash(sha256),
]

const leftOutWords = (some: number, byRule: number | null) =>
  byRule === null
    ? 'It was not written down who was left out.'
    : `${byRule === 0 ? 'Nobody' : times(byRule, 'row')} by the rules of the round; ${some === 0 ? 'nobody else' : `${times(some, 'row')} besides`}.`

/** Characters that fit into a line of eight points whatever they are; and before a hash, which takes most of it. */
const fitsAlways = 56
const fitsBefore = 28

/** One letter: a block of lines, as the library sets those fastest. */
function letterOnPaper(
  letter: MessageEntry,
  n: number,
  {
    when,
    common,
    mailbox,
    isOther,
  }: { when: (at: string | null) => string; common: ReadonlySet<string>; mailbox: string; isOther: boolean },
): Paper {
  const state =
    letter.state === 'sent'
      ? `Sent ${when(letter.at)}`
      : (stateWords[letter.state as keyof typeof stateWords] ?? letter.state)
  const pieces: { text: string; bold?: boolean; font?: string; noWrap?: boolean }[] = [
    { text: `${n}. ${named(letter.person, letter.to)}, row ${letter.row}\n`, bold: true },
  ]
  // A line that fits in any case need not be broken, and is set as one piece: in half the time.
  const line = (text: string) => {
    pieces.push({ text: `${text}\n`, noWrap: text.length <= fitsAlways })
  }
  const lineWithHash = (text: string, sha256: string) => {
    const before = `${text}, SHA-256 `
    pieces.push(
      { text: before, noWrap: before.length <= fitsBefore },
      { ...hash(sha256), noWrap: true },
      { text: '\n' },
    )
  }
  line(
    `${isOther ? `${letter.round}: ` : ''}${state}${letter.from.address === mailbox ? '' : ` from ${letter.from.address}`}${letter.version > 1 ? `, version ${letter.version}` : ''}`,
  )
  line(`Subject: ${letter.subject}`)
  if (letter.answer) line(`${letter.state === 'sent' ? 'The host said' : 'Why'}: ${letter.answer}`)
  if (letter.sha256) lineWithHash('The whole message', letter.sha256)
  for (const file of letter.files)
    if (common.has(file.sha256)) line(`Enclosed: ${file.name}, as above`)
    else lineWithHash(`Enclosed: ${file.name}, ${sizeWords(file.size)}`, file.sha256)
  for (const copy of letter.copies)
    line(
      `${copy.role === 'cc' ? 'Cc' : 'Bcc'} to ${copy.address}: ${stateWords[copy.state as keyof typeof stateWords] ?? copy.state}${copy.at === null ? '' : ` ${when(copy.at)}`}${copy.answer ? `. ${copy.answer}` : ''}`,
    )
  for (const { what, at, words: said } of letter.came)
    line(`${when(at)}: ${cameWords[what] ?? what}${said === '' ? '' : `. ${said}`}`)
  return { text: pieces, fontSize: 8, margin: [0, 0, 0, 2] }
}
