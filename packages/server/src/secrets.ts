import { createCipheriv, createDecipheriv, createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Refusal } from './problem.ts'

/** Keeps secrets encrypted at rest (AES-256-GCM), and signs the public addresses (HMAC-SHA-256, RFC 4231). */
export class Secrets {
  private constructor(
    private readonly key: Buffer,
    readonly signingKey: Buffer,
  ) {}

  /**
   * Reads the key file of a data folder, making it, readable by its owner only, where nothing was ever sealed with one.
   * @param sealed what is sealed already: with nothing to read it by, the start is refused.
   * @param goOn the writer's deliberate word that the key is lost for good: a new one is made, and what was sealed is given up.
   * @throws in words when it is missing, damaged or another one.
   */
  static open(folder: string, sealed: readonly string[], goOn = false): Secrets {
    const file = join(folder, 'key')
    const mend = `Put it back from a copy of the data folder, then start Hand Post again. If it is lost for good, see that no file of that name is left, and start it once with HAND_POST_NEW_KEY=yes: the passwords of mailboxes must then be typed again, and links in letters that have gone lead nowhere. Nothing was changed.`
    const stored = sealed.length === 1 ? 'a password that was' : `${sealed.length} passwords that were`
    let bytes: Buffer
    try {
      bytes = readFileSync(file)
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT')
        throw new Error(`The key file ${file} cannot be read (${(error as Error).message}). ${mend}`)
      if (sealed.length > 0 && !goOn)
        throw new Error(`The key file ${file} is missing, and the database holds ${stored} sealed with it. ${mend}`)
      bytes = randomBytes(64)
      writeFileSync(file, bytes, { mode: 0o600, flag: 'wx' })
    }
    if (bytes.length !== 64)
      throw new Error(`The key file ${file} is damaged: it must have 64 bytes, and has ${bytes.length}. ${mend}`)
    const secrets = new Secrets(bytes.subarray(0, 32), bytes.subarray(32))
    if (!goOn && !sealed.every((text) => secrets.opens(text)))
      throw new Error(`The key file ${file} is not the one that the database’s passwords were sealed with. ${mend}`)
    return secrets
  }

  /**
   * Of the key file of a folder, the part that signs the links of letters: it opens nothing that was sealed.
   * @throws in words when there is no such file, or it is damaged.
   */
  static signingKeyIn(folder: string): Buffer {
    const file = join(folder, 'key')
    let bytes: Buffer
    try {
      bytes = readFileSync(file)
    } catch (error) {
      throw new Error(`The key file ${file} cannot be read (${(error as Error).message}). Nothing was changed.`)
    }
    if (bytes.length !== 64)
      throw new Error(`The key file ${file} is damaged: it must have 64 bytes, and has ${bytes.length}.`)
    return bytes.subarray(32)
  }

  /** Whether this key opens what was sealed. */
  opens(locked: string): boolean {
    try {
      this.unlock(locked)
      return true
    } catch {
      return false
    }
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
    try {
      const decipher = createDecipheriv('aes-256-gcm', this.key, bytes.subarray(0, 12), { authTagLength: 16 })
      decipher.setAuthTag(bytes.subarray(12, 28))
      return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8')
    } catch {
      throw new Refusal(
        409,
        'The stored password cannot be opened with the key of this data folder. Type it again at Mailboxes.',
        'Password needed',
      )
    }
  }
}

/** The HMAC-SHA-256 of a text (RFC 2104, RFC 4231), as bytes. */
export function hmac(key: Uint8Array, text: string): Buffer {
  return createHmac('sha256', key).update(text).digest()
}

/** Whether two texts are the same, found out in a time that tells nothing of where they differ. */
export const isSameSecret = (a: string, b: string): boolean => {
  const digest = (text: string) => createHash('sha256').update(text).digest()
  return timingSafeEqual(digest(a), digest(b))
}

/** What a public address stands for: the picture of a message, opting out of letters like it, one of its choices, or one of its links. */
export interface PublicTarget {
  key: string
  what: 'picture' | 'optOut' | `c${number}` | number
  /** For a link: where it leads, so that following it asks nobody. */
  to?: string
}

/** The longest address that a link's token carries, so that the token stays within what servers take as a path. */
const longestCarried = 4000

/**
 * Makes the token of a public address. 16 octets of the HMAC are kept, as RFC 2104 section 5 allows.
 * Everything in it is base64url without padding (RFC 4648, section 5) or a plain number, and there is one way to spell it.
 */
export function signToken(signingKey: Uint8Array, { key, what, to }: PublicTarget): string {
  const kind = what === 'picture' ? 'p' : what === 'optOut' ? 'o' : what
  const carried = to === undefined || to.length > longestCarried ? '' : `.${Buffer.from(to).toString('base64url')}`
  const mac = hmac(signingKey, `${key}.${kind}${carried}`).subarray(0, 16).toString('base64url')
  return `${key}.${kind}.${mac}${carried}`
}

/** Reads a token; null when it was not made by {@link signToken} with this key, to the character. */
export function readToken(signingKey: Uint8Array, token: string): PublicTarget | null {
  if (token.length > longestCarried * 6) return null
  const parts = /^([\w-]{22})\.(p|o|c\d{1,3}|\d{1,3})\.[\w-]{22}(?:\.([\w-]+))?$/.exec(token)
  if (!parts) return null
  const [, key, kind, carried] = parts
  const target: PublicTarget = {
    key,
    what: kind === 'p' ? 'picture' : kind === 'o' ? 'optOut' : kind[0] === 'c' ? (kind as `c${number}`) : Number(kind),
    ...(carried === undefined ? {} : { to: Buffer.from(carried, 'base64url').toString() }),
  }
  // Made anew and compared whole: another spelling of the same octets is not taken.
  const made = Buffer.from(signToken(signingKey, target))
  const given = Buffer.from(token)
  return made.length === given.length && timingSafeEqual(made, given) ? target : null
}
