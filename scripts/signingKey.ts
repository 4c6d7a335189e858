// npm run signing-key: the key by which the public address knows its own links, for a process that serves it alone; docs/office.md.
import { resolve } from 'node:path'
import { readSettings, Secrets } from '../packages/server/src/index.ts'

try {
  const { HAND_POST_SHARED, HAND_POST_DATA } = readSettings(process.env)
  console.log(Secrets.signingKeyIn(resolve(HAND_POST_SHARED ?? HAND_POST_DATA)).toString('base64'))
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exit(1)
}
