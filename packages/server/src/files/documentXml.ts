import { readXml } from './sax.ts'
import { xmlText } from './xml.ts'

/** The namespace of a document's text (ECMA-376 Part 1, 17), in its transitional and its strict form. */
const namespaces = [
  'http://schemas.openxmlformats.org/wordprocessingml/2006/main',
  'http://purl.oclc.org/ooxml/wordprocessingml/main',
]

// Signs of private use, by which the colour of words comes through a reader that knows none.
const [begins, begun, ends] = ['\ue000', '\ue001', '\ue002']
const privateSigns = /[\ue000-\ue002]/g

const isOn = (attributes: Record<string, string>, prefix: string) =>
  !/^(?:0|false|off|none)$/.test(attributes[`${prefix}val`] ?? '')
const times = (n: number) => (n === 1 ? '' : `, ${n.toLocaleString('en-GB')} times`)

/**
 * A document's text (`word/document.xml`, ECMA-376 Part 1, 17.2) made ready for its reader: hidden words are taken out (17.3.2.41),
 * tracked moves are written as the insertions and deletions that they are (17.13.5), and words in colour are marked, so that
 * {@link markedHtml} finds them again.
 * @param styles its styles (`word/styles.xml`): those that hide their words count, too.
 * @returns the same document otherwise, and in sentences what is not kept of it or was decided.
 * @throws XmlFault when it is no well-formed XML.
 */
export function readableDocument(content: Buffer, styles?: Buffer): { content: Buffer; said: string[] } {
  const out: string[] = ['<?xml version="1.0" encoding="UTF-8" standalone="yes"?>']
  const hiding = styles ? hidingStyles(styles) : new Set<string>()
  let hiddenParagraph = false
  const parents: string[] = []
  /** The runs that are open: how deep each stands, and what its properties say. */
  const runs: { depth: number; hidden: boolean; counted: boolean; marks: string[] }[] = []
  let prefix: string | null = null
  let muted = 0
  const counts = { hidden: 0, inserted: 0, deleted: 0, aligned: 0 }

  const nameOut = (name: string) =>
    name === `${prefix}moveTo` ? `${prefix}ins` : name === `${prefix}moveFrom` ? `${prefix}del` : name
  readXml(
    content,
    {},
    {
      open(name, attributes) {
        if (prefix === null) {
          const bound = Object.keys(attributes).find((key) => namespaces.includes(attributes[key]))
          prefix = bound === undefined || bound === 'xmlns' ? '' : `${bound.slice(6)}:`
        }
        const parent = parents.at(-1)
        const run = runs.at(-1)
        // Properties stand at the beginning of what they are of.
        const isOfRun = run !== undefined && parent === `${prefix}rPr` && parents.length === run.depth + 1
        if (isOfRun) {
          const value = attributes[`${prefix}val`] ?? ''
          const fill = attributes[`${prefix}fill`] ?? ''
          if (name === `${prefix}vanish`) run.hidden = isOn(attributes, prefix)
          if (name === `${prefix}rStyle` && hiding.has(value)) run.hidden = true
          if (name === `${prefix}color` && /^[0-9a-f]{6}$/i.test(value)) run.marks.push(`c${value.toUpperCase()}`)
          if (name === `${prefix}shd` && /^[0-9a-f]{6}$/i.test(fill) && !/^f{6}$/i.test(fill)) run.marks.push('h')
        }
        if (
          name === `${prefix}jc` &&
          parent === `${prefix}pPr` &&
          /^(?:center|right|end|both|distribute)$/.test(attributes[`${prefix}val`] ?? '')
        )
          counts.aligned++
        // Within properties these say that a mark of a paragraph or a row was changed.
        if (!/[rtp]Pr$/.test(parent ?? '')) {
          if (name === `${prefix}ins` || name === `${prefix}moveTo`) counts.inserted++
          if (name === `${prefix}del` || name === `${prefix}moveFrom`) counts.deleted++
        }
        if (name === `${prefix}p`) hiddenParagraph = false
        if (name === `${prefix}pStyle`) hiddenParagraph = hiding.has(attributes[`${prefix}val`] ?? '')
        parents.push(name)
        if (name === `${prefix}r`)
          runs.push({ depth: parents.length, hidden: hiddenParagraph, counted: false, marks: [] })
        if (muted > 0) {
          muted++
          return
        }
        if (run?.hidden && !isOfRun && parents.length === run.depth + 1 && name !== `${prefix}rPr`) {
          muted = 1
          if (!run.counted) counts.hidden++
          run.counted = true
          return
        }
        out.push(
          `<${nameOut(name)}${Object.entries(attributes)
            .map(([key, value]) => ` ${key}="${xmlText(value)}"`)
            .join('')}>`,
        )
      },
      text(text) {
        if (muted > 0) return
        const marks = parents.at(-1) === `${prefix}t` ? (runs.at(-1)?.marks ?? []) : []
        const words = xmlText(text.replace(privateSigns, ''))
        out.push(marks.map((mark) => begins + mark + begun).join(''), words, ends.repeat(marks.length))
      },
      close(name) {
        if (muted > 0) muted--
        else out.push(`</${nameOut(name)}>`)
        if (name === `${prefix}r`) runs.pop()
        parents.pop()
      },
    },
  )
  const { hidden, inserted, deleted, aligned } = counts
  const said: string[] = []
  if (hidden > 0) said.push(`Left out: hidden words${times(hidden)}.`)
  if (inserted + deleted > 0)
    said.push(
      `It has tracked changes. They were taken as made: what was put in is there (${inserted.toLocaleString('en-GB')}), what was struck is not (${deleted.toLocaleString('en-GB')}).`,
    )
  if (aligned > 0) said.push(`Left out: the alignment of paragraphs${times(aligned)}.`)
  return { content: Buffer.from(out.join('')), said }
}

