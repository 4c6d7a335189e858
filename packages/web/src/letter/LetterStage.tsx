import type { Letter, LetterDocument } from '@hand-post/core'
import { shown } from '@hand-post/core'
import { Highlight } from '@tiptap/extension-highlight'
import { Placeholder } from '@tiptap/extensions'
import { type Editor, EditorContent, useEditor, useEditorState } from '@tiptap/react'
import { StarterKit } from '@tiptap/starter-kit'
import clsx from 'clsx'
import {
  Bold,
  Braces,
  Highlighter,
  ImagePlus,
  Italic,
  Link2,
  List,
  ListOrdered,
  type LucideIcon,
  Redo2,
  Rows3,
  Undo2,
} from 'lucide-react'
import { Popover } from 'radix-ui'
import { useCallback, useEffect, useRef, useState } from 'react'
import { useWork } from '../rounds/RoundContext.ts'
import { Button, Labelled } from '../shared/parts.tsx'
import { fieldMenu } from './fieldMenu.tsx'
import { FieldNode, insertField } from './fieldNode.tsx'
import { addPictures, Picture, pictureFiles } from './picture.ts'
import { RowsTableNode } from './rowsTable.tsx'
import { SubjectLine } from './SubjectLine.tsx'
import { WhoSeesWhom } from './WhoSeesWhom.tsx'

/** Letter: subject and body with fields, written beside the message they make. */
export default function LetterStage() {
  const { round, person, letter, setLetter, letterFromOutside } = useWork()
  const editable = round.postedAt === null
  // What the editors ask for at any time, without being made anew.
  const now = useRef({ letter, columns: round.list?.columns ?? [], person })
  now.current = { letter, columns: round.list?.columns ?? [], person }
  const source = useCallback(() => now.current, [])
  const put = useCallback(
    (parts: Partial<Letter>) => {
      now.current.letter = { ...now.current.letter, ...parts }
      setLetter(now.current.letter)
    },
    [setLetter],
  )

  const editor = useEditor({
    extensions: [
      StarterKit.configure({
        blockquote: false,
        code: false,
        codeBlock: false,
        horizontalRule: false,
        strike: false,
        underline: false,
        heading: { levels: [1, 2, 3] },
        link: { openOnClick: false, protocols: ['http', 'https', 'mailto', 'tel'], defaultProtocol: 'https' },
      }),
      Highlight,
      Picture,
      FieldNode,
      RowsTableNode,
      fieldMenu(source),
      Placeholder.configure({
        placeholder: 'Write the letter. Type {{ where something differs from person to person.',
      }),
    ],
    content: letter.body,
    editable,
    editorProps: {
      attributes: { class: 'letter-body', 'aria-label': 'Letter', role: 'textbox', 'aria-multiline': 'true' },
      handlePaste: (_view, event) => takePictures(pictureFiles(event.clipboardData)),
      handleDrop: (_view, event) => takePictures(pictureFiles((event as DragEvent).dataTransfer)),
    },
    onUpdate: ({ editor }) => put({ body: editor.getJSON() as unknown as LetterDocument }),
  })
  const takePictures = (files: File[]): boolean => {
    if (files.length === 0 || !editor) return false
    void addPictures(editor, files)
    return true
  }
  useEffect(() => {
    if (letterFromOutside > 0) editor?.commands.setContent(letter.body, { emitUpdate: false })
  }, [letterFromOutside])

  const body = useRef(editor)
  body.current = editor
  const leaveSubject = useCallback(() => void body.current?.commands.focus('start'), [])
  const [inSubject, setInSubject] = useState<Editor | null>(null)
  return (
    <div className="flex h-full min-h-0 flex-col">
      <WhoSeesWhom />
      <div className="flex items-baseline gap-3 border-rule border-b px-4 py-2">
        <span className="w-16 shrink-0 text-[13px] text-ink-2">Subject</span>
        <div className="min-w-0 flex-1">
          <SubjectLine
            source={source}
            onChange={(subject) => put({ subject })}
            onLeave={leaveSubject}
            onFocus={setInSubject}
          />
        </div>
      </div>
      {editable && editor && <Toolbar editor={editor} fieldsInto={inSubject ?? editor} />}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: clicking beside the text is a second way into it */}
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the editor itself takes the keyboard */}
      <div
        className="min-h-0 flex-1 cursor-text overflow-auto px-6 py-5"
        onFocus={() => setInSubject(null)}
        onClick={(e) => e.target === e.currentTarget && editor?.commands.focus('end')}
      >
        <EditorContent editor={editor} className="mx-auto max-w-[600px]" />
      </div>
    </div>
  )
}

