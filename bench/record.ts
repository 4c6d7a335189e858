import { mkdtemp, open, readFile, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import { print, sized } from './measure.ts'
import { openSending } from './posted.ts'

// The posting record and the archive of a round of 10,000 that has gone. The archive is put beside writing the very same octets to a new
// file, as fast as the disk takes them.
const n = sized(10_000)
const { handPost, ask, post, untilSent, close } = await openSending(n)
const round = await post()
await untilSent(round, n)
const params = { round }

const start = performance.now()
const record = await ask(routes.makePostingRecord, { params })
const took = performance.now() - start
if (record.end === null || record.letters !== n) throw new Error('The record is not whole.')
print({
  name: `Posting record of ${n.toLocaleString('en-GB')} letters, with its seal`,
  ours: took / 1000,
  baseline: 20,
  unit: 's',
  asked: 'at most 20 s',
  kept: took <= 20_000,
})

const best = { ours: Number.POSITIVE_INFINITY, plain: Number.POSITIVE_INFINITY }
const folder = await mkdtemp(join(tmpdir(), 'hand-post-bench-'))
for (let i = 0; i < 3; i++) {
  const began = performance.now()
  const { archive, size } = await ask(routes.makeArchive, { params, body: { as: 'mbox', answers: false } })
  best.ours = Math.min(best.ours, performance.now() - began)
  const bytes = await readFile(join(handPost.parts.readingsFolder, `archive-${archive}`))
  if (bytes.length !== size) throw new Error('The archive is not whole.')
  const plain = performance.now()
  const file = await open(join(folder, `plain-${i}`), 'w')
  await file.writeFile(bytes)
  await file.sync()
  await file.close()
  best.plain = Math.min(best.plain, performance.now() - plain)
}
await rm(folder, { recursive: true })
print({
  name: `Archive of ${n.toLocaleString('en-GB')} messages as .mbox, against writing the same octets to disk`,
  ours: best.ours,
  baseline: best.plain,
  unit: 'ms',
  asked: 'at most 1.5 times',
  kept: best.ours <= best.plain * 1.5,
})
await close()
