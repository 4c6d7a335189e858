import { letterSchema } from '@hand-post/contract'
import { compileLetter, findTable, type Letter, readHtml, readIncoming, readReceived } from '@hand-post/core'
import { examine } from '../src/enclosures/examine.ts'
import { readModel } from '../src/enclosures/model.ts'
import { eachEntry } from '../src/files/zip.ts'
import { readLetterFile } from '../src/letter/letterFile.ts'
import { readPasted, readTableFile } from '../src/people/readFile.ts'
import { Refusal } from '../src/problem.ts'
import { readToken, signToken } from '../src/secrets.ts'

// What the fuzzers run, in a computing thread with its limits: each reads bytes, and throws nothing but refusals in words.

const columns = [
  { id: 'c1', name: 'Name', kind: 'text' as const },
  { id: 'c2', name: 'Email', kind: 'address' as const },
]
const row = { id: 1, position: '', place: 1, cells: { c1: 'Ada', c2: 'ada@village.example' } }
const key = Buffer.alloc(32, 7)

/** A letter that was read must be one that can be stored, and made for somebody. */
function use(letter: Letter): void {
  const stored = letterSchema.parse(JSON.parse(JSON.stringify(letter)))
  compileLetter(stored, columns, { asWritten: false, signature: '' } as never).merge(row)
}

const targets: Record<string, (bytes: Buffer) => unknown> = {
  table: async (bytes) => {
    for (const sheet of (await readTableFile(bytes, 'x')).sheets.slice(0, 3)) findTable(sheet.rows, {})
  },
  pasted: (bytes) => readPasted(bytes.toString()),
  letter: async (bytes) => use({ subject: 'S', body: (await readLetterFile(bytes, 'x')).body }),
  html: (bytes) => use({ subject: bytes.toString().slice(0, 200), body: readHtml(bytes.toString()).body }),
  model: async (bytes) => (await readModel(bytes, 'x', columns)).fill(row),
  content: (bytes) => examine(bytes),
  zip: (bytes) => eachEntry(bytes, () => {}).catch(() => {}),
  mail: async (bytes) => {
    const read = await Promise.allSettled([readIncoming(bytes), readReceived(bytes)])
    // A message may be too deep or its headers too large: that is said of it. Anything else is a fault of ours.
    for (const one of read)
      if (one.status === 'rejected' && !/Maximum (MIME nesting|header size)/.test(one.reason.message)) throw one.reason
      else if (
        one.status === 'fulfilled' &&
        'subject' in one.value &&
        'kind' in one.value &&
        /[\r\n]/.test(one.value.subject)
      )
        throw new Error('a subject with a line end')
  },
  token: (bytes) => {
    const text = bytes.toString('latin1')
    const target = readToken(key, text)
    if (target !== null && signToken(key, target) !== text) throw new Error('a token of two spellings')
  },
  document: (bytes) => {
    let value: unknown
    try {
      value = JSON.parse(bytes.toString())
    } catch {
      return
    }
    const read = letterSchema.safeParse(value)
    if (read.success) compileLetter(read.data, columns, { asWritten: false, signature: '' } as never).merge(row)
  },
}

export const jobs = {
  /** Runs a target on some bytes. Gives what it refused them with, or ''. */
  async fuzz({ target, bytes }: { target: string; bytes: Uint8Array }): Promise<string> {
    try {
      await targets[target](Buffer.from(bytes))
      return ''
    } catch (error) {
      if (error instanceof Refusal) return error.message
      throw error
    }
  },
}
