import type { Enclosures } from '@hand-post/contract'
import {
  type Column,
  compileLetter,
  displayName,
  type Enclosed,
  encloser,
  faultOf,
  messageSize,
  proposeOwners,
  proposePattern,
  type RoundFile,
  safeFolder,
  safeName,
  sizeWords,
  tellingIndex,
} from '@hand-post/core'
import { typeOf } from '../files/mediaType.ts'
import { noteFile } from '../files/store.ts'
import { eachEntry } from '../files/zip.ts'
import { Refusal } from '../problem.ts'
import { exactSizes } from '../rounds/exactSizes.ts'
import { addRoundFile, beginExamining, filesOf, kindsOf, notExamined, noteFileFacts } from '../rounds/files.ts'
import type { PublicAddress } from '../rounds/freeze.ts'
import { everybody, loadRound } from '../rounds/loadRound.ts'
import type { JobContext } from '../threads/job.ts'
import { examine } from './examine.ts'
import { madeState, makeJobs } from './makeJobs.ts'
import { readModel } from './model.ts'

/** Octets of one enclosure. */
export const largestFile = 100_000_000
/** What one zip may bring. */
const maxEntries = 20_000
const largestTogether = 2_000_000_000

/** How often the examining of a content is begun at most. */
const maxExamined = 2

/** Examines contents, and writes down what was found in each. Gives how many they were. */
async function examineEach(wanted: string[], { db, files, place, progress }: JobContext): Promise<number> {
  const notRead = (detail: string) => ({ kind: null, fault: 'broken' as const, detail, text: null })
  for (const [i, hash] of wanted.entries()) {
    // Noted before it is begun: a content that took its thread with it twice is not begun again, here or at the next start.
    const found =
      (await beginExamining(db, hash, place)) > maxExamined
        ? notRead('examining it had to be given up twice: it needs more memory or time than a file may')
        : // What is not on the disk any more is said when it is to go; here there is nothing to be found in it.
          await files.read(hash).then(examine, () => notRead('it is not on the disk any more'))
    await noteFileFacts(db, hash, found)
    progress(i + 1, wanted.length, 'Examining files')
  }
  return wanted.length
}

