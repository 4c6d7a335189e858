import type { Enclosures, Round } from '@hand-post/contract'

/** Whether people of the round are to have files of their own. */
export const expectsFiles = (round: Pick<Round, 'filesColumn' | 'filePattern' | 'fileMatches'>): boolean =>
  round.filesColumn !== null || round.filePattern !== null || round.fileMatches.length > 0

/** Finds whether a person of the round lacks a file: one that is named and not there, or one of their own where others have one. */
export function lacksFile(
  round: Pick<Round, 'files' | 'filesColumn' | 'filePattern' | 'fileMatches'>,
): (person: Enclosures['people'][number]) => boolean {
  const own = new Set(round.files.filter((f) => f.role === 'own').map((f) => f.id))
  const expects = expectsFiles(round)
  return ({ missing, doubtful, files }) =>
    missing.length + doubtful.length > 0 || (expects && !files.some(({ id }) => own.has(id)))
}
