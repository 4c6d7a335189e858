// npm test: installs what is missing, then types, linter, and all tests; the interface is tested in Chromium.
import { spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { buildWeb, installChromium, installPackages, root } from './prepare.mjs'

installPackages()
installChromium()
buildWeb()

const results = join(root, 'test-results')
rmSync(results, { recursive: true, force: true })
mkdirSync(results, { recursive: true })
const bin = (name) => join(root, 'node_modules/.bin', name)
const succeeds = (command, ...args) =>
  spawnSync(command, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] }).status === 0

console.log('Types…')
const types = succeeds(process.execPath, join(root, 'scripts/types.mjs'))
console.log('Linter…')
const lint = succeeds(bin('biome'), 'check', '.')
console.log('Tests…')
// What measures how long something is held up has the machine for itself, after all others.
const alone = ['hostile', 'hostileHosts', 'inTime', 'regexes'].map((name) => `packages/server/test/${name}.test.ts`)
let passed = 0
let failed = 0
let tests = true
for (const [name, args] of [
  ['tests', alone.flatMap((file) => ['--exclude', file])],
  ['alone', [...alone, '--no-file-parallelism', '--retry=2']],
]) {
  const report = join(results, `${name}.json`)
  tests =
    succeeds(bin('vitest'), 'run', ...args, '--reporter=default', '--reporter=json', `--outputFile.json=${report}`) &&
    tests
  try {
    const told = JSON.parse(readFileSync(report, 'utf8'))
    passed += told.numPassedTests
    failed += told.numFailedTests
  } catch {
    failed++
  }
}
// A suite that could not even begin, types that do not fit and a linter's complaint count as failures too.
if (!tests && failed === 0) failed = 1
failed += Number(!types) + Number(!lint)
passed += Number(types) + Number(lint)
const line = `${passed} passed, ${failed} failed`
writeFileSync(join(results, 'summary'), `${line}\n`)
console.log(`\n${line}`)
process.exit(failed > 0 ? 1 : 0)
