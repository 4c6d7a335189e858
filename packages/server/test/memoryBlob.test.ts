import { readIncoming } from '@hand-post/core'
import fc from 'fast-check'
import MailComposer from 'nodemailer/lib/mail-composer'
import { afterEach, expect, test } from 'vitest'
import { keepBlobsInMemory } from '../src/mailboxes/memoryBlob.ts'

// Beside it stands Node's own Blob: what is made of pieces, and what is read of mail, must be the same octet by octet.

const ofNode = globalThis.Blob
afterEach(() => {
  globalThis.Blob = ofNode
})
function inMemory<T>(work: () => T): T {
  keepBlobsInMemory()
  try {
    return work()
  } finally {
    globalThis.Blob = ofNode
  }
}

const piece = fc.oneof(
  fc.string({ unit: 'binary' }),
  fc.uint8Array({ maxLength: 300 }),
  // A part of a larger buffer, as a line of a message is.
  fc
    .tuple(fc.uint8Array({ minLength: 20, maxLength: 40 }), fc.nat(9))
    .map(([all, from]) => all.subarray(from, from + 10)),
  fc.uint8Array({ maxLength: 50 }).map((all) => all.buffer.slice(all.byteOffset, all.byteOffset + all.length)),
)

test('pieces put together are what Node makes of them', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(piece, { maxLength: 12 }), async (pieces) => {
      const ours = await inMemory(() => new Blob(pieces as BlobPart[])).arrayBuffer()
      const nodes = await new ofNode(pieces as BlobPart[]).arrayBuffer()
      expect(ours).toBeInstanceOf(ArrayBuffer)
      expect(Buffer.from(ours).equals(Buffer.from(nodes))).toBe(true)
    }),
    { seed: 20_261_128 },
  )
})

test('what was put together does not change with the pieces, nor share its memory', async () => {
  const line = new Uint8Array([1, 2, 3])
  const blob = inMemory(() => new Blob([line]))
  line[0] = 9
  const one = new Uint8Array(await blob.arrayBuffer())
  one[1] = 9
  expect([...new Uint8Array(await blob.arrayBuffer())]).toEqual([1, 2, 3])
})

const mail = fc
  .record({
    from: fc.constant('Ada <ada@quay.example>'),
    subject: fc.string({ maxLength: 40 }),
    text: fc.oneof(fc.string({ unit: 'binary', maxLength: 400 }), fc.lorem({ mode: 'sentences', maxCount: 30 })),
    html: fc.option(fc.string({ unit: 'binary', maxLength: 200 }), { nil: undefined }),
    textEncoding: fc.constantFrom('base64' as const, 'quoted-printable' as const),
    attachments: fc.array(
      fc.record({
        filename: fc.constantFrom('form.pdf', 'Übersicht.txt', 'a.bin'),
        content: fc.uint8Array({ maxLength: 2000 }).map((octets) => Buffer.from(octets)),
      }),
      { maxLength: 2 },
    ),
  })
  .map((parts) => new MailComposer(parts).compile())

test('mail is read as it is with Node’s own', async () => {
  await fc.assert(
    fc.asyncProperty(mail, async (composed) => {
      const raw = await composed.build()
      const nodes = await readIncoming(raw)
      keepBlobsInMemory()
      const ours = await readIncoming(raw).finally(() => {
        globalThis.Blob = ofNode
      })
      expect(ours).toEqual(nodes)
    }),
    { seed: 20_261_128, numRuns: 60 },
  )
})
