import { createHash } from 'node:crypto'
import { expect, test } from 'vitest'
import { composeRaw } from '../src/mailboxes/compose.ts'
import { type Contents, contentsOfCopies } from '../src/mailboxes/contents.ts'

// Archives are made anew of what was frozen, and records hold them to the hashes with which letters left, years ago perhaps. So the bytes of
// a message must stay what they were when the composer, or what we give it, is renewed. The hashes here are of this program itself, written
// down on 2026-11-29: where one is another now, letters of before cannot be archived as they were sent, and that has to be dealt with first.

const files = new Map([
  ['a', Buffer.from('Where the berths are.\r\n')],
  ['b', Buffer.from(Array.from({ length: 500 }, (_, i) => (i * 7) % 256))],
  ['c', Buffer.from('89504e470d0a1a0a', 'hex')],
  ['d', Buffer.alloc(0)],
])
const store = { read: async (hash: string) => files.get(hash)! }
const plain: Contents = {
  from: { name: 'Brindle Quay Harbour Office', address: 'office@brindlequay.example' },
  replyTo: ['master@brindlequay.example'],
  to: { name: 'Zoë Łucja', address: 'zoe@village.example' },
  cc: ['chair@village.example'],
  bcc: [],
  subject: 'Your permit for “Morning Tern”, season 2027',
  html: '',
  text: 'Dear Zoë,\n\nHere it is. From here on it is yours, which is said in a line that is longer than a line of mail may well be.\n\n-- \nThe office\n',
  files: [],
  pictures: [],
  links: [],
  receipt: false,
  optOut: null,
}
const whole: Contents = {
  ...plain,
  html: `<p>Dear Zoë,</p><p>${'Here it is. '.repeat(40)}</p><p><img src="cid:p@brindlequay.example"></p>`,
  files: [
    { name: 'map.txt', hash: 'a', size: 23, type: 'text/plain' },
    { name: 'Zoë’s permit.pdf', hash: 'b', size: 500, type: 'application/pdf' },
    { name: 'empty.bin', hash: 'd', size: 0, type: 'application/octet-stream' },
  ],
  pictures: [{ cid: 'p@brindlequay.example', hash: 'c', type: 'image/png' }],
  receipt: true,
  optOut: 'https://quay.example/o/x',
  thread: { inReplyTo: '<first@brindlequay.example>', references: ['<first@brindlequay.example>'] },
  ofCopies: { html: '<p>Dear Zoë,</p>', text: 'Dear Zoë,\n' },
}

test.each([
  ['in plain text', plain, '543ae84b3c4aa603ea9c5903df217c75398efaca4b96218c06db2f0c9371e8f1'],
  [
    'with files, a picture, a thread, a receipt and the way to opt out',
    whole,
    'bcfad761fd0d34de7bbacb1036241a86d35db67aa94d590bf1c14d94a973f0fc',
  ],
  [
    'as those get it who have a copy',
    contentsOfCopies(whole),
    'b79934c59545de861c02a0a428452b76da3b73d51d7422f6a7eddb5e50723416',
  ],
])('a letter %s has the bytes that it always had', async (_, contents, hash) => {
  const raw = await composeRaw(
    { key: 'k'.repeat(22), messageId: '<k@brindlequay.example>', contents },
    Date.UTC(2026, 10, 29, 9),
    store,
  )
  expect(createHash('sha256').update(raw).digest('hex')).toBe(hash)
})
