// Checks the types of every part. Prints what the compiler says, and exits 1 when it says anything.
import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { root } from './prepare.mjs'

// Server and practice mailbox are checked together with what tests and measures them, which would read all of them once more.
const parts = ['packages/core', 'packages/contract', 'packages/web', '.']
const failed = parts.filter(
  (part) => spawnSync(join(root, 'node_modules/.bin/tsc'), ['-p', part], { cwd: root, stdio: 'inherit' }).status !== 0,
)
if (failed.length > 0) {
  console.error(`Types do not fit in: ${failed.join(', ')}`)
  process.exit(1)
}
