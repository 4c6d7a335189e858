// npm run bench: every figure, one after another, each beside a plain baseline measured in the same run. Each measurement runs to its
// end whatever another does; the exit code is 1 when one failed or a figure was not kept.
import { spawnSync } from 'node:child_process'
import { readdirSync } from 'node:fs'
import { join } from 'node:path'
import { buildWeb, installPackages, root } from './prepare.mjs'

installPackages()
buildWeb()
const helpers = new Set(['measure.ts', 'posted.ts', 'practiceHost.ts', 'program.ts', 'sink.ts'])
const failed = []
for (const file of readdirSync(join(root, 'bench')).filter((f) => /^\w+\.ts$/.test(f) && !helpers.has(f))) {
  const { status } = spawnSync(process.execPath, ['--import', 'tsx', join('bench', file)], {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
  })
  if (status !== 0) failed.push(file)
}
if (failed.length > 0) {
  console.error(`\nNot kept, or not measured to the end: ${failed.join(', ')}.`)
  process.exitCode = 1
}
