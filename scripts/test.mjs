// npm test: installs what is missing, then types, linter, rooms, what is unused, and all tests; the interface is tested in Chromium.
import { spawn, spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { buildWeb, installChromium, installMailHosts, installPackages, root } from './prepare.mjs'

/** What is done, with how long (s) it took. */
const parts = []
function part(name, work) {
  console.log(`${name}…`)
  const began = Date.now()
  const done = work()
  parts.push(`${name}: ${Math.round((Date.now() - began) / 1000)} s`)
  return done
}

part('Install', () => {
  installPackages()
  installChromium()
  installMailHosts()
  buildWeb()
})

const results = join(root, 'test-results')
rmSync(results, { recursive: true, force: true })
mkdirSync(results, { recursive: true })
const bin = (name) => join(root, 'node_modules/.bin', name)
const succeeds = (command, ...args) =>
  spawnSync(command, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] }).status === 0

/** Runs a checker beside others; what it says is shown when it is done, in one piece. */
async function check(name, command, ...args) {
  const began = Date.now()
  const said = []
  const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] })
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (piece) => said.push(piece))
  const status = await new Promise((done) => child.on('close', done))
  parts.push(`${name}: ${Math.round((Date.now() - began) / 1000)} s`)
  console.log(`${name}: ${status === 0 ? 'nothing found' : 'FAILED'}`)
  process.stdout.write(Buffer.concat(said))
  return status === 0
}
console.log('Types, linter, rooms, what is unused…')
const checks = await Promise.all([
  check('Types', process.execPath, join(root, 'scripts/types.mjs')),
  check('Linter', bin('biome'), 'check', '.'),
  check('Rooms', process.execPath, join(root, 'scripts/rooms.mjs')),
  check('Unused', bin('knip')),
])
// What measures how long something is held up has the machine for itself, after all others.
const alone = ['hostileHosts', 'inTime', 'regexes'].map((name) => `packages/server/test/${name}.test.ts`)
let passed = 0
let failed = 0
let tests = true
for (const [name, args] of [
  ['Tests', alone.flatMap((file) => ['--exclude', file])],
  ['Tests alone', [...alone, '--project', 'node', '--no-file-parallelism', '--retry=2']],
]) {
  const report = join(results, `${name.toLowerCase().replace(' ', '-')}.json`)
  tests =
    part(name, () =>
      succeeds(bin('vitest'), 'run', ...args, '--reporter=default', '--reporter=json', `--outputFile.json=${report}`),
    ) && tests
  try {
    const told = JSON.parse(readFileSync(report, 'utf8'))
    passed += told.numPassedTests
    failed += told.numFailedTests
  } catch {
    failed++
  }
}
// A suite that could not even begin and what a checker complains of count as failures too.
if (!tests && failed === 0) failed = 1
passed += checks.filter(Boolean).length
failed += checks.filter((done) => !done).length
const line = `${passed} passed, ${failed} failed`
writeFileSync(join(results, 'summary'), `${line}\n`)
console.log(`\n${parts.join(', ')}.\n${line}`)
process.exit(failed > 0 ? 1 : 0)
