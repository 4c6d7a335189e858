// npm run bench: every figure, one after another, each beside a plain baseline measured in the same run.
import { readdirSync } from 'node:fs'
import { join } from 'node:path'
import { buildWeb, installPackages, root, run } from './prepare.mjs'

installPackages()
buildWeb()
const helpers = new Set(['measure.ts', 'program.ts', 'sink.ts'])
for (const file of readdirSync(join(root, 'bench')).filter((f) => f.endsWith('.ts') && !helpers.has(f)))
  run(process.execPath, ['--import', 'tsx', join('bench', file)], `The measurement ${file}`)
