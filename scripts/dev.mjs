// npm run dev: the demo while it is worked on. The server starts anew when a file of it changes, the interface is replaced in place.
import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { installPackages, practiceSettings, root } from './prepare.mjs'

// What lies in the data folder holds letters and addresses: it is for this user only.
process.umask(0o077)
installPackages()
const data = join(root, 'data/demo')
if (!existsSync(join(data, 'demo-made'))) {
  console.error('There is no demo yet. Run npm run demo once, end it by Ctrl C, then start this again.')
  process.exit(1)
}
const env = {
  ...process.env,
  // It works on the demo, which lies in its folder.
  DATABASE_URL: '',
  HAND_POST_DATA: data,
  HAND_POST_PORT: '4710',
  HAND_POST_LOG: process.env.HAND_POST_LOG ?? 'debug',
  ...practiceSettings(data, true),
}
const bin = (name) => join(root, 'node_modules/.bin', name)
const children = [
  spawn(bin('tsx'), ['watch', '--clear-screen=false', 'packages/practice/src/main.ts'], {
    cwd: root,
    env,
    stdio: 'inherit',
  }),
  spawn(bin('tsx'), ['watch', '--clear-screen=false', 'packages/server/src/main.ts'], {
    cwd: root,
    env,
    stdio: 'inherit',
  }),
  spawn(bin('vite'), ['packages/web', '--host', '127.0.0.1', '--port', '4720', '--strictPort'], {
    cwd: root,
    env,
    stdio: 'inherit',
  }),
]
for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    for (const child of children) child.kill('SIGTERM')
  })
console.log('\n  The interface is at http://127.0.0.1:4720, and follows what is changed. Ctrl C ends all three.\n')