/** What is computed over files. */
export const enclosureJobs = {
  ...makeJobs,
  /** Looks whether a file can be used as a model. Gives the fields in it that match no column. */
  async readModel(
    { hash, name, columns }: { hash: string; name: string; columns: Column[] },
    { files }: JobContext,
  ): Promise<string[]> {
    return (await readModel(await files.read(hash), name, columns)).unknown
  },

  /** Which files go with which message, and what is proposed for those that go to nobody. */
  async enclosures(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddress },
    { db, files: store }: JobContext,
  ): Promise<Enclosures> {
    const loaded = await loadRound(db, roundId, now, true)
    const { round, columns, people, toProof } = loaded
    const { files, fileFacts, matching } = toProof
    const enclose = encloser(files, columns, matching)
    const compiled = compileLetter(round.letter, columns, toProof.making)
    const all = everybody(loaded)
    const nameOf = new Map(all.map((row) => [row.id, displayName(row, round.nameColumns, round.addressColumn)]))
    const claimed = new Set<number>()
    const claim = ({ files: of, doubtful }: Enclosed) => {
      for (const file of [...of, ...doubtful.flatMap((d) => d.files)]) claimed.add(file.id)
    }
    const lines = all.map((row) => {
      const rows = people.rowsOf.get(row.id)
      const enclosed = enclose(row, rows)
      claim(enclosed)
      const { html, text } = compiled.merge(row, rows, toProof.notes.get(row.id))
      return {
        rowId: row.id,
        person: nameOf.get(row.id)!,
        files: enclosed.files.map(({ id, by, sentAs }) => ({ id, by, sentAs })),
        missing: enclosed.missing.map(({ name, by, near }) => ({
          name,
          by,
          near: near && { id: near.file.id, name: near.file.name, why: near.why },
        })),
        doubtful: enclosed.doubtful.map((d) => d.name),
        size: messageSize(html, text, [...enclosed.files.map((f) => f.size), ...toProof.pictureSizes]),
        exact: false,
      }
    })
    // Of the heaviest the size is told to the octet.
    const heaviest = [...lines].sort((a, b) => b.size - a.size).slice(0, 300)
    const wanted = new Set(heaviest.map((line) => line.rowId))
    const exact = await exactSizes(
      db,
      store,
      loaded,
      people.chosen.filter((row) => wanted.has(row.id)),
      publicAddress,
    )
    for (const line of heaviest) {
      const size = exact.get(line.rowId)
      if (size !== undefined) Object.assign(line, { size, exact: true })
    }
    // The file of somebody who is set aside is not nobody's.
    for (const row of toProof.leftOut) claim(enclose(row))
    const own = files.filter((f) => f.role === 'own')
    const unclaimed = own.filter((f) => !claimed.has(f.id))
    // What tells people from one another takes its memory: it is found only where there is a file to find somebody for.
    const proposals = () => (unclaimed.length === 0 ? [] : proposeOwners(unclaimed, telling(), textOf))
    const telling = () =>
      tellingIndex(all, columns, round.nameColumns, new Set(matching.column === null ? [] : [matching.column]))
    const textOf = (file: RoundFile) => fileFacts.get(file.hash)?.text ?? null
    const made = await madeState(db, loaded)
    const pattern = proposePattern(own, all, columns)
    return {
      people: lines,
      unclaimed: unclaimed.map((f) => f.id),
      unread: new Set(files.filter((f) => f.size > 0 && !fileFacts.has(f.hash)).map((f) => f.hash)).size,
      faults: files.flatMap((file) => {
        const wrong = faultOf(file, fileFacts.get(file.hash))
        return wrong ? [{ fileId: file.id, ...wrong }] : []
      }),
      proposed: proposals().map((one) => ({ ...one, person: nameOf.get(one.rowId)! })),
      toMake: made ? made.lacking.size + made.stale.size : 0,
      pattern: pattern && pattern.pattern !== round.filePattern && unclaimed.length > 0 ? pattern : null,
    }
  },

  /** Examines the contents of a round that were not examined yet. Gives how many it were. */
  examine: async ({ roundId }: { roundId: number }, context: JobContext): Promise<number> =>
    examineEach(await notExamined(context.db, roundId), context),

  /** Examines contents that were not examined yet. Gives how many it were. */
  examineContents: async ({ hashes }: { hashes: string[] }, context: JobContext): Promise<number> => {
    const known = await kindsOf(context.db, hashes)
    return examineEach(
      [...new Set(hashes)].filter((hash) => !known.has(hash)),
      context,
    )
  },

  /** Adds the files of a zip to a round: what cannot be taken is said, and the rest is taken. */
  async unpack(
    {
      roundId,
      path,
      role,
      onlyNew = false,
    }: { roundId: number; path: string; role: 'common' | 'own'; onlyNew?: boolean },
    { db, files, progress }: JobContext,
  ): Promise<{ added: number; replaced: number; leftOut: { name: string; why: string }[] }> {
    const said = { added: 0, replaced: 0, leftOut: [] as { name: string; why: string }[] }
    // What was posted keeps its files: none is put in the place of another.
    const there = new Set(onlyNew ? (await filesOf(db, roundId)).map((f) => `${f.folder}/${f.name}`) : [])
    let entries = 0
    let together = 0
    await eachEntry(path, ({ size }) => {
      entries++
      together += size
    }).catch(() => {
      throw new Refusal(
        422,
        'This zip is damaged or not whole. Nothing was added. Make it again, or drop the folder itself.',
        'Not a zip',
      )
    })
    if (entries > maxEntries || together > largestTogether)
      throw new Refusal(
        413,
        `This zip would unpack to ${entries.toLocaleString('en-GB')} files of ${sizeWords(together)}: more than is taken at once. Nothing was added. Add it in parts.`,
        'Too much at once',
      )
    let done = 0
    await eachEntry(path, async (entry) => {
      progress(++done, entries, 'Unpacking')
      // Folders, and what one kind of computer adds for itself.
      if (/\/$/.test(entry.path) || /(^|\/)(__MACOSX\/|\.DS_Store$|Thumbs\.db$|desktop\.ini$)/.test(entry.path)) return
      const name = safeName(entry.path)
      const leaveOut = (why: string) => {
        said.leftOut.push({ name: entry.path.slice(0, 300), why })
      }
      if (entry.locked) return leaveOut('it is locked with a password')
      if (entry.size === 0) return leaveOut('it is empty')
      if (entry.size > largestFile) return leaveOut(`it is larger than ${sizeWords(largestFile)}`)
      if (/\.zip$/i.test(name)) return leaveOut('it is a zip within the zip: unpack it, and add what is in it')
      if (there.has(`${safeFolder(entry.path)}/${name}`))
        return leaveOut('a file of this name went with the letters that were posted, and stays')
      try {
        const { hash, size } = await files.keep(await entry.open(), largestFile)
        await noteFile(db, { hash, size, type: typeOf(name) })
        const { replaced } = await addRoundFile(db, roundId, { name, folder: safeFolder(entry.path), hash, role })
        if (replaced) said.replaced++
        said.added++
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw error
        leaveOut('it is damaged')
      }
    })
    return said
  },
}
export type EnclosureJobs = typeof enclosureJobs
