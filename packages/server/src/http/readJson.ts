import type { Request } from 'express'
import { Refusal } from '../problem.ts'

/** How deep objects and arrays may stand within one another. A letter with lists ten deep has about sixty. */
const deepest = 200

/** Collects a request's body, at most so many octets. What comes beyond is read and dropped, so that the caller gets its answer. */
function collect(req: Request, largest: number): Promise<Buffer> {
  const tooLarge = () =>
    new Refusal(
      413,
      `What was given is larger than ${largest.toLocaleString('en-GB')} octets. Nothing was changed.`,
      'Too large',
    )
  if (Number(req.get('content-length') ?? 0) > largest) {
    req.resume()
    throw tooLarge()
  }
  return new Promise((resolve, reject) => {
    const chunks: Buffer[] = []
    let size = 0
    req.on('data', (chunk: Buffer) => {
      size += chunk.length
      if (size <= largest) chunks.push(chunk)
      else reject(tooLarge())
    })
    req.on('end', () => resolve(Buffer.concat(chunks)))
    req.on('error', reject)
    req.on('close', () => reject(new Refusal(400, 'The request broke off. Nothing was changed.', 'Not whole')))
  })
}

/** Whether objects and arrays stand deeper within one another than they may. One pass, before anything is parsed. */
function tooDeep(json: Buffer): boolean {
  let depth = 0
  for (let i = 0; i < json.length; i++) {
    const octet = json[i]
    if (octet === 0x22) {
      // A text: to its closing quotation mark.
      for (i++; i < json.length && json[i] !== 0x22; i++) if (json[i] === 0x5c) i++
    } else if (octet === 0x5b || octet === 0x7b) {
      if (++depth > deepest) return true
    } else if (octet === 0x5d || octet === 0x7d) depth--
  }
  return false
}

/** Finds a text that no database, file or message can hold: with NUL in it, or half a character beyond the basic plane. */
function unfitText(value: unknown, path = ''): string | null {
  if (typeof value === 'string') return value.includes('\0') || !value.isWellFormed() ? path : null
  if (value === null || typeof value !== 'object') return null
  for (const [key, part] of Object.entries(value)) {
    const at = path === '' ? key : `${path}.${key}`
    const found = unfitText(key) === null ? unfitText(part, at) : path
    if (found !== null) return found
  }
  return null
}

/** Refuses texts that nothing can hold, and says where they stand. */
export function refuseUnfit(value: unknown, where: string): void {
  const at = unfitText(value)
  if (at === null) return
  throw new Refusal(
    422,
    `${at === '' ? `The ${where}` : `“${at.slice(0, 200)}”`} holds a character that no text can have (NUL, or half of a character). Take it out and try again. Nothing was changed.`,
    'Not a text',
  )
}

/**
 * Reads a request's JSON body (RFC 8259), bounded in size and depth.
 * @param largest octets.
 * @returns what it says; an empty body is an empty object.
 * @throws Refusal in words when it is none, or too large or deep.
 */
export async function readJson(req: Request, largest: number): Promise<unknown> {
  const encoding = req.get('content-encoding')
  if (encoding !== undefined && encoding !== 'identity')
    throw new Refusal(
      415,
      `The body is encoded as “${encoding.slice(0, 50)}”, which is not taken here. Send it as it is.`,
      'Not read',
    )
  const bytes = await collect(req, largest)
  if (bytes.length === 0) return {}
  if (!/^application\/json\b/i.test(req.get('content-type') ?? ''))
    throw new Refusal(
      415,
      'The body must be JSON, and say so: content-type: application/json. Nothing was changed.',
      'Not JSON',
    )
  if (tooDeep(bytes))
    throw new Refusal(
      400,
      `The body has objects and arrays more than ${deepest} deep within one another. Nothing was changed.`,
      'Too deep',
    )
  let value: unknown
  let text: string
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes)
    value = JSON.parse(text)
  } catch (error) {
    const why = error instanceof Error ? error.message.slice(0, 200) : ''
    throw new Refusal(400, `The request's body is not JSON: ${why}. Nothing was changed.`, 'Not JSON')
  }
  // Looked through only where an escape could stand for such a text.
  if (/\\u(?:0000|d[89a-f])/i.test(text)) refuseUnfit(value, 'body')
  return value
}
