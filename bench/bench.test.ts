import { execFile } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeAll, expect, test } from 'vitest'
import { buildBench } from '../scripts/buildServer.mjs'
import { shortLived } from '../scripts/shortLived.mjs'

// Each measurement runs to its end, with a fiftieth of what it measures: whether figures are kept is no matter of tests.
const root = join(import.meta.dirname, '..')
const measurements = readdirSync(import.meta.dirname).filter(
  (name) =>
    /^\w+\.ts$/.test(name) &&
    /NOT KEPT|print\(/.test(readFileSync(join(import.meta.dirname, name), 'utf8')) &&
    name !== 'measure.ts',
)

test('there are measurements', () => expect(measurements.length).toBeGreaterThan(6))
let built: string
beforeAll(async () => {
  built = await buildBench(measurements.map((name) => join(import.meta.dirname, name)))
})
test.each(measurements)('%s', async (name) => {
  const { code, out } = await new Promise<{ code: number; out: string }>((done) =>
    execFile(
      process.execPath,
      [...shortLived, join(built, name.replace(/\.ts$/, '.mjs'))],
      { cwd: root, env: { ...process.env, BENCH_SMALL: '1', NODE_OPTIONS: '' }, timeout: 600_000 },
      (error, stdout, stderr) => done({ code: Number(error?.code ?? (error ? 1 : 0)), out: `${stdout}${stderr}` }),
    ),
  )
  expect([code, out]).toEqual([0, expect.stringMatching(/: (kept|NOT KEPT)/)])
})
