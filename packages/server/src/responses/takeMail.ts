import { createHash } from 'node:crypto'
import {
  answersWithin,
  bareAddress,
  bareSubject,
  choiceOf,
  clocksDiffer,
  type FoundBy,
  type Incoming,
  pileOf,
  propose,
  reasonOf,
  type Statement,
  saidOf,
  sameAddressKey,
  foundBy as ways,
} from '@hand-post/core'
import type { Logger } from 'pino'
import type { Database } from '../db/database.ts'
import type { MailboxRecord } from '../mailboxes/store.ts'
import { type PublicTarget, readToken } from '../secrets.ts'
import type { Computes } from '../threads/job.ts'
import type { IncomingJobs, ReadMail } from './mailJobs.ts'
import { type LiesAt, noteToFetch } from './returnedStore.ts'
import {
  type Answerable,
  addMail,
  knownMail,
  lettersAnswered,
  lettersTo,
  lettersWithSubject,
  type MailSaid,
  messageById,
  messageByIds,
  messageByKey,
  messagesByIds,
  noteAnswered,
  type ResponseDetails,
  type StrayMail,
  type Within,
} from './store.ts'

export interface TakeMailParts {
  db: Database
  compute: Computes<IncomingJobs>
  log: Logger
  /** Signs the addresses in letters: a token that was made with it belongs to one of ours. */
  signingKey: Uint8Array
  /** Is told of a letter that came back. */
  cameBack: (letter: { roundId: number; id: number }) => Promise<void>
}

/** Characters of an answer's new words, and of its whole text, that are kept. */
const maxWords = 20_000
const maxText = 100_000

/** When a letter must have left for mail without headers that came at a time to be its answer. */
export const mayAnswer = (arrived: number): Within => ({ from: arrived - answersWithin, to: arrived + clocksDiffer })

/** Whether an address is one that a mailbox writes from. */
const isOwn = ({ settings }: MailboxRecord, address: string): boolean =>
  [settings.address, ...settings.aliases].some((own) => sameAddressKey(own) === sameAddressKey(address))

/** The letter that mail belongs to which names none of ours in its headers, with by what it was found; null when there is none. */
async function letterOf(
  { db, signingKey }: TakeMailParts,
  mailbox: MailboxRecord,
  mail: Incoming,
  arrived: number,
): Promise<Found | null> {
  for (const text of mail.names.tokens) {
    const target = readToken(signingKey, text)
    const signed = target === null ? null : await messageByKey(db, target.key)
    if (target !== null && signed?.mailboxId === mailbox.id)
      return {
        letter: (await messageById(db, signed.id))!,
        by: 'token',
        choice: choiceMade(mail, text, target.what, signed.choices),
      }
  }
  const quoted = await messageByIds(db, mailbox.id, mail.names.messageIds)
  if (quoted) return { letter: quoted, by: 'quoted' }
  // A report of the standard that names no letter of ours is about other mail.
  if (isReport(mail) && mail.plain === null) return null
  const stray: StrayMail = {
    sender: sameAddressKey(mail.from.address),
    senderName: mail.from.name,
    subject: bareSubject(mail.subject).subject,
    named:
      mail.plain === null ? [] : mail.names.addresses.map((address) => sameAddressKey(address.replace(/[.]$/, ''))),
  }
  const about = {
    from: mail.from,
    subject: mail.subject,
    returned: mail.plain === null ? null : { named: stray.named, text: mail.text },
  }
  const within = mayAnswer(arrived)
  const found =
    propose(about, await lettersTo(db, mailbox.id, within, stray)) ??
    (stray.subject === '' || mail.plain !== null
      ? null
      : propose(about, await lettersWithSubject(db, mailbox.id, within, stray)))
  return found && { letter: (await messageById(db, found.letter.id))!, by: found.by }
}
/** The letter that mail belongs to, by what it was found, and the choice of the letter that it makes. */
interface Found {
  letter: Answerable
  by: FoundBy
  choice?: ResponseDetails['choice']
}

