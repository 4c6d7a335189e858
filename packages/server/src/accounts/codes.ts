import { createHash, randomBytes } from 'node:crypto'
import { Secret, TOTP } from 'otpauth'

/** One-time codes as RFC 6238 has them by default and every authenticator makes them: SHA-1, six figures, thirty seconds. */
const made = (secret: Secret, label = '') =>
  new TOTP({ issuer: 'Hand Post', label, secret, algorithm: 'SHA1', digits: 6, period: 30 })

/** A new secret of 160 bits (RFC 4226, section 4), in base32. */
export const newSecret = (): string => new Secret({ size: 20 }).base32

/** Whether a text is a secret as {@link newSecret} makes them. */
export const isSecret = (text: string): boolean => /^[A-Z2-7]{32}$/.test(text)

/** What an authenticator reads out of a picture: the address that stands for a secret. */
export const uriOf = (secret: string, account: string): string => made(Secret.fromBase32(secret), account).toString()

/**
 * The step of thirty seconds whose code this is: the present one, or one beside it (RFC 6238, section 5.2); null when it is none of them.
 * A step counts once: whoever takes it keeps it, and takes only later ones.
 * @param now ms since 1970.
 */
export function stepOf(secret: string, code: string, now: number): number | null {
  if (!/^\d{6}$/.test(code)) return null
  const delta = made(Secret.fromBase32(secret)).validate({ token: code, timestamp: now, window: 1 })
  return delta === null ? null : Math.floor(now / 30_000) + delta
}

/** Figures and letters that are not mistaken for each other. */
const alphabet = '23456789abcdefghjkmnpqrstuvwxyz'

/** A recovery code of 49 random bits, as `xxxxx-xxxxx`. */
function recoveryCode(): string {
  let code = ''
  while (code.length < 10)
    // Of octets beyond the last whole round of the alphabet none is taken: each character is as likely as any other.
    for (const octet of randomBytes(16)) if (octet < 248 && code.length < 10) code += alphabet[octet % alphabet.length]
  return `${code.slice(0, 5)}-${code.slice(5)}`
}
export const recoveryCodes = (): string[] => Array.from({ length: 10 }, recoveryCode)

/** What a recovery code is known by, however it is typed. */
export const recoveryPrint = (code: string): string =>
  createHash('sha256')
    .update(code.toLowerCase().replace(/[^a-z0-9]/g, ''))
    .digest('base64url')
