import { createHash } from 'node:crypto'
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

/** Where inputs are kept that something was found by; each is tried again at every run of the tests. */
const foundFolder = join(import.meta.dirname, 'found')

/** Numbers that look random and are the same for the same seed (mulberry32, in the public domain). */
export function random(seed: number): () => number {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let t = state
    t = Math.imul(t ^ (t >>> 15), t | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
}
export const pick = <T>(next: () => number, from: readonly T[]): T => from[Math.floor(next() * from.length)]

/** Numbers and texts that readers trip over. */
export const odd = [
  '',
  '0',
  '-1',
  '2147483648',
  '4294967296',
  '9e99',
  'NaN',
  '1e1000000',
  '\0',
  '\ud83d',
  '🚤',
  '\u202e',
  '__proto__',
  'constructor',
  'toString',
  '%00',
  '%zz',
  '../',
  '{{',
  '}}',
  '{{Name, or "',
  '<',
  '<!--',
  '&#0;',
  '&#x110000;',
  ']]>',
  '\r\n',
  '\n\n',
  ' '.repeat(300),
  'a'.repeat(5000),
  '"',
  '“',
  "'",
  '\\',
  ';',
  ',',
  '\t',
  '=',
] as const

/** A changed copy of something whole: cut, doubled, spliced, with odd texts and the words of its kind put in. */
export function mutate(next: () => number, corpus: readonly Buffer[], words: readonly string[]): Buffer {
  let bytes = Buffer.from(pick(next, corpus))
  for (let n = 1 + Math.floor(next() * 6); n > 0; n--) {
    const at = Math.floor(next() * (bytes.length + 1))
    const end = Math.min(bytes.length, at + Math.floor(next() ** 2 * 200))
    const put = (middle: Buffer) => Buffer.concat([bytes.subarray(0, at), middle, bytes.subarray(end)])
    switch (Math.floor(next() * 7)) {
      case 0:
        if (bytes.length > 0) bytes[at % bytes.length] = Math.floor(next() * 256)
        break
      case 1:
        bytes = put(Buffer.from(pick(next, odd)))
        break
      case 2:
        bytes = put(Buffer.from(pick(next, words)))
        break
      case 3:
        bytes = put(Buffer.from(pick(next, words).repeat(1 + Math.floor(next() ** 3 * 3000))))
        break
      case 4: {
        const piece = bytes.subarray(at, end)
        bytes = put(Buffer.concat(Array.from({ length: 1 + Math.floor(next() ** 3 * 500) }, () => piece)))
        break
      }
      case 5: {
        const other = pick(next, corpus)
        bytes = put(other.subarray(Math.floor(next() * other.length)))
        break
      }
      default:
        bytes = next() < 0.2 ? bytes.subarray(0, at) : put(Buffer.alloc(0))
    }
    if (bytes.length > 300_000) bytes = bytes.subarray(0, 300_000)
  }
  return bytes
}

/** What was found before by a fuzzer. */
export function foundBefore(target: string): { name: string; bytes: Buffer }[] {
  mkdirSync(foundFolder, { recursive: true })
  return readdirSync(foundFolder)
    .filter((name) => name.startsWith(`${target}-`))
    .map((name) => ({ name, bytes: readFileSync(join(foundFolder, name)) }))
}
/** Keeps what something was found by. Gives the name of the file. */
export function keepFound(target: string, bytes: Buffer): string {
  mkdirSync(foundFolder, { recursive: true })
  const name = `${target}-${createHash('sha256').update(bytes).digest('hex').slice(0, 12)}`
  writeFileSync(join(foundFolder, name), bytes)
  return name
}

interface Schema {
  type?: string | string[]
  properties?: Record<string, Schema>
  required?: string[]
  items?: Schema
  enum?: unknown[]
  const?: unknown
  anyOf?: Schema[]
  oneOf?: Schema[]
  allOf?: Schema[]
  pattern?: string
  prefixItems?: Schema[]
  propertyNames?: Schema
  additionalProperties?: Schema | boolean
}

/** A value that fits a JSON Schema, mostly; now and then one that does not. */
export function fitting(next: () => number, schema: Schema | undefined, depth = 0): unknown {
  if (!schema || depth > 6) return pick(next, [null, 1, 'x', [], {}])
  if (next() < 0.04)
    return pick(next, [null, -1, 0, 1e300, true, pick(next, odd), [], {}, [[[]]], { a: pick(next, odd) }])
  if (schema.const !== undefined) return schema.const
  if (schema.enum) return pick(next, schema.enum)
  const choices = schema.anyOf ?? schema.oneOf
  if (choices) return fitting(next, pick(next, choices), depth + 1)
  if (schema.allOf) return fitting(next, schema.allOf[0], depth + 1)
  const type = Array.isArray(schema.type) ? pick(next, schema.type) : schema.type
  switch (type) {
    case 'object': {
      const value: Record<string, unknown> = {}
      for (const [name, one] of Object.entries(schema.properties ?? {}))
        if (schema.required?.includes(name) ? next() > 0.02 : next() < 0.5) value[name] = fitting(next, one, depth + 1)
      if (schema.propertyNames || typeof schema.additionalProperties === 'object')
        for (let n = Math.floor(next() * 3); n > 0; n--)
          value[pick(next, ['c1', 'c2', 'c3', ...odd])] = fitting(
            next,
            schema.additionalProperties as Schema,
            depth + 1,
          )
      return value
    }
    case 'array':
      if (schema.prefixItems) return schema.prefixItems.map((one) => fitting(next, one, depth + 1))
      return Array.from({ length: Math.floor(next() * 4) }, () => fitting(next, schema.items, depth + 1))
    case 'integer':
    case 'number':
      return pick(next, [1, 1, 1, 2, 3, 0, -1, 1.5, 2 ** 31, 2 ** 53, 1e15])
    case 'boolean':
      return next() < 0.5
    case 'null':
      return null
    default:
      if (schema.pattern === '^c\\d+$') return pick(next, ['c1', 'c2', 'c3', 'c99'])
      return pick(next, ['Ada', 'ada@village.example', 'Name', '{{Name}}', '2026-11-26', '5', ...odd])
  }
}
