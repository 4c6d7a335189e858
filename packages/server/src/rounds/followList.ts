import { changeFields, changeTemplate, type Field } from '@hand-post/core'
import type { Follow } from '../people/editingJobs.ts'
import { openWithList, updateRound } from './store.ts'

/** The fields of letters that are open follow the renamed columns of their list. */
export const roundsFollow: Follow = async (tx, listId, before, after, now) => {
  const renamed = new Map(
    before.flatMap((was) => {
      const is = after.find((c) => c.id === was.id)
      return is && is.name !== was.name ? [[was.name.toLowerCase(), is.name]] : []
    }),
  )
  if (renamed.size === 0) return
  for (const round of await openWithList(tx, listId)) {
    const follow = (f: Field) => ({ ...f, column: renamed.get(f.column.toLowerCase()) ?? f.column })
    const typed = (entry: string) => changeTemplate(entry, follow)
    const { letter, cc, bcc, sender } = round
    const replyTo = sender.replyTo && typed(sender.replyTo)
    const changes = {
      letter: changeFields(letter, follow),
      cc: cc.map(typed),
      bcc: bcc.map(typed),
      sender: { ...sender, replyTo },
    }
    await updateRound(tx, round.id, changes, now)
  }
}
