// npm test: installs what is missing, then types, linter, rooms, what is unused, and all tests; the interface is tested in Chromium.
import { spawn, spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { basename, join, relative } from 'node:path'
import { buildWeb, installChromium, installHosts, installPackages, root } from './prepare.mjs'

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
  installHosts()
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
const alone = ['hostileHosts', 'inTime', 'leases', 'regexes'].map((name) => `packages/server/test/${name}.test.ts`)
/** Runs tests and counts them. What failed is given by file and name. */
function run(name, args) {
  const report = join(results, `${name.toLowerCase().replaceAll(/\W+/g, '-')}.json`)
  const good = part(name, () =>
    succeeds(bin('vitest'), 'run', ...args, '--reporter=default', '--reporter=json', `--outputFile.json=${report}`),
  )
  try {
    const told = JSON.parse(readFileSync(report, 'utf8'))
    const failed = told.testResults
      .filter(({ status }) => status !== 'passed')
      .map(({ name: file, assertionResults }) => {
        const tests = assertionResults.filter(({ status }) => status === 'failed')
        return {
          file: relative(root, file),
          tests: tests.map(({ fullName }) => fullName),
          // fast-check has found values for which something does not hold; others may not show it.
          byValues: tests.some(({ failureMessages }) => /Property failed after/.test(failureMessages.join())),
        }
      })
    return { good, passed: told.numPassedTests, failed }
  } catch {
    return { good: false, passed: 0, failed: [{ file: name, tests: [name] }] }
  }
}
const all = run(
  'Tests',
  alone.flatMap((file) => ['--exclude', file]),
)
const measured = run('Tests alone', [...alone, '--project', 'node', '--no-file-parallelism', '--retry=2'])
let failures = [...all.failed, ...measured.failed]
let passed = all.passed + measured.passed
// A machine of two cores on which three workers, their servers and browsers run may be late where nobody would be: what failed is tried once
// more with the machine to itself, and it is said which that was. What fails then has failed; so has what computes and waits for nothing, what
// found values for which it does not hold, and what may not go wrong even once.
const notOnce = ['dispatchModel', 'exactlyOnce', 'manyProcesses', 'postingBeside', 'turns']
const again = failures.filter(
  ({ file, tests, byValues }) =>
    tests.length > 0 &&
    !byValues &&
    !alone.includes(file) &&
    !/^packages\/(core|contract)\//.test(file) &&
    !notOnce.includes(basename(file, '.test.ts')),
)
// Where much has failed, no lateness is the cause.
const second =
  again.length === 0 || again.length > 5
    ? null
    : run('Once more, alone', [...again.map(({ file }) => file), '--no-file-parallelism'])
if (second !== null) {
  const still = new Set(second.failed.flatMap(({ tests }) => tests))
  const late = again.flatMap(({ tests }) => tests).filter((one) => second.passed > 0 && !still.has(one))
  passed += late.length
  failures = failures
    .map((one) => ({ ...one, tests: one.tests.filter((test) => !late.includes(test)) }))
    .filter(({ file, tests }) => tests.length > 0 || !again.some((one) => one.file === file))
  for (const one of late) console.log(`Passed only at the second try, alone: ${one}`)
}
let failed = failures.reduce((sum, { tests }) => sum + Math.max(1, tests.length), 0)
// A run that ended badly though no test failed, and what a checker complains of, count as failures too.
if ([all, measured].some((one) => !one.good && one.failed.length === 0)) failed++
passed += checks.filter(Boolean).length
failed += checks.filter((done) => !done).length
const line = `${passed} passed, ${failed} failed`
writeFileSync(join(results, 'summary'), `${line}\n`)
console.log(`\n${parts.join(', ')}.\n${line}`)
process.exit(failed > 0 ? 1 : 0)
