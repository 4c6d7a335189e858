import { type RoundFileEntry, routes } from '@hand-post/contract'
import { toast } from 'sonner'
import { ask, stale, tellFault } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { keys } from '../shared/queries.ts'

/** Takes a file out of the round. It can be brought back: its content stays in the store, and whom it was given to is known. */
export function useTakeOut(): (file: RoundFileEntry) => Promise<void> {
  const { round } = useWork()
  const params = { round: round.id }
  const fresh = () => stale(keys.round(round.id))
  const bringBack = async (file: RoundFileEntry, rowIds: number[]) => {
    const content = await fetch(`/api/files/${file.hash}`)
    if (!content.ok) throw new Error(`“${file.name}” cannot be brought back. Add it again at Enclosures.`)
    const { name, role, folder } = file
    const { id } = await ask(routes.addFile, { params, query: { name, role, folder }, file: await content.blob() })
    if (rowIds.length > 0)
      await ask(routes.matchFiles, { params, body: { matches: rowIds.map((rowId) => ({ rowId, fileId: id })) } })
    await fresh()
  }
  return async (file) => {
    const given = round.fileMatches.filter((m) => m.fileId === file.id).map((m) => m.rowId)
    try {
      await ask(routes.removeFile, { params: { ...params, file: file.id } })
    } catch (error) {
      return tellFault(error)
    }
    toast(`“${file.name}” was taken out.`, {
      action: { label: 'Undo', onClick: () => void bringBack(file, given).catch(tellFault) },
    })
    await fresh()
  }
}
