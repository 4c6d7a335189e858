import { parseTemplate, type Segment, serializeTemplate } from '@hand-post/core'
import { type Editor, Extension, type JSONContent } from '@tiptap/core'
import { UndoRedo } from '@tiptap/extensions'
import { EditorContent, Node, useEditor } from '@tiptap/react'
import { useEffect } from 'react'
import { useLetter, useWork } from '../rounds/RoundContext.tsx'
import { type FieldSource, fieldMenu } from './fieldMenu.tsx'
import { FieldNode } from './fieldNode.tsx'

const Line = Node.create({ name: 'doc', topNode: true, content: 'paragraph' })
const Paragraph = Node.create({
  name: 'paragraph',
  content: 'inline*',
  parseHTML: () => [{ tag: 'p' }],
  renderHTML: () => ['p', 0],
})
const Text = Node.create({ name: 'text', group: 'inline' })

/** Enter goes on to the letter, unless the menu of columns has taken it. */
const leaveByEnter = (onLeave: () => void) =>
  Extension.create({
    name: 'leaveByEnter',
    priority: 50,
    addKeyboardShortcuts: () => ({
      Enter: () => {
        onLeave()
        return true
      },
    }),
  })

const toContent = (subject: string): JSONContent => ({
  type: 'doc',
  content: [
    {
      type: 'paragraph',
      content: parseTemplate(subject).map((s) =>
        typeof s === 'string' ? { type: 'text', text: s } : { type: 'field', attrs: { ...s } },
      ),
    },
  ],
})
const toSubject = (editor: Editor): string =>
  serializeTemplate(
    ((editor.getJSON() as JSONContent).content?.[0]?.content ?? []).map((n) =>
      n.type === 'field' ? (n.attrs as Segment) : (n.text ?? ''),
    ),
  )

/** The subject, or another line of words and fields that goes with the letter. */
export function SubjectLine({
  label,
  text,
  source,
  onChange,
  onLeave,
  onFocus,
  editors,
}: {
  label: string
  /** What it says, with typed fields. */
  text: string
  source: () => FieldSource
  onChange: (subject: string) => void
  onLeave: () => void
  onFocus: (editor: Editor) => void
  /** Where its editor can be found while it is there. */
  editors: Set<Editor>
}) {
  const { round } = useWork()
  const { letterFromOutside } = useLetter()
  const editor = useEditor({
    extensions: [Line, Paragraph, Text, UndoRedo, FieldNode, fieldMenu(source), leaveByEnter(onLeave)],
    content: toContent(text),
    editable: round.postedAt === null,
    editorProps: {
      attributes: {
        'aria-label': label,
        role: 'textbox',
        class: 'input w-full outline-none focus-visible:ring-2 focus-visible:ring-post',
      },
      // A subject is one line: pasted line ends become spaces.
      clipboardTextParser: (text, context) => {
        const { schema } = context.doc.type
        return schema.node('paragraph', null, schema.text(text.replace(/\s*[\r\n]+\s*/g, ' '))).slice(0)
      },
    },
    onUpdate: ({ editor }) => onChange(toSubject(editor)),
    onFocus: ({ editor }) => onFocus(editor),
  })
  useEffect(() => {
    if (!editor) return
    editors.add(editor)
    return () => void editors.delete(editor)
  }, [editor, editors])
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken over when it came from outside, not at every keystroke
  useEffect(() => {
    if (letterFromOutside > 0) editor?.commands.setContent(toContent(text), { emitUpdate: false })
  }, [letterFromOutside])
  return <EditorContent editor={editor} />
}
