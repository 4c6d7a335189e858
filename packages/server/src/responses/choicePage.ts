import { createHash } from 'node:crypto'
import { escapeHtml } from '@hand-post/core'
import type { MessageOfKey } from './store.ts'

/** A choice of a letter by its number. */
export interface Choice {
  n: number
  choice: string
}

// As the letter itself: its typeface, its width, its colour.
const style = `body{margin:0;padding:24px 16px;background:#eef2f0;color:#1b1b1b;font:16px/1.5 Arial,Helvetica,sans-serif}
main{max-width:600px;margin:0 auto;padding:24px;background:#fff;border:1px solid #c6d1cc;border-radius:3px}
h1{margin:0 0 12px;font-size:22px;line-height:1.3}p{margin:0 0 16px}
fieldset{margin:0 0 16px;padding:0;border:0}legend{padding:0;font-weight:bold}
fieldset label{display:flex;gap:10px;margin:8px 0 0;padding:10px 14px;border:2px solid #c6d1cc;border-radius:3px}
fieldset label:has(:checked){border-color:#0b5a5e;font-weight:bold}
textarea{box-sizing:border-box;width:100%;margin-top:4px;padding:8px;border:1px solid #4a5a61;border-radius:3px;font:inherit}
button{padding:10px 22px;border:0;border-radius:3px;background:#0b5a5e;color:#fff;font:inherit;font-weight:bold;cursor:pointer}
.fault{padding:8px 12px;border-left:4px solid #9e2328;background:#fbeaea}.small{color:#4a5a61;font-size:14px}a{color:#0b5a5e}
@media (prefers-color-scheme:dark){body{background:#0e1619;color:#eef3f1}main{background:#172226;border-color:#33454b}.small{color:#b5c3c8}a{color:#8fd0d3}textarea{background:#0e1619;color:inherit}.fault{background:#43191b}}`
/** By what the page's style is let through (CSP 3, section 2.3.1), and nothing else. */
export const choiceStyleDigest = `sha256-${createHash('sha256').update(style).digest('base64')}`

/** What is said of an address that no letter has. */
export const unknownChoice =
  'This address is not known here, or is not whole. Please copy it again from the letter, or answer the letter by a message.'

/** What is said when answers are not taken any more. */
export const closedChoice = ({ subject, from }: MessageOfKey): string =>
  `Answers to “${subject}” are not taken here any more. Please write to ${from} by a message, if you wish to answer.`

const page = (title: string, inside: string) =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta name="robots" content="noindex"><title>${escapeHtml(title)}</title><style>${style}</style></head><body><main><h1>${escapeHtml(title)}</h1>${inside}</main></body></html>`

/** A page that says something, and asks nothing. */
export const sayPage = (title: string, words: string): string => page(title, `<p>${escapeHtml(words)}</p>`)

const about = ({ subject, from }: MessageOfKey) => `<p>To “${escapeHtml(subject)}” from ${escapeHtml(from)}.</p>`
const day = (at: number) =>
  new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' })

/** The page that asks once more which answer is meant, with room for a word besides. Looking at it answers nothing. */
export function askPage({
  message,
  n,
  offered,
  nonce,
  fault,
  words,
}: {
  message: MessageOfKey
  /** The choice that was followed. */
  n: number
  offered: Choice[]
  /** By which an answer that is sent twice is known for one. */
  nonce: string
  /** What was wrong with what was sent, in words. */
  fault: string | null
  words: string
}): string {
  const before =
    message.chosen.choice === null
      ? ''
      : `<p>Your last answer, of ${day(message.chosen.at!)}, is “${escapeHtml(message.chosen.choice)}”. A new one takes its place.</p>`
  const choices = offered
    .map(
      (one) =>
        `<label><input type="radio" name="choice" value="${one.n}" required${one.n === n ? ' checked' : ''}> <span>${escapeHtml(one.choice)}</span></label>`,
    )
    .join('')
  return page(
    'Your answer',
    `${about(message)}${before}${fault === null ? '' : `<p class="fault" role="alert">${escapeHtml(fault)}</p>`}<form method="post"><fieldset><legend>Which is it?</legend>${choices}</fieldset><p><label for="words">A word with it, if you like</label><textarea id="words" name="words" rows="4" maxlength="2000">${escapeHtml(words)}</textarea></p><input type="hidden" name="nonce" value="${nonce}"><p><button>Send this answer</button></p><p class="small">Nothing is sent before you press the button.</p></form>`,
  )
}

/** The page that says that an answer has come in. */
export const thanksPage = (message: MessageOfKey, choice: string, token: string): string =>
  page(
    'Thank you',
    `${about(message)}<p>Your answer “${escapeHtml(choice)}” has come in.</p><p class="small">If you change your mind, <a href="${escapeHtml(token)}">answer once more</a>: the last answer counts.</p>`,
  )
