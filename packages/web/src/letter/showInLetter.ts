import type { Editor } from '@tiptap/react'

/**
 * Selects the first place in an editor of the letter that is looked for, and brings it into view: words, the field of that name, or the link
 * that leads there.
 * @returns whether it is there.
 */
export function showInLetter(editor: Editor, wanted: string): boolean {
  let place: { from: number; to: number } | null = null
  editor.state.doc.descendants((node, pos) => {
    if (place) return false
    if (node.type.name === 'field' && node.attrs.column === wanted) place = { from: pos, to: pos + 1 }
    else if (node.isText && node.marks.some((mark) => mark.attrs.href === wanted))
      place = { from: pos, to: pos + node.nodeSize }
    else if (node.isTextblock) {
      // What is no text takes one place, as it does in the document.
      const at = node.textBetween(0, node.content.size, undefined, '\ufffc').indexOf(wanted)
      if (at >= 0) place = { from: pos + 1 + at, to: pos + 1 + at + wanted.length }
    }
    return !place
  })
  if (place) editor.chain().focus().setTextSelection(place).scrollIntoView().run()
  return place !== null
}
