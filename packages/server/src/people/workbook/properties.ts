import { knownLanguage } from '@hand-post/core'
import { readXml } from '../../files/sax.ts'

/**
 * The language that a workbook's properties name: dc:language, which ECMA-376 Part 2 (8.3.3) and ISO/IEC 26300-1 (4.3.2.14) share.
 * @param properties the part that holds them; undefined where the workbook has none.
 */
export function languageSaid(properties: Buffer | undefined): string | null {
  if (!properties) return null
  let said = ''
  let inLanguage = false
  readXml(
    properties,
    { 'http://purl.org/dc/elements/1.1/': 'dc' },
    {
      open(tag) {
        inLanguage = tag === 'dc:language'
      },
      text(more) {
        if (inLanguage) said += more
      },
      close() {
        inLanguage = false
      },
    },
  )
  return knownLanguage(said)
}