/** The choice that a prepared answer makes: by its subject alone, for what is quoted of a letter has the tokens of all of them. */
function choiceMade(
  mail: Pick<Incoming, 'subject' | 'kind'>,
  token: string,
  what: PublicTarget['what'],
  sets: string[][],
): ResponseDetails['choice'] {
  if (mail.kind !== 'reply' || typeof what !== 'string' || !/^c\d+$/.test(what) || !mail.subject.includes(token))
    return undefined
  const n = Number(what.slice(1))
  const made = choiceOf(sets, n)
  return made === null ? undefined : { n, choice: made.choice }
}
const isReport = ({ kind }: Incoming) => kind !== 'reply' && kind !== 'automatic'

/** A piece of mail as it lies in the mailbox. */
export interface RawMail {
  raw: Uint8Array
  arrived: number
  /** Where it lies. */
  at: LiesAt
}

/** What became of one piece of mail: the round whose letter it belongs to, when that is news; or why it cannot be read. */
export type Taken = { roundId: number | null } | { refused: string }

/**
 * Takes some mail into account: finds the letter of each, and keeps what it says of it. Of mail that belongs to none nothing is kept.
 * @returns what became of each, in the order given.
 * @throws when the thread that reads them came to an end: whoever calls tries them one by one then.
 */
export async function takeMail(parts: TakeMailParts, mailbox: MailboxRecord, mails: RawMail[]): Promise<Taken[]> {
  const { db, compute, log } = parts
  const reads = await compute.run('readIncoming', {
    mails: mails.map(({ raw, arrived }) => ({ raw, arrived })),
    timeZone: mailbox.settings.timeZone,
  })
  // Mail without a Message-ID is known by what it is.
  const mailIds = reads.map((read, i) =>
    'refused' in read ? '' : (read.mail.messageId ?? createHash('sha256').update(mails[i].raw).digest('base64url')),
  )
  const known = await knownMail(db, mailbox.id, mailIds)
  const named = await messagesByIds(
    db,
    mailbox.id,
    reads.flatMap((read) => ('refused' in read ? [] : read.mail.answers)),
  )
  const ofAnswers = await lettersAnswered(
    db,
    [...named.values()].map(({ id }) => id),
  )
  const taken: Taken[] = []
  const said: MailSaid[] = []
  const found: (Found & { mail: Incoming; mailId: string; at: number })[] = []
  for (const [i, read] of reads.entries()) {
    taken.push('refused' in read ? { refused: read.refused } : { roundId: null })
    if ('refused' in read || known.has(mailIds[i])) continue
    const { mail } = read
    const { arrived } = mails[i]
    const byHeader = mail.answers.map((id) => named.get(id)).find((letter) => letter !== undefined)
    const answered: Found | null = byHeader
      ? { letter: byHeader, by: isReport(mail) ? ('report' as const) : ('header' as const) }
      : await letterOf(parts, mailbox, mail, arrived)
    if (answered === null) continue
    // What they write to an answer of ours belongs to the letter that it was about; a report on the answer is about the answer.
    const about = byHeader ? ofAnswers : await lettersAnswered(db, [answered.letter.id])
    const whose: Found = isReport(mail)
      ? answered
      : { ...answered, letter: about.get(answered.letter.id) ?? answered.letter }
    // The writer's own answer to an answer, a copy of which came back to them, is nobody's answer to the letter.
    if (mail.kind === 'reply' && isOwn(mailbox, mail.from.address) && !isOwn(mailbox, whose.letter.address)) {
      const [roundId] = await noteAnswered(db, mailbox.id, [{ at: arrived, answers: mail.answers }])
      taken[i] = { roundId: roundId ?? null }
      continue
    }
    found.push({ ...whose, mail, mailId: mailIds[i], at: i })
    said.push(...saidIn(read, whose, mailIds[i], arrived))
  }
  // Written down together: what brings files is known by that they are to be fetched.
  const bring = found.flatMap(({ letter, mail, mailId, at }) =>
    mail.brings && mail.kind === 'reply' ? [{ messageId: letter.id, mailId, ...mails[at].at }] : [],
  )
  const added =
    said.length === 0
      ? new Set<string>()
      : await db.transaction(async (tx) => {
          const those = await addMail(tx, said)
          await noteToFetch(
            tx,
            mailbox.id,
            bring.filter(({ mailId }) => those.has(mailId)),
          )
          return those
        })
  for (const { letter, by, mail, mailId, at } of found) {
    if (!added.delete(mailId)) continue
    taken[at] = { roundId: letter.roundId }
    log.info({ round: letter.roundId, letter: letter.id, by }, `came back: ${mail.kind}`)
    if (ways[by].certain && mail.kind === 'bounce') await parts.cameBack(letter)
  }
  return taken
}

