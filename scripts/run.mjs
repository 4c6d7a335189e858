// npm run demo, npm start: installs and builds what is missing, then starts the practice mailbox and Hand Post.
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, openSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { sparingMemory } from './memory.mjs'
import { buildWeb, installPackages, practiceSettings, root } from './prepare.mjs'

const demo = process.argv[2] === 'demo'
// What lies in the data folder holds letters and addresses: it is for this user only.
process.umask(0o077)
const began = Date.now()
installPackages()
buildWeb()
const { buildServer } = await import('./buildServer.mjs')
const built = await buildServer()

const data = resolve(root, process.env.HAND_POST_DATA || (demo ? 'data/demo' : 'data'))
const env = {
  ...sparingMemory,
  ...process.env,
  // The demo is made in its folder, whichever database somebody works with otherwise.
  ...(demo ? { DATABASE_URL: '' } : {}),
  HAND_POST_BUILT: built,
  HAND_POST_DATA: data,
  HAND_POST_PORT: process.env.HAND_POST_PORT || '4710',
  ...practiceSettings(data, demo),
}
const program = (file) => (file.endsWith('.mjs') ? [file] : ['--import', 'tsx', join(root, file)])

if (demo) makeDemoOnce()

// The log of this start; that of the one before is kept beside it.
mkdirSync(data, { recursive: true })
const logFile = join(data, 'hand-post.log')
if (existsSync(logFile)) renameSync(logFile, `${logFile}.before`)
const log = openSync(logFile, 'w')

const children = new Set()
let ending = false
const end = () => {
  ending = true
  for (const child of children) child.kill('SIGTERM')
}
/**
 * Starts one program and waits for its word. When it ends by itself that is said; the other goes on: letters are sent by other
 * mailboxes without the practice mailbox, and whatever lies in that is there without Hand Post.
 */
function start(file, name, effect) {
  const child = spawn(process.execPath, program(file), {
    cwd: root,
    env,
    stdio: ['ignore', log, 'inherit', 'ipc'],
  })
  children.add(child)
  return new Promise((resolve) => {
    let ready = false
    child.on('message', (message) => {
      if (!message.ready) return
      ready = true
      resolve(message)
    })
    child.on('exit', (code, signal) => {
      children.delete(child)
      if (ending) return
      process.exitCode = code || 1
      // What did not even start leaves nothing to go on with.
      if (!ready) return end()
      console.error(
        `\n  ${name} has ended (${signal ?? `code ${code}`}). ${effect} Ctrl C ends the rest; then start it again.`,
      )
    })
  })
}
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, end)

const [, { address: desk }] = await Promise.all([
  start(
    'packages/practice/src/main.ts',
    'The practice mailbox',
    'The desk goes on; what it sends by the practice mailbox waits until that runs again.',
  ),
  start(
    join(built, 'main.mjs'),
    'Hand Post',
    'Letters that wait are kept and go on at the next start. The practice mailbox goes on.',
  ),
])
console.log(`
  Hand Post is ready at ${desk}   (${((Date.now() - began) / 1000).toFixed(1)} s)

  Letters by the practice mailbox reach made-up people only.${demo ? `\n  Tables and files to try it with lie in ${join(data, 'files-to-try')}` : ''}
  ${env.DATABASE_URL ? 'Files and the key are kept in' : 'Everything is kept in'} ${data}, its log in hand-post.log. Ctrl C ends it; letters that wait go on at the next start.
`)

function makeDemoOnce() {
  const finished = join(data, 'demo-made')
  const begun = join(data, 'demo-begun')
  if (existsSync(finished)) return
  if (existsSync(begun)) rmSync(data, { recursive: true, force: true })
  else if (existsSync(join(data, 'database'))) {
    console.error(
      `The folder ${data} holds something other than the demo. Choose another by HAND_POST_DATA; nothing was changed.`,
    )
    process.exit(1)
  }
  mkdirSync(data, { recursive: true })
  writeFileSync(begun, '')
  console.log('Making the demo (once, about a minute)…')
  const { status } = spawnSync(process.execPath, program('demo/src/main.ts'), { cwd: root, env, stdio: 'inherit' })
  if (status !== 0) {
    console.error('The demo could not be made; see above for why. The next start begins it again.')
    process.exit(1)
  }
  writeFileSync(finished, '')
}
