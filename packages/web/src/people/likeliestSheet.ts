import type { Reading } from '@hand-post/contract'

/**
 * The sheet of a file that is opened first: the first in sight with addresses, else the first in sight with rows below its headings.
 * @returns its index from 0.
 */
export function likeliestSheet({ sheets }: Reading): number {
  const inSight = (holds: (sheet: Reading['sheets'][number]) => boolean) =>
    sheets.findIndex((sheet) => !sheet.hidden && holds(sheet))
  const withAddresses = inSight((sheet) => sheet.hasAddresses)
  return Math.max(0, withAddresses >= 0 ? withAddresses : inSight((sheet) => sheet.rows > 1))
}
