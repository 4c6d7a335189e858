import { addressFault, type SheetCells, withoutEnd } from '@hand-post/core'
import addressparser from 'nodemailer/lib/addressparser'

/** An address that stands alone, with nothing that parts it from others or quotes. */
const isBare = (word: string) => word.includes('@') && !/[,;<>"]/.test(word)

/** A line with commas between bare addresses that only spaces part. */
const parted = (line: string): string => {
  const words = line.trim().split(/\s+/)
  return words
    .map((word, i) => (i > 0 && isBare(word) && isBare(words[i - 1]) ? `, ${word}` : ` ${word}`))
    .join('')
    .trim()
}

/**
 * Reads a run of addresses in the forms of RFC 5322, section 3.4 (`Ada Penrose <ada@quay.example>`, `"Penrose, Ada" <…>`, bare,
 * groups), separated by commas, semicolons, line ends or spaces.
 * @returns a sheet of names and addresses, or null when the text is no run of addresses.
 */
export function readAddresses(text: string): { rows: SheetCells[]; said: string[] } | null {
  if (text.includes('\t') || !text.includes('@')) return null
  const found: { name: string; address: string }[] = []
  const odd: string[] = []
  for (const line of text.split(/\r\n?|\n/)) {
    const run = withoutEnd(parted(line), ',;')
    if (run === '') continue
    for (const entry of addressparser(run, { flatten: true })) {
      const { address } = entry
      const name = entry.name.trim()
      if (addressFault(address) === null) found.push({ name, address: address.trim() })
      else odd.push((address || name).trim())
    }
  }
  // Prose, or a table without tabs, has more that is no address than addresses.
  if (found.length === 0 || odd.length > found.length) return null
  const said = odd.map((words) => `“${words.slice(0, 80)}” is not an address, and was left out.`)
  return { rows: [['Name', 'Email'], ...found.map(({ name, address }) => [name || undefined, address])], said }
}
