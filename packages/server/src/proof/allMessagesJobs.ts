import { mboxEntry, mboxSeparator, sizeWords } from '@hand-post/core'
import { htmlOnPaper, type Paper, writePdf } from '../enclosures/paper.ts'
import { writeParts } from '../files/pack.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import type { Frozen } from '../mailboxes/contents.ts'
import { Refusal } from '../problem.ts'
import { freezeMessages, type PublicAddress } from '../rounds/freeze.ts'
import { loadRound } from '../rounds/loadRound.ts'
import { frozenOfRound, waitingLetters } from '../rounds/messages.ts'
import type { JobContext } from '../threads/job.ts'

/** How many messages one PDF holds at most. */
const maxOnPaper = 2000

interface Wanted {
  roundId: number
  now: number
  publicAddress: PublicAddress
  /** Where the file is written. */
  path: string
}

/** All messages of a round: as they were posted, else, and for those whose letters are amended, as they would be now. */
async function allMessages(
  { roundId, now, publicAddress }: Wanted,
  { db }: JobContext,
): Promise<{ title: string; messages: (Frozen & { sentAt?: number | null })[] }> {
  const loaded = await loadRound(db, roundId, now)
  const { round } = loaded
  if (round.postedAt !== null) {
    const posted = await frozenOfRound(db, roundId)
    if (round.amendingSince === null) return { title: round.title, messages: posted }
    const known = new Map((await waitingLetters(db, roundId)).map((one) => [one.rowId, one]))
    const made = await freezeMessages(db, loaded, publicAddress, { known })
    const anew = new Map(made.map((one) => [one.key, one]))
    return { title: round.title, messages: posted.map((one) => anew.get(one.key) ?? one) }
  }
  if (round.addressColumn === null || loaded.people.chosen.length === 0)
    throw new Refusal(
      409,
      'The round has no people with addresses yet, so there are no messages. Choose them at People.',
      'No messages',
    )
  return {
    title: round.title,
    messages: await freezeMessages(db, loaded, publicAddress),
  }
}

/** All messages of a round as one file. */
export const allMessagesJobs = {
  /** One PDF, a person a page and more, with the files listed: for signing off. */
  async paper(wanted: Wanted, context: JobContext): Promise<string> {
    const { title, messages } = await allMessages(wanted, context)
    if (messages.length > maxOnPaper)
      throw new Refusal(
        413,
        `One PDF takes at most ${maxOnPaper.toLocaleString('en-GB')} messages, and the round has ${messages.length.toLocaleString('en-GB')}. Choose fewer people by a rule, or take them as .mbox.`,
        'Too many for one PDF',
      )
    const pictures = new Map<string, string>()
    for (const { contents } of messages)
      for (const { cid, hash, type } of contents.pictures)
        if (!pictures.has(`cid:${cid}`))
          pictures.set(`cid:${cid}`, `data:${type};base64,${(await context.files.read(hash)).toString('base64')}`)
    const content = messages.map(({ contents }, i): Paper => {
      if (i % 20 === 19) context.progress(i + 1, messages.length, 'Putting on paper')
      const { from, to, cc, bcc, subject, html, files } = contents
      const named = ({ name, address }: { name: string; address: string }) => (name ? `${name} <${address}>` : address)
      const head: [string, string][] = [
        ['From', named(from)],
        ['To', named(to)],
        ...(cc.length > 0 ? [['Cc', cc.join(', ')] as [string, string]] : []),
        ...(bcc.length > 0 ? [['Bcc', `${bcc.join(', ')} (seen by nobody)`] as [string, string]] : []),
        ['Subject', subject],
        ['Files', files.length === 0 ? 'none' : files.map((f) => `${f.name} (${sizeWords(f.size)})`).join(', ')],
      ]
      return {
        stack: [
          {
            table: { widths: [50, '*'], body: head.map(([name, value]) => [{ text: name, color: '#4a5a61' }, value]) },
            layout: 'noBorders',
            fontSize: 9,
          },
          { canvas: [{ type: 'line', x1: 0, y1: 0, x2: 470, y2: 0, lineWidth: 0.5 }], margin: [0, 6, 0, 14] },
          ...htmlOnPaper(html, (src) => pictures.get(src) ?? null),
        ],
        ...(i > 0 ? { pageBreak: 'before' } : {}),
      }
    })
    const pdf = await writePdf(title, content, (page, pages) => `${title}, page ${page} of ${pages}`)
    await writeParts(wanted.path, [pdf])
    return `${title}.pdf`
  },

  /** One mailbox file (RFC 4155), each message exactly as it would leave, files included. */
  async mbox(wanted: Wanted, context: JobContext): Promise<string> {
    const { title, messages } = await allMessages(wanted, context)
    async function* entries() {
      for (const [i, message] of messages.entries()) {
        context.progress(i + 1, messages.length, 'Writing messages')
        const at = message.sentAt ?? wanted.now
        const raw = await composeRaw(message, at, context.files)
        yield mboxEntry(mboxSeparator(message.contents.from.address, at), raw)
      }
    }
    await writeParts(wanted.path, entries())
    return `${title}.mbox`
  },
}
