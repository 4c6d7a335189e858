// What both commands need before they can do their work, on a machine with Node.js and Debian's packages alone.
import { execFileSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = dirname(dirname(fileURLToPath(import.meta.url)))

/** Runs a program in the project's folder and ends this one when it fails. */
export function run(command, args, words) {
  const { status } = spawnSync(command, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] })
  if (status === 0) return
  console.error(`\n${words} did not work (${command} ended with ${status}). See above for why.`)
  process.exit(1)
}

/** Installs the packages, unless those of this very lock file are there. */
export function installPackages() {
  const [major] = process.versions.node.split('.').map(Number)
  if (major < 20) {
    console.error(`Hand Post needs Node.js 20 or newer; this is ${process.version}.`)
    process.exit(1)
  }
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex')
  const note = join(root, 'node_modules', '.installed-lock')
  if (existsSync(note) && readFileSync(note, 'utf8') === lock) return
  console.log('Installing the packages (once, about a minute)…')
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], 'Installing the packages')
  writeFileSync(note, lock)
}

function newest(path) {
  const facts = statSync(path)
  if (!facts.isDirectory()) return facts.mtimeMs
  return Math.max(
    0,
    ...readdirSync(path)
      .filter((n) => n !== 'dist' && n !== 'node_modules')
      .map((n) => newest(join(path, n))),
  )
}

/** Builds the web app, unless what is built is newer than everything it is made from. */
export function buildWeb() {
  const built = join(root, 'packages/web/dist/index.html')
  const sources = ['web', 'core', 'contract'].map((p) => join(root, 'packages', p))
  if (existsSync(built) && statSync(built).mtimeMs > Math.max(...sources.map(newest))) return
  console.log('Building the interface…')
  run(
    'npm',
    ['exec', '--workspace', 'packages/web', '--', 'vite', 'build', '--logLevel', 'warn'],
    'Building the interface',
  )
}

/** The settings of the practice mailbox in a data folder, and of the demo where it is that. */
export function practiceSettings(data, demo) {
  const address = demo ? 'office@brindlequay.example' : 'office@practice.example'
  const accounts = demo ? [address, 'harbourmaster@brindlequay.example'] : [address]
  return {
    HAND_POST_PRACTICE_ADDRESS: address,
    PRACTICE_FOLDER: join(data, 'practice'),
    PRACTICE_ACCOUNTS: accounts.map((a) => `${a}:practice`).join(','),
    ...(demo
      ? {
          PRACTICE_MANNERS: join(data, 'correspondents.json'),
          PRACTICE_SEED: 'brindle quay',
          DEMO_FILES: join(data, 'files-to-try'),
        }
      : {}),
  }
}

/** Installs packages of Debian. Throws when they cannot be. */
function installDebian(...names) {
  const [command, ...before] = process.getuid?.() === 0 ? ['apt-get'] : ['sudo', 'apt-get']
  const apt = (...args) =>
    execFileSync(command, [...before, ...args], {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    })
  apt('update', '-qq')
  apt('install', '-y', '-qq', '--no-install-recommends', ...names)
}

/** Installs Chromium from Debian's packages, for the tests of the interface. */
export function installChromium() {
  if (existsSync('/usr/bin/chromium')) return
  console.log('Installing Chromium for the tests of the interface…')
  installDebian('chromium')
}

/**
 * Installs Postfix and Dovecot, as hosts to test with; without them those tests are skipped, and say so. Only root can start them: on
 * the machine of somebody who works there as themselves, no mail host is put.
 */
export function installHosts() {
  if (process.getuid?.() !== 0) return
  const missing = [
    ['Postfix and Dovecot', ['/usr/sbin/postfix', '/usr/sbin/dovecot'], ['dovecot-imapd', 'postfix']],
    ['PostgreSQL', ['/usr/lib/postgresql'], ['postgresql']],
  ].filter(([, files]) => !files.every((file) => existsSync(file)))
  for (const [name, , packages] of missing) {
    console.log(`Installing ${name} to test with…`)
    try {
      installDebian(...packages)
    } catch {
      console.log('It could not be installed: the tests with it are skipped.')
    }
  }
}
