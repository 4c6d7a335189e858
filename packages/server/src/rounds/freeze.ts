import { randomBytes } from 'node:crypto'
import {
  bareAddress,
  compileCopies,
  compileLetter,
  displayName,
  encloser,
  escapeHtml,
  optOutPlace,
  type Row,
  shown,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { pictureParts } from '../letter/pictures.ts'
import type { Contents } from '../mailboxes/contents.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { signToken } from '../secrets.ts'
import { type LoadedRound, leavingOrder, timeOf } from './loadRound.ts'
import type { NewMessage } from './messages.ts'

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
  return {
    ...contents,
    html: html.replaceAll(escapeHtml(before), escapeHtml(after)),
    text: contents.text.replaceAll(before, after),
    optOut: contents.optOut && after,
  }
}

/** Makes every message of a round, with its Message-ID and everything it will ever contain. */
export async function freezeMessages(
  db: Database,
  loaded: LoadedRound,
  publicAddress: PublicAddress,
  onProgress?: (made: number) => void,
  /** What messages of people are already known by: they keep it. */
  known?: ReadonlyMap<number, Pick<NewMessage, 'key' | 'messageId'>>,
): Promise<NewMessage[]> {
  const { round, columns, people, files } = loaded
  const { settings } = await mailboxById(db, round.mailboxId)
  const pictures = await pictureParts(db, round.letter)
  const compiled = compileLetter(round.letter, columns, { ...loaded.toProof.making, pictureAddress: pictures.address })
  const copies = compileCopies(loaded.toProof.copies, columns)
  const enclose = encloser(loaded.toProof.files, columns, loaded.toProof.matching)
  const byId = new Map(files.map((f) => [f.id, f]))
  const optsOut = round.tracking.optOut
  const turns = new Map(leavingOrder(loaded).map((row, i) => [row.id, i]))
  const domain = settings.address.slice(settings.address.lastIndexOf('@') + 1)
  return people.chosen.map((row: Row, i) => {
    const had = known?.get(row.id)
    const key = had?.key ?? randomBytes(16).toString('base64url')
    const rows = people.rowsOf.get(row.id)
    const merged = compiled.merge(row, rows, loaded.toProof.notes.get(row.id))
    const optOut = optsOut ? optOutUrl(publicAddress, key) : null
    const offered = (text: string) => (optOut === null ? text : text.replace(optOutPlace, optOut))
    const bare = offered(merged.html)
    const { html, links } = trackHtml(bare, key, round.tracking, publicAddress)
    const address = bareAddress(shown(row.cells[round.addressColumn!]))
    const { cc, bcc, replyTo } = copies.of(row, address)
    const person = displayName(row, round.nameColumns, round.addressColumn)
    // Whoever has a copy is another: nothing that they do with it may count for the person.
    const ofCopies =
      cc.length + bcc.length > 0 && (bare !== html || optOut !== null)
        ? {
            html: merged.html.replace(optOutPlace, optOutOfCopies(publicAddress)),
            text: merged.text.replace(optOutPlace, optOutOfCopies(publicAddress)),
          }
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
      turn: turns.get(row.id) ?? i,
      contents: {
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
        ...(ofCopies && { ofCopies }),
      },
    }
  })
}
