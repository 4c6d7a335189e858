import type { Editor, JSONContent } from '@tiptap/core'
import { undoDepth } from '@tiptap/pm/history'
import type { Node } from '@tiptap/pm/model'
import type { Transaction } from '@tiptap/pm/state'

/** Where a letter differs from another: from the first place to `to`, in whose stead the other's stands up to `toNext`. */
interface Difference {
  from: number
  to: number
  toNext: number
}

/** Where two letters differ; null where they are the same. */
function difference(doc: Node, next: Node): Difference | null {
  const from = doc.content.findDiffStart(next.content)
  if (from === null) return null
  const ends = doc.content.findDiffEnd(next.content)!
  // What is the same at both ends may overlap, as where a letter is typed twice.
  const overlap = Math.max(0, from - Math.min(ends.a, ends.b))
  return { from, to: ends.a + overlap, toNext: ends.b + overlap }
}

/** Widens a difference to whole parts of the letter, and one more on each side. */
function wider(doc: Node, { from, to, toNext }: Difference): Difference {
  const parts: { start: number; end: number }[] = []
  doc.forEach((part, start) => {
    parts.push({ start, end: start + part.nodeSize })
  })
  const touched = parts.flatMap(({ start, end }, i) => (start <= to && end >= from ? [i] : []))
  const start = parts[Math.max(0, (touched[0] ?? 0) - 1)]?.start ?? 0
  const end = parts[Math.min(parts.length - 1, (touched.at(-1) ?? 0) + 1)]?.end ?? doc.content.size
  return { from: start, to: end, toNext: end + toNext - to }
}

function put(tr: Transaction, next: Node, { from, to, toNext }: Difference): void {
  try {
    tr.replace(from, to, next.slice(from, toNext))
  } catch {
    // Parts that do not fit into each other are put whole, below.
  }
  if (!tr.doc.eq(next)) tr.replaceWith(0, tr.doc.content.size, next.content)
}

/**
 * Puts into an editor what somebody else has written. Only what differs is put there, so that cursor and place stay where they are; and
 * undoing takes back what was written here, not what the other wrote. What was written here at the same place, or right beside it, can
 * no longer be taken back: the other's words would go with it.
 */
export function takeOver(editor: Editor, content: JSONContent): void {
  const next = editor.schema.nodeFromJSON(content)
  editor.commands.command(({ editor, tr, dispatch }) => {
    const differs = difference(tr.doc, next)
    if (differs === null || !dispatch) return differs === null
    if (undoDepth(editor.state) === 0) put(tr, next, differs)
    else {
      const narrow = editor.state.tr
      put(narrow, next, differs)
      const wide = wider(tr.doc, differs)
      // A change is forgotten where all of it, and what stands around it, is put anew. At the ends of a letter nothing stands around it:
      // something is put there for that moment.
      const around = (at: number) => {
        try {
          tr.insert(at, editor.schema.nodes.paragraph.create())
        } catch {
          // In a single line nothing else can stand.
        }
      }
      const { size } = tr.doc.content
      if (wide.from === 0) around(0)
      if (wide.to === size) around(tr.doc.content.size)
      put(tr, next, { ...wide, to: wide.to + tr.doc.content.size - size })
      tr.setSelection(narrow.selection.getBookmark().resolve(tr.doc))
    }
    tr.setMeta('addToHistory', false).setMeta('preventUpdate', true)
    return true
  })
}
