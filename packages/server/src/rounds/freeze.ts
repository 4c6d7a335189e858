import { randomBytes } from 'node:crypto'
import {
  answerSubject,
  bareAddress,
  cellIn,
  choiceOf,
  choiceSets,
  compileCopies,
  compileLetter,
  displayName,
  encloser,
  escapeHtml,
  isLoopback,
  momentWords,
  optOutPlace,
  type PreparedFor,
  preparedAnswer,
  quotedBelow,
  quotedText,
  type Row,
  shown,
  threadOf,
  withChoices,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { pictureParts } from '../letter/pictures.ts'
import type { Contents } from '../mailboxes/contents.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { signToken } from '../secrets.ts'
import { type FirstLetter, fewRows, firstLetters } from './chasers.ts'
import { type LoadedRound, leavingOrder, loadRound, onlySome, timeOf } from './loadRound.ts'
import type { NewMessage } from './messages.ts'
import { roundById } from './store.ts'

/** Random octets that are fetched at one time: each time takes longer than making the rest of a key. */
let random = Buffer.alloc(0)

/** A name for a letter that nobody can guess: 128 bits at random. */
function newKey(): string {
  if (random.length === 0) random = randomBytes(16 * 1024)
  const key = random.subarray(0, 16).toString('base64url')
  random = random.subarray(16)
  return key
}

/** What freezing needs beside the round: how its public addresses are made. */
export interface PublicAddress {
  url: string
  signingKey: Uint8Array
}

// The line for opting out has a class of its own: what it leads to is no link that is counted.
const anchor = /<a (class="plain" )?href="(https?:[^"]*)"/g
const fromEscaped = (text: string) =>
  text
    .replace(/&lt;/g, '<')
    .replace(/&gt;/g, '>')
    .replace(/&quot;/g, '"')
    .replace(/&#39;/g, "'")
    .replace(/&amp;/g, '&')

/** Puts the round's own links and the opening picture into a message's html, as far as the writer switched them on. */
function trackHtml(
  html: string,
  key: string,
  tracking: { opens: boolean; clicks: boolean },
  publicAddress: PublicAddress,
): { html: string; links: string[] } {
  const links: string[] = []
  let out = html
  if (tracking.clicks)
    out = out.replace(anchor, (_, kind: string | undefined, href: string) => {
      const to = fromEscaped(href)
      links.push(to)
      return `<a ${kind ?? ''}href="${escapeHtml(linkUrl(publicAddress, key, links.length - 1, to))}"`
    })
  if (tracking.opens) {
    const picture = `<img src="${escapeHtml(pictureUrl(publicAddress, key))}" width="1" height="1" alt="" style="border:0">`
    out = out.replace('</div></body>', `${picture}</div></body>`)
  }
  return { html: out, links }
}

/** The address of the opening picture, and of a link by its number. */
const pictureUrl = ({ url, signingKey }: PublicAddress, key: string) =>
  `${url}/p/${signToken(signingKey, { key, what: 'picture' })}`
const linkUrl = ({ url, signingKey }: PublicAddress, key: string, link: number, to?: string) =>
  `${url}/l/${signToken(signingKey, { key, what: link, to })}`

const optOutUrl = ({ url, signingKey }: PublicAddress, key: string) =>
  `${url}/o/${signToken(signingKey, { key, what: 'optOut' })}`

/** Whether the public address can be reached from elsewhere. */
export const isReachable = ({ url }: Pick<PublicAddress, 'url'>): boolean => !isLoopback(new URL(url).hostname)

/** Where a choice leads to: a page that asks once more or, where none can be reached, a prepared answer. */
function choiceUrl(
  publicAddress: PublicAddress,
  key: string,
  prepared: PreparedFor,
  sets: string[][],
  n: number,
): string {
  const token = signToken(publicAddress.signingKey, { key, what: `c${n}` })
  if (isReachable(publicAddress)) return `${publicAddress.url}/c/${token}`
  return preparedAnswer(prepared, choiceOf(sets, n)?.choice ?? '', token)
}

/** A merged letter whose choices are prepared answers that nobody's letter is counted by: in copies, and wherever it is not a letter. */
export const withPlainChoices = (merged: { html: string; text: string }, sets: string[][], prepared: PreparedFor) =>
  sets.length === 0
    ? merged
    : withChoices(merged, (n) => preparedAnswer(prepared, choiceOf(sets, n)?.choice ?? '', null))

/** Where the line for opting out leads to in a copy: to a page that says that there is nothing to opt out of. */
export const optOutOfCopies = ({ url }: Pick<PublicAddress, 'url'>) => `${url}/o/copy`

/** Frozen contents for another message of the same words: its opens and clicks are its own. */
export function underKey(contents: Contents, was: string, key: string, publicAddress: PublicAddress): Contents {
  let { html } = contents
  contents.links.forEach((to, i) => {
    const now = escapeHtml(linkUrl(publicAddress, key, i, to))
    // The longer form first; letters of before have the shorter, which is another text altogether.
    for (const carried of [to, undefined])
      html = html.replaceAll(`"${escapeHtml(linkUrl(publicAddress, was, i, carried))}"`, `"${now}"`)
  })
  html = html.replaceAll(escapeHtml(pictureUrl(publicAddress, was)), escapeHtml(pictureUrl(publicAddress, key)))
  const [before, after] = [optOutUrl(publicAddress, was), optOutUrl(publicAddress, key)]
  html = html.replaceAll(escapeHtml(before), escapeHtml(after))
  let text = contents.text.replaceAll(before, after)
  // A token of a choice is written the same in every place.
  for (const n of (contents.choices ?? []).flat().keys()) {
    const [old, now] = [was, key].map((of) => signToken(publicAddress.signingKey, { key: of, what: `c${n}` }))
    html = html.replaceAll(old, now)
    text = text.replaceAll(old, now)
  }
  return {
    ...contents,
    html,
    text,
    optOut: contents.optOut && after,
  }
}

/**
 * Makes every message of a round, with its Message-ID and everything it will ever contain: one after another, as they are taken. What they are
 * made of is read before the first.
 */
export async function freezing(
  db: Database,
  loaded: LoadedRound,
  publicAddress: PublicAddress,
  {
    onProgress,
    known,
    uncounted = false,
    first = null,
  }: {
    onProgress?: (made: number) => void
    /** What messages of people are already known by: they keep it. */
    known?: ReadonlyMap<number, Pick<NewMessage, 'key' | 'messageId'>>
    /** Nothing in them is of their own name: what is switched off of the round's tracking, and choices. */
    uncounted?: boolean
    /** Of a chaser: the letters that its own follow, where they are not in the database yet. */
    first?: readonly FirstLetter[] | null
  } = {},
): Promise<Iterable<NewMessage>> {
  const { round, columns, people, files } = loaded
  const { settings } = await mailboxById(db, round.mailboxId)
  const pictures = await pictureParts(db, round.letter)
  const compiled = compileLetter(round.letter, columns, { ...loaded.toProof.making, pictureAddress: pictures.address })
  const copies = compileCopies(loaded.toProof.copies, columns)
  const enclose = encloser(loaded.toProof.files, columns, loaded.toProof.matching)
  const byId = new Map(files.map((f) => [f.id, f]))
  const optsOut = round.tracking.optOut
  const sets = choiceSets(round.letter)
  const copied = ({ html, text }: { html: string; text: string }) => ({
    html: html.replace(optOutPlace, optOutOfCopies(publicAddress)),
    text: text.replace(optOutPlace, optOutOfCopies(publicAddress)),
  })
  // By the id of each row: there may be a million.
  const turns = new Uint32Array(1 + people.chosen.reduce((most, { id }) => Math.max(most, id), 0))
  for (const [i, { id }] of leavingOrder(loaded).entries()) turns[id] = i
  const domain = settings.address.slice(settings.address.lastIndexOf('@') + 1)
  const following = await followingFirst(db, loaded, publicAddress, first)
  const freeze = (row: Row, i: number): NewMessage => {
    const had = known?.get(row.id)
    const key = had?.key ?? newKey()
    const rows = people.rowsOf.get(row.id)
    const asWritten = compiled.merge(row, rows, loaded.toProof.notes.get(row.id))
    const address = bareAddress(shown(cellIn(row, round.addressColumn!)))
    const { cc, bcc, replyTo } = copies.of(row, address)
    const prepared = { to: replyTo?.[0] ?? loaded.from.address, subject: asWritten.subject }
    const merged =
      sets.length === 0
        ? asWritten
        : {
            ...asWritten,
            ...(uncounted
              ? withPlainChoices(asWritten, sets, prepared)
              : withChoices(asWritten, (n) => choiceUrl(publicAddress, key, prepared, sets, n))),
          }
    const optOut = optsOut ? optOutUrl(publicAddress, key) : null
    const offered = (text: string) => (optOut === null ? text : text.replace(optOutPlace, optOut))
    const bare = offered(merged.html)
    const { html, links } = trackHtml(bare, key, round.tracking, publicAddress)
    const person = displayName(row, round.nameColumns, round.addressColumn)
    // Whoever has a copy is another: nothing that they do with it may count for the person.
    const ofCopies =
      cc.length + bcc.length > 0 && (bare !== html || optOut !== null || sets.length > 0)
        ? copied(withPlainChoices(asWritten, sets, prepared))
        : undefined
    if (i % 500 === 499) onProgress?.(i + 1)
    return {
      rowId: row.id,
      position: row.number ?? i,
      key,
      messageId: had?.messageId ?? `<${key}@${domain}>`,
      person,
      address,
      recipients: 1 + cc.length + bcc.length,
      notBefore: timeOf(loaded, row),
      turn: turns[row.id],
      contents: following(row.id, {
        from: loaded.from,
        replyTo,
        to: { name: person === address ? '' : person, address },
        cc,
        bcc,
        subject: merged.subject,
        html,
        text: offered(merged.text),
        files: enclose(row, rows).files.map(({ id, sentAs: name }) => {
          const { hash, size, type } = byId.get(id)!
          return { name, hash, size, type }
        }),
        pictures: round.letter.plain ? [] : pictures.parts,
        links,
        receipt: round.tracking.receipts,
        optOut,
        ...(sets.length > 0 && { choices: sets }),
        ...(ofCopies && { ofCopies }),
      }),
    }
  }
  return {
    *[Symbol.iterator]() {
      for (const [i, row] of people.chosen.entries()) yield freeze(row, i)
    },
  }
}

/** Makes every message of a round, and gives all of them: see {@link freezing}. */
export const freezeMessages = async (...given: Parameters<typeof freezing>): Promise<NewMessage[]> => [
  ...(await freezing(...given)),
]

/** What of a message a chaser has from the letter that it follows. */
export type Followed = Pick<Contents, 'subject' | 'html' | 'text' | 'thread' | 'ofCopies'>

/**
 * What a chaser's letters have of those that they follow: their thread and subject, and below their own words what those said.
 * @param given the letters that they follow, where these are not in the database yet.
 */
export async function followingFirst(
  db: Database,
  loaded: LoadedRound,
  publicAddress: PublicAddress,
  given: readonly FirstLetter[] | null = null,
): Promise<<C extends Followed>(rowId: number, contents: C) => C> {
  const { chases, chaser } = loaded.round
  if (chases === null || chaser === null || (!chaser.thread && !chaser.quote)) return (_, contents) => contents
  const { timeZone } = (await mailboxById(db, loaded.round.mailboxId)).settings
  const first = new Map(
    (given ?? (await lettersFollowed(db, loaded, chases, publicAddress))).map((one) => [one.rowId, one]),
  )
  return (rowId, contents) => {
    const letter = first.get(rowId)
    if (!letter) return contents
    const { from, sentAt, text, textOfCopies } = letter
    const quoted = (words: string) =>
      quotedText({
        from: from.name === '' ? from.address : `${from.name} <${from.address}>`,
        at: sentAt === null ? null : momentWords(sentAt, timeZone),
        text: words,
      })
    return {
      ...contents,
      ...(chaser.thread && { subject: answerSubject(letter.subject), thread: threadOf(letter.messageId, null) }),
      ...(chaser.quote && {
        ...quotedBelow(contents, quoted(text)),
        // What acts for the person in the first letter acts for nobody else.
        ...((contents.ofCopies || textOfCopies !== text) && {
          ofCopies: quotedBelow(contents.ofCopies ?? contents, quoted(textOfCopies)),
        }),
      }),
    }
  }
}

/** The letters that a chaser's own follow: as they were posted or, while they are not, as they would be now. */
async function lettersFollowed(
  db: Database,
  { people, now }: LoadedRound,
  roundId: number,
  publicAddress: PublicAddress,
): Promise<FirstLetter[]> {
  const rows = people.chosen.map((row) => row.id)
  if ((await roundById(db, roundId)).postedAt !== null)
    return firstLetters(db, roundId, rows.length < fewRows ? rows : null)
  const first = await loadRound(db, roundId, now)
  const wanted = new Set(rows)
  const some = first.people.chosen.filter((row) => wanted.has(row.id))
  return asFirst(await freezeMessages(db, onlySome(first, some), publicAddress, { uncounted: true }))
}

/** Messages that were just made as letters that others follow. */
export const asFirst = (messages: readonly NewMessage[]): FirstLetter[] =>
  messages.map(({ rowId, messageId, contents: { subject, from, text, ofCopies } }) => ({
    rowId,
    messageId,
    subject,
    from,
    text,
    textOfCopies: ofCopies?.text ?? text,
    sentAt: null,
  }))
