import { createCipheriv, createDecipheriv, createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import { chmodSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

/** Keeps secrets encrypted at rest (AES-256-GCM), and signs the public addresses (HMAC-SHA-256, RFC 4231). */
export class Secrets {
  private constructor(
    private readonly key: Buffer,
    readonly signingKey: Buffer,
  ) {}

  /** Reads the key file of a data folder, making it at the first start, readable by its owner only. */
  static open(folder: string): Secrets {
    const file = join(folder, 'key')
    let bytes: Buffer
    try {
      bytes = readFileSync(file)
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error
      bytes = randomBytes(64)
      writeFileSync(file, bytes, { mode: 0o600, flag: 'wx' })
      chmodSync(file, 0o600)
    }
    if (bytes.length !== 64)
      throw new Error(
        `The key file ${file} is damaged: it must have 64 bytes. Put it back from a copy; without it, stored passwords cannot be read.`,
      )
    return new Secrets(bytes.subarray(0, 32), bytes.subarray(32))
  }

  /** Encrypts a text: initialisation vector, tag and content, as base64. */
  lock(text: string): string {
    const iv = randomBytes(12)
    const cipher = createCipheriv('aes-256-gcm', this.key, iv)
    const content = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
    return Buffer.concat([iv, cipher.getAuthTag(), content]).toString('base64')
  }

  /** Decrypts what {@link lock} made. Throws when the key is another one or a byte was changed. */
  unlock(locked: string): string {
    const bytes = Buffer.from(locked, 'base64')
    const decipher = createDecipheriv('aes-256-gcm', this.key, bytes.subarray(0, 12))
    decipher.setAuthTag(bytes.subarray(12, 28))
    return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8')
  }
}

/** The HMAC-SHA-256 of a text (RFC 2104, RFC 4231), as bytes. */
export function hmac(key: Buffer, text: string): Buffer {
  return createHmac('sha256', key).update(text).digest()
}

/** What a public address stands for: the picture of a message, opting out of letters like it, or one of its links. */
export interface PublicTarget {
  key: string
  what: 'picture' | 'optOut' | number
}

/** Makes the token of a public address. 16 octets of the HMAC are kept, as RFC 2104 section 5 allows. */
export function signToken(signingKey: Buffer, { key, what }: PublicTarget): string {
  const body = `${key}.${what === 'picture' ? 'p' : what === 'optOut' ? 'o' : what}`
  return `${body}.${hmac(signingKey, body).subarray(0, 16).toString('base64url')}`
}

/** Reads a token; null when it was not made by {@link signToken} with this key. */
export function readToken(signingKey: Buffer, token: string): PublicTarget | null {
  const parts = /^([\w-]{22})\.(p|o|\d{1,3})\.([\w-]{22})$/.exec(token)
  if (!parts) return null
  const mac = Buffer.from(parts[3], 'base64url')
  const expected = hmac(signingKey, `${parts[1]}.${parts[2]}`).subarray(0, 16)
  if (mac.length !== expected.length || !timingSafeEqual(mac, expected)) return null
  return { key: parts[1], what: parts[2] === 'p' ? 'picture' : parts[2] === 'o' ? 'optOut' : Number(parts[2]) }
}
