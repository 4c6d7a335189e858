import type { Editor, JSONContent } from '@tiptap/core'

/**
 * Puts into an editor what somebody else has written. Only what differs is put there, so that cursor and place stay where they are; and
 * undoing takes back what was written here, not what the other wrote.
 */
export function takeOver(editor: Editor, content: JSONContent): void {
  const next = editor.schema.nodeFromJSON(content)
  editor.commands.command(({ tr, dispatch }) => {
    const from = tr.doc.content.findDiffStart(next.content)
    if (from === null || !dispatch) return from === null
    const ends = tr.doc.content.findDiffEnd(next.content)!
    // What is the same at both ends may overlap, as where a letter is typed twice.
    const overlap = Math.max(0, from - Math.min(ends.a, ends.b))
    try {
      tr.replace(from, ends.a + overlap, next.slice(from, ends.b + overlap))
    } catch {
      // Parts that do not fit into each other are put whole, below.
    }
    if (!tr.doc.eq(next)) tr.replaceWith(0, tr.doc.content.size, next.content)
    tr.setMeta('addToHistory', false).setMeta('preventUpdate', true)
    return true
  })
}
