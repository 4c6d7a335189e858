import { base64Size, type Row } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { exactSize } from '../mailboxes/compose.ts'
import { freezeMessages, type PublicAddress } from './freeze.ts'
import type { LoadedRound } from './loadRound.ts'

/** How many messages are built for their size at a time; of the others the estimate from above is taken. */
const maxBuilt = 300

/** The exact octets of some people's messages as they would leave, by row id. */
export async function exactSizes(
  db: Database,
  files: FileStore,
  loaded: LoadedRound,
  rows: Row[],
  publicAddress: PublicAddress,
): Promise<Map<number, number>> {
  if (rows.length === 0 || loaded.round.addressColumn === null) return new Map()
  const some = { ...loaded, people: { ...loaded.people, chosen: rows.slice(0, maxBuilt) } }
  const sizes = new Map<number, number>()
  for (const message of await freezeMessages(db, some, publicAddress))
    sizes.set(message.rowId, await exactSize(message, files))
  return sizes
}

/** The people whose files alone come near to what the mailbox takes: theirs are the sizes that matter to the octet. */
export function nearLimit({ people, toProof }: LoadedRound, filesOf: (row: Row) => { size: number }[]): Row[] {
  const pictures = toProof.pictureSizes.reduce((sum, size) => sum + base64Size(size), 0)
  return people.chosen.filter(
    (row) => filesOf(row).reduce((sum, { size }) => sum + base64Size(size), pictures) > 0.7 * toProof.largestMessage,
  )
}
