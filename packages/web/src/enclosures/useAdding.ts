import { type RoundFileEntry, routes } from '@hand-post/contract'
import { useRef, useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale, Told } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { folderOf } from '../shared/DropArea.tsx'
import { keys } from '../shared/queries.ts'
import { useAdding as say } from './words.ts'

type Role = RoundFileEntry['role']

/** What the desk takes of one file, in octets: said before it is sent there for nothing. */
const largestFile = 100_000_000

/** Adds files one after another, saying how far it is; can be stopped between two files. */
export function useAdding() {
  const { round } = useWork()
  const [busy, setBusy] = useState<{ done: number; of: number } | null>(null)
  const [faults, setFaults] = useState<string[]>([])
  /** A zip that was given as somebody's own: its files may be meant, or the zip itself. */
  const [packed, setPacked] = useState<File | null>(null)
  const stop = useRef<AbortController>(undefined)
  const params = { round: round.id }

  const run = async (of: number, work: (signal: AbortSignal, wrong: string[]) => Promise<string>) => {
    stop.current = new AbortController()
    const wrong: string[] = []
    setBusy({ done: 0, of })
    let words = ''
    try {
      words = await work(stop.current.signal, wrong)
    } catch (error) {
      if (!stop.current.signal.aborted) wrong.push(faultWords(error))
      words = say.stopped
    }
    setBusy(null)
    setFaults(wrong)
    await stale(keys.round(round.id))
    if (words) toast(words)
  }

  /** @param rowId whom each of the files is given to by hand, or null. */
  const add = (role: Role, files: File[], rowId: number | null = null) => {
    if (files.length === 0) return
    if (role === 'own' && rowId === null && files.length === 1 && /\.zip$/i.test(files[0].name)) {
      setPacked(files[0])
      return
    }
    return run(files.length, async (signal, wrong) => {
      let done = 0
      let replaced = 0
      for (const file of files) {
        try {
          if (file.size === 0) throw new Told(say.emptyNotAdded(file.name))
          if (file.size > largestFile) throw new Told(say.mostTakenMailHosts(file.name, file.size, largestFile))
          const added = await ask(routes.addFile, {
            params,
            query: { name: file.name, role, folder: folderOf(file) },
            file,
            signal,
          })
          if (rowId !== null) await ask(routes.matchFiles, { params, body: { matches: [{ rowId, fileId: added.id }] } })
          if (added.replaced) replaced++
          done++
        } catch (error) {
          if (signal.aborted) break
          wrong.push(faultWords(error))
        }
        setBusy({ done, of: files.length })
      }
      return say.added(done, replaced, signal.aborted)
    })
  }

  const addPacked = (role: Role, file: File) => {
    setPacked(null)
    return run(1, async (signal, wrong) => {
      const { added, replaced, leftOut } = await ask(routes.addPacked, {
        params,
        query: { name: file.name, role },
        file,
        signal,
      })
      wrong.push(...leftOut.map(({ name, why }) => say.leftOut(name, why)))
      return say.addedOutPlaceOne(added, file.name, replaced)
    })
  }
  const addAsItIs = (role: Role, file: File) => {
    setPacked(null)
    return run(1, async (signal) => {
      await ask(routes.addFile, { params, query: { name: file.name, role }, file, signal })
      return say.addedAs(file.name)
    })
  }
  return {
    add,
    addPacked,
    addAsItIs,
    packed,
    leavePacked: () => setPacked(null),
    busy,
    faults,
    forgetFaults: () => setFaults([]),
    cancel: () => stop.current?.abort(),
  }
}
export type Adding = ReturnType<typeof useAdding>