/** What mail says of its letter, as it is kept. */
function saidIn(read: ReadMail, { letter, by, choice }: Found, mailId: string, at: number): MailSaid[] {
  const { mail } = read
  const { certain } = ways[by]
  const sort = (kind: Statement['kind'], sure: boolean) =>
    pileOf({ kind, newText: mail.newText }, pileDays(read), sure, choice?.choice ?? null)
  return saidOf(mail, letter).map((said) => ({
    messageId: letter.id,
    mailId,
    at,
    foundBy: by,
    kind: said.kind,
    of: certain ? said.of : 'perhaps',
    pile: sort(said.kind, certain)?.pile ?? null,
    address: said.address,
    details: {
      from: mail.from.name ? `${mail.from.name} <${mail.from.address}>` : mail.from.address,
      subject: mail.subject,
      words: wordsOf(mail, said).slice(0, maxWords),
      text: mail.text.slice(0, maxText),
      sorted: sort(said.kind, true) ?? undefined,
      days: read.days,
      choice,
      back: mail.kind === 'automatic' ? read.back : null,
      ...(said.kind === 'bounce' || said.kind === 'delayed'
        ? { status: said.status, reason: mail.plain?.reason ?? reasonOf(said.status, `${said.words}\n${mail.text}`) }
        : {}),
    },
  }))
}

/** The day that decides the pile: of an automatic reply that of return. */
const pileDays = ({ mail, days, back }: ReadMail) => (mail.kind === 'automatic' ? (back ? [back] : []) : days)

/** What a person wants to read of it. */
function wordsOf(
  mail: Incoming,
  { kind, address, status, words }: Pick<Statement, 'kind' | 'address' | 'status' | 'words'>,
): string {
  if (kind === 'receipt') return `The mail program says: ${mail.disposition ?? 'displayed'}.`
  if (kind !== 'bounce' && kind !== 'delayed' && kind !== 'delivered') return mail.newText
  return [words || `The host of ${address} could not deliver it.`, status && `(${status})`].filter(Boolean).join(' ')
}

/** Mail in a junk folder, of which only the headers are read. */
export interface JunkHead {
  ids: string[]
  messageId: string
  from: string
  subject: string
  automatic: boolean
}

/**
 * Takes mail in a junk folder into account, by its headers alone: only what names a letter of ours in them.
 * @returns the round whose letter it answers, when that is news; else null.
 */
export async function takeJunk(
  { db, log }: TakeMailParts,
  mailbox: MailboxRecord,
  { ids, messageId, from, subject, automatic }: JunkHead,
  folder: string,
  arrived: number,
): Promise<number | null> {
  const named = await messageByIds(db, mailbox.id, ids)
  const letter = named && ((await lettersAnswered(db, [named.id])).get(named.id) ?? named)
  const address = bareAddress(from)
  if (letter === null || messageId === '' || isOwn(mailbox, address)) return null
  if ((await knownMail(db, mailbox.id, [messageId])).size > 0) return null
  const kind = automatic ? 'automatic' : 'reply'
  const { of } = saidOf({ ...nothingRead, kind, from: { name: '', address } }, letter)[0]
  const pile = automatic ? 'automatic' : 'answer'
  const details = { from, subject, words: '', text: '', junk: folder }
  const added = await addMail(db, [
    { messageId: letter.id, mailId: messageId, at: arrived, foundBy: 'header', kind, of, pile, address, details },
  ])
  const isNew = added.size > 0
  if (isNew) log.info({ round: letter.roundId, letter: letter.id }, 'an answer lies in Junk')
  return isNew ? letter.roundId : null
}

/** Mail of which no part was read. */
const nothingRead: Incoming = {
  kind: 'reply',
  answers: [],
  from: { name: '', address: '' },
  subject: '',
  date: null,
  messageId: null,
  text: '',
  newText: '',
  report: [],
  disposition: null,
  plain: null,
  brings: false,
  names: { messageIds: [], tokens: [], addresses: [] },
}
