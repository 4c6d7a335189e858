import { createCipheriv, createDecipheriv, randomBytes, scrypt } from 'node:crypto'

// The cost of scrypt (RFC 7914): 128 MB and half a second for each guess.
const cost = { N: 2 ** 17, r: 8, p: 1, maxmem: 256 * 1024 * 1024 }
const keyFrom = (passphrase: string, salt: Buffer): Promise<Buffer> =>
  new Promise((resolve, reject) =>
    scrypt(passphrase.normalize('NFC'), salt, 32, cost, (error, key) => (error ? reject(error) : resolve(key))),
  )

/** Seals a key by a passphrase: salt, initialisation vector, tag (AES-256-GCM) and content. */
export async function sealKey(key: Buffer, passphrase: string): Promise<Buffer> {
  const [salt, iv] = [randomBytes(16), randomBytes(12)]
  const cipher = createCipheriv('aes-256-gcm', await keyFrom(passphrase, salt), iv)
  const content = Buffer.concat([cipher.update(key), cipher.final()])
  return Buffer.concat([salt, iv, cipher.getAuthTag(), content])
}

/** Opens what {@link sealKey} made; null when the passphrase is another one, or it was changed. */
export async function openKey(sealed: Buffer, passphrase: string): Promise<Buffer | null> {
  try {
    const [salt, iv, tag] = [sealed.subarray(0, 16), sealed.subarray(16, 28), sealed.subarray(28, 44)]
    const decipher = createDecipheriv('aes-256-gcm', await keyFrom(passphrase, salt), iv, { authTagLength: 16 })
    decipher.setAuthTag(tag)
    return Buffer.concat([decipher.update(sealed.subarray(44)), decipher.final()])
  } catch {
    return null
  }
}