function Toolbar({ editor, fieldsInto }: { editor: Editor; fieldsInto: Editor }) {
  const { round } = useWork()
  const columns = (round.list?.columns ?? []).filter((c) => c.kind !== 'address').map((c) => c.name)
  const is = useEditorState({
    editor,
    selector: ({ editor }) => ({
      bold: editor.isActive('bold'),
      italic: editor.isActive('italic'),
      highlight: editor.isActive('highlight'),
      bulletList: editor.isActive('bulletList'),
      orderedList: editor.isActive('orderedList'),
      link: editor.isActive('link'),
      image: editor.isActive('image'),
      heading: [1, 2, 3].find((level) => editor.isActive('heading', { level })) ?? 0,
      undo: editor.can().undo(),
      redo: editor.can().redo(),
    }),
  })
  const pictures = useRef<HTMLInputElement>(null)
  const tool = (
    name: string,
    keys: string,
    Icon: LucideIcon,
    on: boolean | undefined,
    act: () => void,
    off = false,
  ) => (
    <button
      type="button"
      aria-label={keys ? `${name} (${keys})` : name}
      title={keys ? `${name}  ${keys}` : name}
      aria-pressed={on}
      disabled={off}
      onMouseDown={(e) => e.preventDefault()}
      onClick={act}
      className={clsx(
        'inline-flex size-8 items-center justify-center rounded-paper disabled:opacity-40',
        on ? 'bg-post-tint' : 'enabled:hover:bg-sheet',
      )}
    >
      <Icon aria-hidden size={17} />
    </button>
  )
  const chain = () => editor.chain().focus()
  return (
    <div
      role="toolbar"
      aria-label="Writing"
      className="flex flex-wrap items-center gap-0.5 border-rule border-b bg-sheet-2 px-4 py-1"
    >
      <FieldPicker editor={fieldsInto} />
      <span className="mx-1.5 h-5 w-px bg-rule" />
      <select
        aria-label="Paragraph or heading"
        className="input mr-1 min-h-7 w-24 py-0 text-[14px]"
        value={is.heading}
        onChange={(e) => {
          const level = Number(e.target.value) as 0 | 1 | 2 | 3
          if (level === 0) chain().setParagraph().run()
          else chain().setHeading({ level }).run()
        }}
      >
        <option value={0}>Text</option>
        <option value={1}>Heading, large</option>
        <option value={2}>Heading</option>
        <option value={3}>Heading, small</option>
      </select>
      {tool('Bold', 'Ctrl B', Bold, is.bold, () => chain().toggleBold().run())}
      {tool('Italic', 'Ctrl I', Italic, is.italic, () => chain().toggleItalic().run())}
      {tool('Highlight', 'Ctrl Shift H', Highlighter, is.highlight, () => chain().toggleHighlight().run())}
      {tool('Bullets', 'Ctrl Shift 8', List, is.bulletList, () => chain().toggleBulletList().run())}
      {tool('Numbers', 'Ctrl Shift 7', ListOrdered, is.orderedList, () => chain().toggleOrderedList().run())}
      <LinkTool editor={editor} on={is.link} />
      {columns.length > 0 &&
        tool('Table of rows', '', Rows3, undefined, () =>
          chain()
            .insertContent({ type: 'rowsTable', attrs: { columns: columns.slice(0, 3) } })
            .run(),
        )}
      {tool('Add a picture', '', ImagePlus, undefined, () => pictures.current?.click())}
      <input
        ref={pictures}
        type="file"
        accept="image/png,image/jpeg,image/gif,image/webp"
        multiple
        tabIndex={-1}
        aria-label="Picture file"
        className="sr-only"
        onChange={(e) => {
          void addPictures(editor, [...(e.target.files ?? [])])
          e.target.value = ''
        }}
      />
      <span className="mx-1.5 h-5 w-px bg-rule" />
      {tool('Undo', 'Ctrl Z', Undo2, undefined, () => chain().undo().run(), !is.undo)}
      {tool('Redo', 'Ctrl Shift Z', Redo2, undefined, () => chain().redo().run(), !is.redo)}
      {is.image && <PictureWords editor={editor} />}
    </div>
  )
}

