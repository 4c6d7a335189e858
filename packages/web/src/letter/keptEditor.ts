import type { Letter, LetterDocument } from '@hand-post/core'
import { Editor } from '@tiptap/react'
import { letterExtensions } from './extensions.ts'
import type { FieldSource } from './fieldMenu.tsx'
import { pasteHtml } from './paste.ts'
import { addPictures, pictureFiles } from './picture.ts'
import { keptEditor as say } from './words.ts'

/** What the editor asks for, and tells, whatever is drawn around it just now. */
export interface Surroundings extends FieldSource {
  letter: Letter
  put: (parts: Partial<Letter>) => void
}

/** A letter's editor with all that can be undone in it. */
export interface KeptEditor {
  roundId: number
  editor: Editor
  now: Surroundings
}

/** The editor of the round that was worked on last: it is kept while one looks at other stages, so that undo reaches back. */
let kept: KeptEditor | null = null

/** The editor of a round's letter. */
export function editorOf(roundId: number, now: Surroundings): KeptEditor {
  if (kept?.roundId === roundId && !kept.editor.isDestroyed) return kept
  kept?.editor.destroy()
  const own: KeptEditor = { roundId, now, editor: null as unknown as Editor }
  const takePictures = (data: DataTransfer | null): boolean => {
    const files = pictureFiles(data)
    if (files.length > 0) void addPictures(own.editor, files)
    return files.length > 0
  }
  own.editor = new Editor({
    extensions: letterExtensions(() => own.now),
    content: now.letter.body,
    editorProps: {
      attributes: () => ({
        class: 'letter-body',
        'aria-label': say.letter,
        role: 'textbox',
        'aria-multiline': 'true',
        'aria-readonly': String(!(own.editor?.isEditable ?? true)),
        spellcheck: 'true',
        lang: 'en-GB',
      }),
      handlePaste: (_view, event) => {
        const html = event.clipboardData?.getData('text/html') ?? ''
        const copiedHere = html.includes('data-pm-slice')
        // Word processors give a picture of what is copied beside it: the words count.
        if (html === '' || copiedHere) return takePictures(event.clipboardData)
        void pasteHtml(own.editor, html)
        return true
      },
      handleDrop: (_view, event) => takePictures((event as DragEvent).dataTransfer),
    },
    onUpdate: ({ editor }) => own.now.put({ body: editor.getJSON() as unknown as LetterDocument }),
  })
  kept = own
  return own
}
