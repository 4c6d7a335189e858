// npm run move -- to-server | to-folder | stay: moves the database to a PostgreSQL server and back; docs/office.md says how.
import { moveCommand } from '../packages/server/src/app/moveCommand.ts'

try {
  const said = await moveCommand(process.argv[2] ?? '', process.env, (table, rows) => {
    if (process.stdout.isTTY) process.stdout.write(`\r${table}: ${rows}\x1b[K`)
  })
  if (process.stdout.isTTY) process.stdout.write('\r\x1b[K')
  console.log(said)
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exit(1)
}
