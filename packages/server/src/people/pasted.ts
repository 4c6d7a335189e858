import { addressFault, type Sheet, withoutEnd } from '@hand-post/core'
import addressparser from 'nodemailer/lib/addressparser'

/**
 * Reads a run of addresses in the forms of RFC 5322, section 3.4 (`Ada Penrose <ada@quay.example>`, `"Penrose, Ada" <…>`, bare,
 * groups), parted by commas, semicolons or line ends.
 * @returns a sheet of names and addresses, or null when the text is no run of addresses.
 */
export function readAddresses(text: string): { rows: Sheet; said: string[] } | null {
  if (text.includes('\t') || !text.includes('@')) return null
  const found: { name: string; address: string }[] = []
  const odd: string[] = []
  for (const line of text.split(/\r\n?|\n/)) {
    const run = withoutEnd(line.trim(), ',;')
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
  const said = odd.map((words) => `“${words.slice(0, 80)}” is no address, and was left out.`)
  return { rows: [['Name', 'Email'], ...found.map(({ name, address }) => [name || undefined, address])], said }
}
