// npm run restore -- FILE: puts a copy of everything back into the folder of HAND_POST_DATA, which must be empty. Nothing is sent by that.
// HAND_POST_PASSPHRASE opens the key in it; a key that was kept apart is put into the folder afterwards, as the file “key”.
import { readdirSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { restore } from '../packages/server/src/backup/restore.ts'
import { readSettings } from '../packages/server/src/settings.ts'

const [file] = process.argv.slice(2)
if (!file) {
  console.error('Say which copy is put back: npm run restore -- FILE')
  process.exit(2)
}
process.umask(0o077)
try {
  const folder = resolve(readSettings(process.env).HAND_POST_DATA)
  const migrations = readdirSync(join(import.meta.dirname, '../packages/server/src/db/migrations'))
  const { key, madeAt, damaged } = await restore(resolve(file), folder, {
    passphrase: process.env.HAND_POST_PASSPHRASE || null,
    migrations,
  })
  console.log(`The copy of ${new Date(madeAt).toLocaleString('en-GB')} lies in ${folder}.`)
  if (key === 'apart')
    console.log(`The key is not in it: put the one that was kept apart there as ${join(folder, 'key')}.`)
  console.log(
    'See that nothing is sent any more from where it was made. Then start Hand Post: what waited in it is not sent before you have said what became of it.',
  )
  for (const { name } of damaged) console.error(`Attention: “${name}” is not in the copy: it was damaged before.`)
} catch (error) {
  console.error(`Nothing was put back: ${error instanceof Error ? error.message : error}`)
  process.exitCode = 1
}
