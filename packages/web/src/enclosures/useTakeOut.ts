import { type RoundFileEntry, routes } from '@hand-post/contract'
import { toast } from 'sonner'
import { ask, stale, Told, tellFault } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { keys } from '../shared/queries.ts'
import { useTakeOut as say } from './words.ts'

/** Takes files out of the round. They can be brought back: their contents stay in the store, and whom each was given to is known. */
export function useTakeOut(): (files: RoundFileEntry[]) => Promise<void> {
  const { round } = useWork()
  const params = { round: round.id }
  const fresh = () => stale(keys.round(round.id))
  const bringBack = async (file: RoundFileEntry, rowIds: number[]) => {
    const content = await fetch(`/api/files/${file.hash}`)
    if (!content.ok) throw new Told(say.cannotBroughtBackAdd(file.name))
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
    toast(files.length === 1 ? say.takenOut(files[0].name) : say.wereTakenOut(files.length), {
      action: { label: say.undo, onClick: () => void undo() },
    })
    await fresh()
  }
}
