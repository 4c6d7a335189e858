import fc from 'fast-check'
import { argon2Verify } from 'hash-wasm'
import { Secret, TOTP } from 'otpauth'
import { describe, expect, test } from 'vitest'
import { newSecret, recoveryCodes, recoveryPrint, stepOf, uriOf } from '../src/accounts/codes.ts'
import { hashOf, isPassword, refuseWeak } from '../src/accounts/passwords.ts'
import { ada } from './browser.ts'

describe('passwords', () => {
  test('are kept as argon2id with at least what OWASP asks for, and another program reads them', async () => {
    const hash = await hashOf('seven grey gulls')
    // The form of the reference implementation; OWASP Password Storage Cheat Sheet: m=19456 (19 MiB), t=2, p=1 (from memory).
    expect(hash).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$/)
    expect(await argon2Verify({ password: 'seven grey gulls', hash })).toBe(true)
    expect(await argon2Verify({ password: 'seven grey gull', hash })).toBe(false)
    expect(await hashOf('seven grey gulls')).not.toBe(hash)
  })
  test('are the same however their characters are put together (NFKC), and long ones are not cut', async () => {
    const hash = await hashOf('caf\u00e9 by the quay')
    expect(await isPassword('cafe\u0301 by the quay', hash)).toBe(true)
    const long = await hashOf('x'.repeat(999))
    expect(await isPassword('x'.repeat(998), long)).toBe(false)
  })
  test('where there is nothing to compare with it is not right, and looked at all the same', async () => {
    expect(await isPassword('anything at all', null)).toBe(false)
    expect(await isPassword('anything at all', 'no hash')).toBe(false)
  })
  test.each([
    ['ada@brindlequay.example', true],
    ['Ada Penrose!', true],
    ['adaadaadaada', true],
    ['aaaaaaaaaaaaaa', true],
    ['adapenrose and the sea', false],
    ['seven grey gulls', false],
  ])('“%s” is easily guessed: %s', (password, weak) => {
    const refuse = () => refuseWeak(password, ada)
    if (weak) expect(refuse).toThrow(/easily guessed/)
    else expect(refuse).not.toThrow()
  })
})

describe('one-time codes', () => {
  // RFC 6238, appendix B: the secret is the ASCII text below; its table has eight figures, of which ours are the last six.
  const secret = Secret.fromUTF8('12345678901234567890').base32
  test.each([
    [59, '94287082'],
    [1111111109, '07081804'],
    [1111111111, '14050471'],
    [1234567890, '89005924'],
    [2000000000, '69279037'],
    [20000000000, '65353130'],
  ])('RFC 6238, appendix B, at %i seconds', (seconds, code) => {
    expect(stepOf(secret, code.slice(2), seconds * 1000)).toBe(Math.floor(seconds / 30))
  })
  test('of the step before and the one after are taken too, and none further away', () => {
    const at = (step: number) => new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: step * 30_000 })
    const now = 50_000_000 * 30_000 + 7000
    expect([-2, -1, 0, 1, 2].map((d) => stepOf(secret, at(50_000_000 + d), now))).toEqual([
      null,
      49_999_999,
      50_000_000,
      50_000_001,
      null,
    ])
  })
  test('no other text is one', () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        if (!/^\d{6}$/.test(text)) expect(stepOf(secret, text, 0)).toBeNull()
      }),
    )
  })
  test('secrets have 160 bits and no two are the same; what an authenticator reads names office and address', () => {
    const secrets = Array.from({ length: 50 }, newSecret)
    expect(new Set(secrets).size).toBe(50)
    for (const one of secrets) expect(one).toMatch(/^[A-Z2-7]{32}$/)
    expect(uriOf(secrets[0], ada.address)).toMatch(
      new RegExp(`^otpauth://totp/Hand%20Post:ada%40brindlequay\\.example\\?issuer=Hand%20Post&secret=${secrets[0]}&`),
    )
  })
  test('recovery codes are ten, differ, and are known however they are typed', () => {
    const codes = recoveryCodes()
    expect(new Set(codes).size).toBe(10)
    for (const code of codes) {
      expect(code).toMatch(/^[2-9a-z]{5}-[2-9a-z]{5}$/)
      expect(recoveryPrint(` ${code.toUpperCase().replace('-', ' ')} `)).toBe(recoveryPrint(code))
    }
  })
})
