import { times, verb } from '../words.ts'
import { eachBlock, eachLine, type Letter } from './document.ts'

/** What stands in the place of pictures. */
function descriptions(pictures: number, described: number): string {
  if (described === 0) return verb(pictures, 'it has no description', 'they have no descriptions')
  if (described < pictures) return `${described} with a description that stands there instead`
  return verb(pictures, 'its description stands there instead', 'their descriptions stand there instead')
}

/**
 * What of a letter is lost where it is sent as plain text only, in words for people: each as it stands in a sentence, such as
 * "2 pictures". None where the text says all.
 */
export function lostInPlain(letter: Letter): string[] {
  let [pictures, described, tables, bands] = [0, 0, 0, 0]
  const looks = new Set<string>()
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'image') {
      pictures++
      if (part.attrs.alt?.trim()) described++
    }
    if (part.type === 'table' || part.type === 'rowsTable') tables++
    if (part.type === 'band') bands++
    if (part.type === 'heading') looks.add('headings')
  })
  const markLooks = {
    bold: 'bold',
    italic: 'italics',
    underline: 'underlining',
    highlight: 'highlighting',
    textStyle: 'colours',
  }
  eachLine(letter.body.content, (line) => {
    for (const { marks = [] } of line) for (const { type } of marks) if (type !== 'link') looks.add(markLooks[type])
  })
  const words = [...looks]
  return [
    ...(pictures > 0 ? [`${times(pictures, 'picture')} (${descriptions(pictures, described)})`] : []),
    ...(tables > 0 ? [`the lines of ${times(tables, 'table')}`] : []),
    ...(bands > 0 ? [`${times(bands, 'coloured band')}`] : []),
    ...(words.length > 0 ? [words.join(', ')] : []),
    ...(letter.firstLine?.trim() ? ['the first line that inboxes show beside the subject'] : []),
  ]
}
