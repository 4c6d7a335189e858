// npm run fuzz [seconds]: the fuzzers for longer, with a seed of its own. What is found is kept in packages/server/test/found.
import { join } from 'node:path'
import { installPackages, root, run } from './prepare.mjs'

installPackages()
process.env.FUZZ_SECONDS = process.argv[2] ?? '1800'
process.env.FUZZ_SEED ??= String(Date.now() % 4294967296)
console.log(`Seed ${process.env.FUZZ_SEED}, for ${process.env.FUZZ_SECONDS} seconds.`)
run(
  join(root, 'node_modules/.bin/vitest'),
  ['run', 'packages/server/test/fuzz.test.ts', '--testTimeout', '0'],
  'The fuzzing',
)
