import type { TrayEntry } from '@hand-post/contract'
import { shown } from '@hand-post/core'
import { mailboxById } from '../mailboxes/store.ts'
import { notFound } from '../problem.ts'
import { answersTo } from './answerStore.ts'
import { filesOfResponses, isToFetch } from './returnedStore.ts'
import { type RowParts, rowAsItIs } from './rowAsItIs.ts'
import { trayEntry } from './trayStore.ts'

/** An entry of the in-tray, beside the letter and the row that it answers. Throws a refusal when there is none. */
export async function wholeEntry(parts: RowParts, id: number, now: number): Promise<TrayEntry> {
  const { db } = parts
  const found = await trayEntry(db, id, now)
  if (!found) throw notFound('answer')
  const { line, details, listId, outcomeWords, tracksOpens, letter } = found
  const { settings } = await mailboxById(db, line.mailboxId)
  const { columns, row } = await rowAsItIs(parts, listId, line.rowId, now)
  return {
    ...line,
    newText: details.words ?? '',
    text: details.text ?? '',
    days: details.days ?? [],
    letter: { ...letter, html: letter.html ?? '', text: letter.text ?? '' },
    row:
      row === null
        ? null
        : columns
            .map((column) => ({ column: column.name, shown: shown(row.cells[column.id]) }))
            .filter((cell) => cell.shown !== ''),
    outcomeWords,
    returned: (await filesOfResponses(db, [id])).get(id) ?? [],
    fetching: await isToFetch(db, id),
    answers: await answersTo(db, id),
    tracksOpens,
    timeZone: settings.timeZone,
  }
}
