import { type Row, shown } from '../people/table.ts'

/** A file of the round, known by its name as it was given. */
export interface RoundFile {
  id: number
  name: string
  /** Bytes as stored. */
  size: number
  /** `common` goes to everybody, `own` to whoever's cell names it. */
  role: 'common' | 'own'
}

/** The names a cell gives: several are parted by semicolon, line break or bar; a path is cut down to the file's name. */
export function namesInCell(text: string): string[] {
  return text
    .split(/[;\n|]/)
    .map((name) =>
      name
        .trim()
        .replace(/^.*[\\/]/, '')
        .trim(),
    )
    .filter(Boolean)
}

// Accents may be stored composed or not, and both look alike to the writer (Unicode normalisation form C).
const exactKey = (name: string) => name.normalize('NFC')
const looseKey = (name: string) =>
  name
    .normalize('NFC')
    .toLowerCase()
    .replace(/\s+/g, ' ')
    .replace(/\.[a-z0-9]{1,5}$/, '')

/** One person's enclosures. */
export interface Enclosed {
  files: RoundFile[]
  /** Names in the cell for which there is no file, each with the file that comes near, if any. */
  missing: { name: string; near: string | null }[]
}

/**
 * Prepares the files of a round for matching: the returned function gives each message its common files and the own ones of
 * its row or, where it is for several, of all its rows.
 */
export function encloser(files: RoundFile[], filesColumn: string | null): (row: Row, rows?: Row[]) => Enclosed {
  const common = files.filter((f) => f.role === 'common')
  const own = files.filter((f) => f.role === 'own')
  const exact = new Map(own.map((f) => [exactKey(f.name), f]))
  const loose = new Map(own.map((f) => [looseKey(f.name), f]))
  return (row, rows = [row]) => {
    const enclosed: Enclosed = { files: [...common], missing: [] }
    if (filesColumn === null) return enclosed
    const names = new Set(rows.flatMap((one) => namesInCell(shown(one.cells[filesColumn]))))
    for (const name of names) {
      const file = exact.get(exactKey(name))
      if (!file) enclosed.missing.push({ name, near: loose.get(looseKey(name))?.name ?? null })
      else if (!enclosed.files.includes(file)) enclosed.files.push(file)
    }
    return enclosed
  }
}

/**
 * Octets of base64 text for `size` octets of content (RFC 4648, section 4), in lines of 76 with CRLF
 * (RFC 2045, section 6.8).
 */
export function base64Size(size: number): number {
  const text = 4 * Math.ceil(size / 3)
  return text + 2 * Math.ceil(text / 76)
}

/** Octets allowed for the headers of a message and of one part: measured on our own messages, rounded up. */
const headersOfMessage = 1200
const headersOfPart = 320

/** An upper estimate of a message's encoded size in octets, from its texts and the sizes of its files. */
export function messageSize(html: string, text: string, fileSizes: number[]): number {
  const utf8 = (s: string) => {
    let size = 0
    for (let i = 0; i < s.length; i++) size += s.charCodeAt(i) < 0x80 ? 1 : 6
    return size
  }
  // Quoted-printable writes a sign beyond ASCII as up to three octets for each of its bytes, and folds at 76.
  const quoted = (size: number) => Math.ceil(size * 1.06) + headersOfPart
  return (
    headersOfMessage +
    quoted(utf8(html)) +
    quoted(utf8(text)) +
    fileSizes.reduce((sum, size) => sum + base64Size(size) + headersOfPart, 0)
  )
}

/** Says a size as people do: "240 kB", "3.2 MB". */
export function sizeWords(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`
  if (bytes < 999_500) return `${Math.round(bytes / 1000)} kB`
  return `${(bytes / 1_000_000).toFixed(1)} MB`
}
