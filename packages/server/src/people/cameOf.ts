import type { CameOf } from '@hand-post/core'
import type { Database } from '../db/database.ts'

/** What came of a round that was posted to a list, with a digest of it: another one says that something came meanwhile. Null where there is no such round. */
export type TellWhatCame = (
  db: Database,
  roundId: number,
  listId: number,
  /** Whether what was known a moment ago will not do. */
  now: boolean,
) => Promise<{ came: CameOf; digest: string } | null>

let tell: TellWhatCame = async () => null

/** Has what came of rounds told by the room that knows it, which stands above this one. */
export function cameOfIsToldBy(by: TellWhatCame): void {
  tell = by
}

/** What came of a round, for the recipes of a list: see {@link TellWhatCame}. */
export const cameOfRound: TellWhatCame = (...of) => tell(...of)
