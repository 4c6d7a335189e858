// Asks the database of a data folder something, and prints the answer. Only reads; Hand Post must not be running on it.
import { join } from 'node:path'
import { openDatabase, takeFolder } from '../packages/server/src/db/open.ts'

const [folder, sql] = process.argv.slice(2)
if (!folder || !sql) {
  console.error('How: node --import tsx scripts/sql.ts data/demo "SELECT count(*) FROM messages"')
  process.exit(1)
}
const giveBack = takeFolder(folder)
const db = await openDatabase(join(folder, 'database'))
try {
  await db.transaction(async (tx) => {
    await tx.query('SET TRANSACTION READ ONLY')
    console.table(await tx.query(sql))
  })
} catch (error) {
  console.error((error as Error).message)
  process.exitCode = 1
} finally {
  await db.close()
  giveBack()
}