/** The styles of a document that hide words (17.7.4), by themselves or by the one that they are based on. */
function hidingStyles(content: Buffer): Set<string> {
  const hides = new Map<string, { own: boolean | null; basedOn: string | null }>()
  let id = ''
  const bare = (name: string) => name.slice(name.indexOf(':') + 1)
  const value = (attributes: Record<string, string>, wanted: string) =>
    Object.entries(attributes).find(([key]) => bare(key) === wanted)?.[1] ?? ''
  readXml(
    content,
    {},
    {
      open(name, attributes) {
        const tag = bare(name)
        if (tag === 'style') {
          id = value(attributes, 'styleId')
          hides.set(id, { own: null, basedOn: null })
        }
        const style = hides.get(id)
        if (style && tag === 'basedOn') style.basedOn = value(attributes, 'val')
        if (style && tag === 'vanish') style.own = isOn({ val: value(attributes, 'val') }, '')
      },
      close(name) {
        if (bare(name) === 'style') id = ''
      },
    },
  )
  const isHiding = (at: string | null, deep = 0): boolean => {
    const style = at === null || deep > 20 ? undefined : hides.get(at)
    return style !== undefined && (style.own ?? isHiding(style.basedOn, deep + 1))
  }
  return new Set([...hides.keys()].filter((one) => isHiding(one)))
}

/** HTML that a reader made of a document by {@link readableDocument}, with the marked words in their colour. */
export function markedHtml(html: string): string {
  const tokens = html.split(/(\ue000[ch][0-9A-F]{0,6}\ue001|\ue002)/)
  const out: string[] = []
  const open: string[] = []
  for (let i = 0; i < tokens.length; i++) {
    const token = tokens[i]
    if (token.startsWith(begins)) {
      const mark = token.slice(1, -1)
      open.push(mark)
      out.push(mark === 'h' ? '<mark>' : `<span style="color:#${mark.slice(1)}">`)
    } else if (token === ends) {
      // Words of one colour are often several runs; a field typed over them must stay one text.
      const next = tokens[i + 2]
      if (tokens[i + 1] === '' && open.length === 1 && next === begins + open[0] + begun) {
        i += 2
        continue
      }
      const mark = open.pop()
      if (mark !== undefined) out.push(mark === 'h' ? '</mark>' : '</span>')
    } else out.push(token)
  }
  return out.join('')
}
