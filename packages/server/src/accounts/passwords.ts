import { randomBytes } from 'node:crypto'
import { hash, verify } from '@node-rs/argon2'
import { Refusal } from '../problem.ts'

/**
 * What argon2id (RFC 9106) is given: 19 MiB, two passes, one lane, which is what the OWASP Password Storage Cheat Sheet asks for at least
 * (from memory). It runs in the threads of libuv, four at a time.
 */
const cost = { algorithm: 2, memoryCost: 19_456, timeCost: 2, parallelism: 1 } as const

/** One password, however its characters are put together: it is compared as NFKC has it (NIST SP 800-63B, section 5.1.1.2). */
const plain = (password: string): string => password.normalize('NFKC')

/** What a password is known by, in the form of argon2's reference implementation. */
export const hashOf = (password: string): Promise<string> => hash(plain(password), cost)

/** What is looked at where there is nothing to compare with, so that it takes as long. */
const nobody = hash(randomBytes(16), cost)

/** Whether a password is the one of a hash; without one it is not, and that takes as long. */
export async function isPassword(password: string, known: string | null): Promise<boolean> {
  const right = await verify(known ?? (await nobody), plain(password)).catch(() => false)
  return known !== null && right
}

/** Refuses a password that whoever knows its owner would try first. */
export function refuseWeak(password: string, { name, address }: { name: string; address: string }): void {
  const small = plain(password).toLowerCase()
  const parts = [address, address.split('@')[0], ...name.split(/\s+/)].map((text) => text.toLowerCase())
  const left = parts.reduce((rest, part) => (part.length < 3 ? rest : rest.replaceAll(part, '')), small)
  if (new Set(small).size < 5 || left.length < 6)
    throw new Refusal(
      422,
      'That password is easily guessed: it is your name or address, or a few characters again and again. Choose another; four or five words do well.',
      'Choose another',
    )
}