/** Adds a field at the cursor: of the subject when it was there last, else of the letter. */
function FieldPicker({ editor }: { editor: Editor }) {
  const { round, person } = useWork()
  const [open, setOpen] = useState(false)
  const columns = round.list?.columns ?? []
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button onMouseDown={(e) => e.preventDefault()}>
          <Braces aria-hidden size={16} /> Add a field <kbd className="text-[12px] text-ink-2">{'{{'}</kbd>
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          className="paper z-50 max-h-96 w-80 overflow-auto py-1 shadow-lg"
          onCloseAutoFocus={(e) => {
            e.preventDefault()
            editor.commands.focus()
          }}
        >
          {columns.length === 0 && (
            <p className="px-3 py-2 text-ink-2">Bring in a list first: its columns are the fields.</p>
          )}
          {columns.map((column) => (
            <button
              key={column.id}
              type="button"
              className="flex w-full justify-between gap-3 px-3 py-1 text-left hover:bg-post-tint focus-visible:bg-post-tint"
              onClick={() => {
                setOpen(false)
                insertField(editor, column.name)
              }}
            >
              <span className="shrink-0">{column.name}</span>
              <span className="truncate text-[13px] text-ink-2">
                {(person && shown(person.cells[column.id]).trim()) || 'blank here'}
              </span>
            </button>
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function LinkTool({ editor, on }: { editor: Editor; on: boolean }) {
  const [open, setOpen] = useState(false)
  const [href, setHref] = useState('')
  const put = () => {
    const wanted = href.trim()
    setOpen(false)
    if (wanted === '') return void editor.chain().focus().extendMarkRange('link').unsetLink().run()
    const whole = /^[a-z]+:/i.test(wanted) ? wanted : wanted.includes('@') ? `mailto:${wanted}` : `https://${wanted}`
    const chain = editor.chain().focus().extendMarkRange('link')
    if (editor.state.selection.empty && !on)
      chain.insertContent({ type: 'text', text: wanted, marks: [{ type: 'link', attrs: { href: whole } }] }).run()
    else chain.setLink({ href: whole }).run()
  }
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setOpen(next)
        if (next) setHref(editor.getAttributes('link').href ?? '')
      }}
    >
      <Popover.Trigger
        aria-label="Link"
        title="Link"
        aria-pressed={on}
        onMouseDown={(e) => e.preventDefault()}
        className={clsx(
          'inline-flex size-8 items-center justify-center rounded-paper',
          on ? 'bg-post-tint' : 'hover:bg-sheet',
        )}
      >
        <Link2 aria-hidden size={17} />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          className="paper z-50 w-80 p-4 shadow-lg"
          onCloseAutoFocus={(e) => {
            e.preventDefault()
            editor.commands.focus()
          }}
        >
          <form
            className="space-y-3"
            onSubmit={(e) => {
              e.preventDefault()
              put()
            }}
          >
            <Labelled label="Where the link leads" hint="Leave it empty to take the link away.">
              <input
                className="input w-full"
                value={href}
                placeholder="https://"
                onChange={(e) => setHref(e.target.value)}
              />
            </Labelled>
            <Button kind="primary" type="submit">
              {href.trim() === '' ? 'Take the link away' : 'Link'}
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** Words for those who do not see the chosen picture, and its width. */
function PictureWords({ editor }: { editor: Editor }) {
  const { alt, width } = editor.getAttributes('image') as { alt: string | null; width: number | null }
  return (
    <span className="flex w-full items-center gap-2 py-1 text-[13px]">
      <label className="flex flex-1 items-center gap-2">
        In words, where pictures are off
        <input
          className="input min-w-0 flex-1"
          value={alt ?? ''}
          placeholder="The harbour at low water"
          onChange={(e) => editor.commands.updateAttributes('image', { alt: e.target.value || null })}
        />
      </label>
      <label className="flex items-center gap-2">
        Width
        <input
          className="input w-20"
          type="number"
          min={20}
          max={568}
          value={width ?? ''}
          onChange={(e) => editor.commands.updateAttributes('image', { width: Number(e.target.value) || null })}
        />
      </label>
    </span>
  )
}
