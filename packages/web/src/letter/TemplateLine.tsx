import { parseTemplate, type Segment, serializeTemplate } from '@hand-post/core'
import { type Editor, Extension, type JSONContent } from '@tiptap/core'
import { Placeholder, UndoRedo } from '@tiptap/extensions'
import { EditorContent, Node, useEditor } from '@tiptap/react'
import { useCallback, useEffect, useRef } from 'react'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { type FieldSource, fieldMenu } from './fieldMenu.tsx'
import { FieldNode } from './fieldNode.tsx'
import { takeOver } from './takeOver.ts'

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

const toContent = (typed: string): JSONContent => ({
  type: 'doc',
  content: [
    {
      type: 'paragraph',
      content: parseTemplate(typed).map((s) =>
        typeof s === 'string' ? { type: 'text', text: s } : { type: 'field', attrs: { ...s } },
      ),
    },
  ],
})
const toTemplate = (editor: Editor): string =>
  serializeTemplate(
    ((editor.getJSON() as JSONContent).content?.[0]?.content ?? []).map((n) =>
      n.type === 'field' ? (n.attrs as Segment) : (n.text ?? ''),
    ),
  )

function put(editor: Editor, text: string, byOthers: boolean): void {
  if (byOthers) takeOver(editor, toContent(text))
  else editor.commands.setContent(toContent(text), { emitUpdate: false })
}

/** The columns of the round's list and the person in hand, as the menu of fields asks for them. */
function useFieldSource(): () => FieldSource {
  const { round } = useWork()
  const { person } = usePerson()
  const now = useRef<FieldSource>({ columns: [], person: null })
  now.current = { columns: round.list?.columns ?? [], person }
  return useCallback(() => now.current, [])
}

/** One line of words and fields: the subject, or the name of a file. Fields are chosen from the menu that `{{` opens, or typed. */
export function TemplateLine({
  label,
  text,
  placeholder = '',
  editable,
  onChange,
  onLeave,
  onFocus,
  onBlur,
  editors,
  fromOutside = 0,
  byOthers = false,
}: {
  label: string
  /** What it says, with typed fields. What is put there from outside is shown, unless it is being written in. */
  text: string
  placeholder?: string
  editable: boolean
  onChange?: (text: string) => void
  /** Told of Enter. */
  onLeave?: () => void
  onFocus?: (editor: Editor) => void
  onBlur?: (text: string) => void
  /** Where its editor can be found while it is there. */
  editors?: Set<Editor>
  /** Goes up when the text was put there from outside: then it is taken over while the line is being written in, too. */
  fromOutside?: number
  /** Whether somebody else put it there: undoing here leaves it alone. */
  byOthers?: boolean
}) {
  const source = useFieldSource()
  const leave = useRef(onLeave)
  leave.current = onLeave
  const editor = useEditor({
    extensions: [
      Line,
      Paragraph,
      Text,
      UndoRedo,
      FieldNode,
      fieldMenu(source),
      leaveByEnter(() => leave.current?.()),
      Placeholder.configure({ placeholder }),
    ],
    content: toContent(text),
    editable,
    editorProps: {
      attributes: {
        'aria-label': label,
        role: 'textbox',
        class: 'input w-full outline-none focus-visible:ring-2 focus-visible:ring-post',
      },
      // It is one line: pasted line ends become spaces.
      clipboardTextParser: (text, context) => {
        const { schema } = context.doc.type
        return schema.node('paragraph', null, schema.text(text.replace(/\s*[\r\n]+\s*/g, ' '))).slice(0)
      },
    },
    onUpdate: ({ editor }) => onChange?.(toTemplate(editor)),
    onFocus: ({ editor }) => onFocus?.(editor),
    onBlur: ({ editor }) => onBlur?.(toTemplate(editor)),
  })
  useEffect(() => {
    if (!editor) return
    editors?.add(editor)
    return () => void editors?.delete(editor)
  }, [editor, editors])
  useEffect(() => void editor?.setEditable(editable, false), [editor, editable])
  useEffect(() => {
    if (editor && !editor.isFocused && toTemplate(editor) !== text) put(editor, text, byOthers)
  }, [editor, text, byOthers])
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken over when it came from outside, not at every keystroke
  useEffect(() => {
    if (fromOutside > 0 && editor && toTemplate(editor) !== text) put(editor, text, byOthers)
  }, [editor, fromOutside])
  return <EditorContent editor={editor} />
}
