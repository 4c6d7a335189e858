import { escapeHtml } from './escape.ts'
import type { Out, Write } from './run.ts'

/** What stands in a merged letter for the address by which its reader opts out, until the message has its own. */
export const optOutPlace = 'https://opt-out.invalid/'

// Typefaces that have the scripts which the first ones lack, for programs that look no further by themselves.
const scripts = ['', ' Arabic', ' Hebrew', ' Devanagari', ' Thai', ' JP', ' KR', ' SC']
  .map((s) => `'Noto Sans${s}'`)
  .join()
const font = `font-family:Arial,Helvetica,${scripts},'Noto Emoji',sans-serif;font-size:16px;line-height:1.5;color:#1b1b1b`
/** How a paragraph of the letter is drawn. */
export const paragraphStyle = 'margin:0 0 16px 0'
/** How headings are, by level. */
export const headingStyles = [
  'margin:24px 0 12px 0;font-size:24px;line-height:1.25',
  'margin:20px 0 10px 0;font-size:20px;line-height:1.3',
  'margin:16px 0 8px 0;font-size:17px;line-height:1.3',
]
/** The colour of buttons and links. */
export const accent = '#0b5a5e'

/** What mail programs that can do it use in the dark; the others keep the colours that stand in the letter itself. */
export const letterStyle =
  '@media (prefers-color-scheme:dark){body.sheet{background:#1b2326!important}.words{color:#eef3f1!important}.words a.plain{color:#8fd0d3!important}.words .tone{color:#ffd28a!important}}'

const optOutWords = 'If you do not want letters like this one'
/** The line by which the reader of a letter can opt out. */
export const optOutLine: Write = (out) => {
  out.html += `<p style="margin:24px 0 0 0;font-size:13px">${optOutWords}, <a class="opt-out" href="${optOutPlace}" style="color:inherit">opt out here</a>.</p>`
  out.text += `${optOutWords}: ${optOutPlace}\n`
}

/** A letter's body as a whole message. `firstLine` is shown beside the subject by inboxes, and nowhere else. */
export function frame(body: Out, firstLine: string): { html: string; text: string } {
  // Behind the first line, characters that take room but show nothing, so that inboxes do not go on with the letter's words.
  const hidden =
    firstLine === ''
      ? ''
      : `<div style="display:none;font-size:1px;line-height:1px;max-height:0;overflow:hidden;mso-hide:all">${escapeHtml(firstLine)}${'&#847;&zwnj;&nbsp;'.repeat(30)}</div>`
  return {
    html: `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><meta name="color-scheme" content="light dark"><style>${letterStyle}</style></head><body class="sheet" style="margin:0;padding:16px;background:#ffffff">${hidden}<div class="words" style="max-width:600px;${font}">${body.html}</div></body></html>`,
    text: `${body.text.trimEnd()}\n`,
  }
}
