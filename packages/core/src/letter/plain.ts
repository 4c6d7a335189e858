import { times, verb } from '../words.ts'
import { eachBlock, eachLine, type Letter } from './document.ts'
import { plain as say } from './words.ts'

/** What stands in the place of pictures. */
function descriptions(pictures: number, described: number): string {
  if (described === 0) return verb(pictures, say.noDescription, say.noDescriptions)
  if (described < pictures) return say.descriptionStandsThereInstead(described)
  return verb(pictures, say.itsDescription, say.theirDescriptions)
}

/**
 * What of a letter is lost where it is sent as plain text only, in words for people: each as it stands in a sentence, such as
 * "2 pictures". None where the text says all.
 */
export function lostInPlain(letter: Letter): string[] {
  let [pictures, described, tables, bands, choices] = [0, 0, 0, 0, 0]
  const looks = new Set<string>()
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'image') {
      pictures++
      if (part.attrs.alt?.trim()) described++
    }
    if (part.type === 'table' || part.type === 'rowsTable') tables++
    if (part.type === 'band') bands++
    if (part.type === 'heading') looks.add('headings')
    if (part.type === 'choices') choices++
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
    ...(tables > 0 ? [say.lines(tables)] : []),
    ...(bands > 0 ? [say.bands(bands)] : []),
    ...(choices > 0 ? [say.choices] : []),
    ...(words.length > 0 ? [words.join(', ')] : []),
    ...(letter.firstLine?.trim() ? [say.firstLineInboxesShow] : []),
  ]
}
