import { compileForPaper, displayName, encloser, postalLines } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { pictureParts } from '../letter/pictures.ts'
import { everybody, type LoadedRound } from './loadRound.ts'
import type { NewPaperLetter } from './paperLetters.ts'

/** Makes the letters of all people of a round who get one on paper, with everything that they will ever contain. */
export async function freezePaper(db: Database, loaded: LoadedRound): Promise<NewPaperLetter[]> {
  const { round, columns, people, files, toProof } = loaded
  if (people.onPaper.length === 0) return []
  const pictures = await pictureParts(db, round.letter)
  const compiled = compileForPaper(round.letter, columns, { ...toProof.making, pictureAddress: pictures.address })
  const enclose = encloser(toProof.files, columns, toProof.matching)
  const byId = new Map(files.map((f) => [f.id, f]))
  const place = new Map(everybody(loaded).map((row, i) => [row.id, row.number ?? i]))
  return people.onPaper.map((row) => {
    const { subject, html } = compiled.merge(row, undefined, toProof.notes.get(row.id))
    return {
      rowId: row.id,
      position: place.get(row.id)!,
      person: displayName(row, round.nameColumns, round.addressColumn),
      lines: postalLines(row, round.paper.columns),
      contents: {
        from: loaded.from,
        subject,
        html,
        files: enclose(row).files.map(({ id, sentAs: name }) => {
          const { hash, size, type } = byId.get(id)!
          return { name, hash, size, type }
        }),
        pictures: pictures.parts,
      },
    }
  })
}
