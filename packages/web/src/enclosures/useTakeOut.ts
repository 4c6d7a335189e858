import { type RoundFileEntry, routes } from '@hand-post/contract'
import { toast } from 'sonner'
import { ask, stale, tellFault } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { times } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'

/** Takes files out of the round. They can be brought back: their contents stay in the store, and whom each was given to is known. */
export function useTakeOut(): (files: RoundFileEntry[]) => Promise<void> {
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
  }
  return async (files) => {
    const given = new Map(
      files.map((file) => [file, round.fileMatches.filter((m) => m.fileId === file.id).map((m) => m.rowId)]),
    )
    try {
      await ask(routes.removeFiles, { params, body: { files: files.map((file) => file.id) } })
    } catch (error) {
      return tellFault(error)
    }
    const undo = async () => {
      try {
        for (const [file, rowIds] of given) await bringBack(file, rowIds)
      } catch (error) {
        tellFault(error)
      }
      await fresh()
    }
    toast(files.length === 1 ? `“${files[0].name}” was taken out.` : `${times(files.length, 'file')} were taken out.`, {
      action: { label: 'Undo', onClick: () => void undo() },
    })
    await fresh()
  }
}
