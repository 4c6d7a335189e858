import { Tokenizer } from 'htmlparser2'

/** Tags before and after which a line ends. */
const lineTags = new Set(
  'p div li ul ol tr table h1 h2 h3 h4 h5 h6 section article header footer address pre dl dt dd hr blockquote'.split(
    ' ',
  ),
)
/** Tags whose contents nobody reads. */
const silentTags = new Set('script style head title template noscript svg math'.split(' '))

/**
 * The words of an HTML text, with line ends where its blocks end.
 * The tokenizer of the parser is used without the tree that the parser keeps of what is open: a message of 100,000 octets of "<",
 * or as many tags that are never closed, is gone through once.
 * @param most how many characters are wanted; what comes after is not read.
 * @param quotes whether what is quoted of another message (`blockquote`) is kept as it is, or marked with “> ” as in plain text.
 * @example htmlToText('<p>Dear Ada,</p><p>all &amp; sundry</p>', 100) // 'Dear Ada,\n\nall & sundry'
 */
export function htmlToText(html: string, most: number, quotes: 'kept' | 'marked' = 'kept'): string {
  const read = html.slice(0, Math.max(most * 20, 100_000))
  let text = ''
  let silent = 0
  let depth = 0
  let tag = ''
  const add = (words: string) => {
    if (silent > 0 || text.length >= most) return
    const begins = quotes === 'marked' && depth > 0 && (text === '' || text.endsWith('\n')) && words.trim() !== ''
    text += begins ? `> ${words.trimStart()}` : words
  }
  const name = (start: number, end: number) => read.slice(start, Math.min(end, start + 20)).toLowerCase()
  const nothing = () => {}
  const tokenizer = new Tokenizer(
    { decodeEntities: true },
    {
      onopentagname(start, end) {
        tag = name(start, end)
        if (tag === 'br' || lineTags.has(tag)) add('\n')
        else if (tag === 'td' || tag === 'th') add(' ')
      },
      onopentagend() {
        if (silentTags.has(tag)) silent++
        else if (tag === 'blockquote') depth++
      },
      onselfclosingtag: nothing,
      onclosetag(start, end) {
        const closed = name(start, end)
        if (silentTags.has(closed)) silent = Math.max(0, silent - 1)
        else if (closed === 'blockquote') depth = Math.max(0, depth - 1)
        if (lineTags.has(closed)) add('\n')
      },
      // White space and line ends of the source are one space; NUL is none of a text's characters.
      ontext: (start, end) => add(read.slice(start, Math.min(end, start + most)).replace(/[ \t\r\n\f\0]+/g, ' ')),
      ontextentity: (codepoint) => add(codepoint === 0 ? '' : String.fromCodePoint(codepoint)),
      onattribdata: nothing,
      onattribentity: nothing,
      onattribend: nothing,
      onattribname: nothing,
      oncdata: nothing,
      oncomment: nothing,
      ondeclaration: nothing,
      onend: nothing,
      onprocessinginstruction: nothing,
    },
  )
  tokenizer.write(read)
  tokenizer.end()
  return text
    .slice(0, most)
    .split('\n')
    .map((line) => line.trim())
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim()
}
