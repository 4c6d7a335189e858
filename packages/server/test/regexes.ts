import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { parseAst } from 'vite'

const root = join(import.meta.dirname, '../../..')

/** A regular expression as it stands in the code. */
export interface Found {
  file: string
  source: string
  flags: string
}

/** One of the list: with a hostile text made for it, or why it never sees foreign text of any length. */
export interface Listed extends Found {
  hostile?: { prefix: string; pump: string; suffix: string }
  bounded?: string
}

/** Every regular expression that stands in the code of core, contract, server and practice, each once for a file. */
export function regexesInCode(): Found[] {
  const found = new Map<string, Found>()
  for (const part of ['core', 'contract', 'server', 'practice'])
    for (const entry of readdirSync(join(root, 'packages', part, 'src'), {
      recursive: true,
      encoding: 'utf8',
    }).sort()) {
      if (!/\.ts$/.test(entry) || /\.test\.ts$/.test(entry)) continue
      const file = `${part}/src/${entry}`
      const visit = (node: unknown): void => {
        if (node === null || typeof node !== 'object') return
        const { type, regex } = node as { type?: string; regex?: { pattern: string; flags: string } }
        if (type === 'Literal' && regex)
          found.set(`${file} ${regex.pattern} ${regex.flags}`, { file, source: regex.pattern, flags: regex.flags })
        for (const part of Object.values(node)) visit(part)
      }
      visit(parseAst(readFileSync(join(root, 'packages', file), 'utf8'), { lang: 'ts' }))
    }
  return [...found.values()]
}

/** How long (ms) a regular expression takes to search a text from its beginning, every place of it tried; the least of three times. */
export function timeOf({ source, flags }: Pick<Found, 'source' | 'flags'>, text: string): number {
  let least = Number.POSITIVE_INFINITY
  for (let i = 0; i < 3 && least > 20; i++) {
    const regex = new RegExp(source, flags)
    const began = performance.now()
    // A global one goes on after its first matches; a million of them would measure the making of matches.
    for (let k = 0; k < 20 && regex.test(text) && regex.global; k++);
    least = Math.min(least, performance.now() - began)
  }
  return least
}

/** A hostile text: something before, a piece again and again, something after. */
export const hostileText = (
  { prefix, pump, suffix }: { prefix: string; pump: string; suffix: string },
  length: number,
) => prefix + pump.repeat(Math.max(1, Math.floor((length - prefix.length - suffix.length) / pump.length))) + suffix
