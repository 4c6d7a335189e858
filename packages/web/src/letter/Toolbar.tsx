import { greetingFor, plainField, serializeField, shown } from '@hand-post/core'
import { type Editor, useEditorState } from '@tiptap/react'
import clsx from 'clsx'
import {
  Bold,
  Braces,
  Highlighter,
  Italic,
  Link2,
  List,
  ListOrdered,
  type LucideIcon,
  Palette,
  Plus,
  Redo2,
  RemoveFormatting,
  Underline,
  Undo2,
} from 'lucide-react'
import { Popover } from 'radix-ui'
import { useRef, useState } from 'react'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { Button, Labelled } from '../shared/parts.tsx'
import { bandColours } from './blocks.tsx'
import { insertions } from './extensions.ts'
import { insertField } from './fieldNode.tsx'
import { addPictures } from './picture.ts'
import { runTableTool, tableTools } from './tables.ts'

/** Colours offered for words: each is read well on white (WCAG 2.2, contrast of 4.5 and more). */
const wordColours: [string, string][] = [
  ['#9e2328', 'red'],
  ['#8a5200', 'brown'],
  ['#2c6640', 'green'],
  ['#0b5a5e', 'harbour green'],
  ['#3a5488', 'blue'],
  ['#4a5a61', 'grey'],
]

/** What the letter is written with. Below it, the tools of the block in hand. */
export function Toolbar({ editor, fieldsInto }: { editor: Editor; fieldsInto: Editor }) {
  const { round } = useWork()
  const columns = (round.list?.columns ?? []).filter((c) => c.kind !== 'address').map((c) => c.name)
  const is = useEditorState({
    editor,
    selector: ({ editor }) => ({
      bold: editor.isActive('bold'),
      italic: editor.isActive('italic'),
      underline: editor.isActive('underline'),
      highlight: editor.isActive('highlight'),
      color: (editor.getAttributes('textStyle').color as string | undefined) ?? null,
      bulletList: editor.isActive('bulletList'),
      orderedList: editor.isActive('orderedList'),
      link: editor.isActive('link'),
      image: editor.isActive('image'),
      table: editor.isActive('table'),
      button: editor.isActive('button'),
      band: editor.isActive('band'),
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
        'inline-flex size-7 items-center justify-center rounded-paper disabled:opacity-40',
        on ? 'bg-post-tint' : 'enabled:hover:bg-sheet',
      )}
    >
      <Icon aria-hidden size={17} />
    </button>
  )
  const chain = () => editor.chain().focus()
  const parting = <span className="mx-1 h-5 w-px bg-rule" />
  return (
    <div
      role="toolbar"
      aria-label="Writing"
      className="flex flex-wrap items-center gap-px border-rule border-b bg-sheet-2 px-2 py-1"
    >
      <FieldPicker editor={fieldsInto} />
      <InsertMenu editor={editor} columns={columns} choosePicture={() => pictures.current?.click()} />
      {parting}
      <select
        aria-label="Paragraph or heading"
        className="input mr-1 min-h-7 w-20 py-0 text-[14px]"
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
      {tool('Underline', 'Ctrl U', Underline, is.underline, () => chain().toggleUnderline().run())}
      {tool('Highlight', 'Ctrl Shift H', Highlighter, is.highlight, () => chain().toggleHighlight().run())}
      <ColourTool editor={editor} color={is.color} />
      {tool('Bullets', 'Ctrl Shift 8', List, is.bulletList, () => chain().toggleBulletList().run())}
      {tool('Numbers', 'Ctrl Shift 7', ListOrdered, is.orderedList, () => chain().toggleOrderedList().run())}
      <LinkTool editor={editor} on={is.link} />
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
      {tool('Plain words: take formatting away', 'Ctrl \\', RemoveFormatting, undefined, () =>
        chain().unsetAllMarks().run(),
      )}
      {parting}
      {tool('Undo', 'Ctrl Z', Undo2, undefined, () => chain().undo().run(), !is.undo)}
      {tool('Redo', 'Ctrl Shift Z', Redo2, undefined, () => chain().redo().run(), !is.redo)}
      {is.image && <PictureWords editor={editor} />}
      {is.button && <ButtonAddress editor={editor} />}
      {is.band && <BandColour editor={editor} />}
      {is.table && (
        <fieldset className="flex w-full flex-wrap items-center gap-1 py-0.5 text-[13px]">
          <legend className="sr-only">Table</legend>
          {tableTools.map(([name, command]) => (
            <Button
              key={name}
              kind="quiet"
              onMouseDown={(e) => e.preventDefault()}
              onClick={() => runTableTool(editor, command)}
            >
              {name}
            </Button>
          ))}
          <span className="text-ink-2">Tab goes to the next cell</span>
        </fieldset>
      )}
    </div>
  )
}

/** What can be put into the letter, with its keys. */
function InsertMenu({
  editor,
  columns,
  choosePicture,
}: {
  editor: Editor
  columns: string[]
  choosePicture: () => void
}) {
  const [open, setOpen] = useState(false)
  const { round } = useWork()
  const greeting = greetingFor(round.list?.columns ?? [], round.nameColumns)
  const all: Omit<(typeof insertions)[number], 'key'>[] = [
    ...insertions,
    ...(greeting
      ? [
          {
            name: 'Greeting',
            what: 'Dear and the name, or Sir or Madam where it is blank',
            keys: '',
            act: (editor: Editor) => void editor.chain().focus().insertContent(greeting).run(),
          },
        ]
      : []),
    { name: 'Picture', what: 'from a file; it can be dropped and pasted too', keys: '', act: choosePicture },
    ...(columns.length > 0
      ? [
          {
            name: 'Table of rows',
            what: 'the rows that go with a person’s message',
            keys: '',
            act: (editor: Editor) =>
              void editor
                .chain()
                .focus()
                .insertContent({ type: 'rowsTable', attrs: { columns: columns.slice(0, 3), totals: [] } })
                .run(),
          },
        ]
      : []),
  ]
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button className="ml-1" onMouseDown={(e) => e.preventDefault()}>
          <Plus aria-hidden size={16} /> Insert
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          className="paper z-50 w-[460px] py-1 shadow-lg"
          onCloseAutoFocus={(e) => e.preventDefault()}
        >
          {all.map(({ name, what, keys, act }) => (
            <button
              key={name}
              type="button"
              className="flex w-full items-baseline gap-2 px-3 py-1 text-left hover:bg-post-tint focus-visible:bg-post-tint"
              onClick={() => {
                setOpen(false)
                act(editor)
              }}
            >
              <span className="shrink-0">{name}</span>
              <span className="min-w-0 flex-1 truncate text-[13px] text-ink-2">{what}</span>
              <kbd className="shrink-0 text-[12px] text-ink-2">{keys}</kbd>
            </button>
          ))}
          <p className="border-rule border-t px-3 pt-1.5 pb-1 text-[13px] text-ink-2">
            Blocks are moved by Alt Shift ↑ and ↓, or dragged by the grip beside them.
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function Swatches({
  colours,
  value,
  put,
}: {
  colours: [string, string][]
  value: string | null
  put: (color: string) => void
}) {
  return colours.map(([color, name]) => (
    <button
      key={color}
      type="button"
      aria-label={name}
      title={name}
      aria-pressed={value === color}
      onMouseDown={(e) => e.preventDefault()}
      onClick={() => put(color)}
      className={clsx('size-7 rounded-paper border-2', value === color ? 'border-ink' : 'border-transparent')}
      style={{ background: color }}
    />
  ))
}

function ColourTool({ editor, color }: { editor: Editor; color: string | null }) {
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label="Colour of words"
        title="Colour of words"
        onMouseDown={(e) => e.preventDefault()}
        className="inline-flex size-7 items-center justify-center rounded-paper hover:bg-sheet"
      >
        <Palette aria-hidden size={17} style={color ? { color } : undefined} />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          className="paper z-50 flex items-center gap-1 p-2 shadow-lg"
          onCloseAutoFocus={(e) => e.preventDefault()}
        >
          <Swatches colours={wordColours} value={color} put={(next) => editor.chain().focus().setColor(next).run()} />
          <Button kind="quiet" onClick={() => editor.chain().focus().unsetColor().run()}>
            none
          </Button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function ButtonAddress({ editor }: { editor: Editor }) {
  const { href } = editor.getAttributes('button') as { href: string }
  const put = (next: string) => editor.commands.updateAttributes('button', { href: next })
  return (
    <span className="flex w-full items-center gap-2 py-1 text-[13px]">
      <label className="flex flex-1 items-center gap-2">
        The button leads to
        <input
          className="input min-w-0 flex-1"
          value={href}
          placeholder="https://"
          onChange={(e) => put(e.target.value)}
        />
      </label>
      <AddColumn onAdd={(typed) => put(href + typed)} />
    </span>
  )
}

function BandColour({ editor }: { editor: Editor }) {
  const { color } = editor.getAttributes('band') as { color: string }
  return (
    <span className="flex w-full items-center gap-1 py-1 text-[13px]">
      Colour of the band
      <Swatches
        colours={bandColours}
        value={color}
        put={(next) => editor.chain().focus().updateAttributes('band', { color: next }).run()}
      />
    </span>
  )
}

/** Adds a field at the cursor: of the subject when it was there last, else of the letter. */
function FieldPicker({ editor }: { editor: Editor }) {
  const { round } = useWork()
  const { person } = usePerson()
  const [open, setOpen] = useState(false)
  const [find, setFind] = useState('')
  const all = round.list?.columns ?? []
  const columns = all.filter((c) => c.name.toLowerCase().includes(find.trim().toLowerCase()))
  const put = (name: string) => {
    setOpen(false)
    setFind('')
    insertField(editor, name)
  }
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button onMouseDown={(e) => e.preventDefault()}>
          <Braces aria-hidden size={16} /> Add a field
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
          {all.length === 0 && (
            <p className="px-3 py-2 text-ink-2">Bring in a list first: its columns are the fields.</p>
          )}
          {all.length > 8 && (
            <div className="px-2 pb-1">
              <input
                type="search"
                aria-label="Find a column"
                className="input w-full"
                placeholder="Find a column"
                value={find}
                onChange={(e) => setFind(e.target.value)}
                onKeyDown={(e) => e.key === 'Enter' && columns.length > 0 && put(columns[0].name)}
              />
            </div>
          )}
          {all.length > 0 && columns.length === 0 && <p className="px-3 py-2 text-ink-2">No column of that name.</p>}
          {columns.map((column) => (
            <button
              key={column.id}
              type="button"
              className="flex w-full justify-between gap-3 px-3 py-1 text-left hover:bg-post-tint focus-visible:bg-post-tint"
              onClick={() => put(column.name)}
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

/** Adds a column's field, in its typed form, to an address or to words. */
function AddColumn({ onAdd }: { onAdd: (typed: string) => void }) {
  const columns = useWork().round.list?.columns ?? []
  if (columns.length === 0) return null
  return (
    <select
      aria-label="Add a field"
      className="input w-36"
      value=""
      onChange={(e) => onAdd(serializeField(plainField(e.target.value)))}
    >
      <option value="">add a field…</option>
      {columns.map((c) => (
        <option key={c.id}>{c.name}</option>
      ))}
    </select>
  )
}

function LinkTool({ editor, on }: { editor: Editor; on: boolean }) {
  const [open, setOpen] = useState(false)
  const [href, setHref] = useState('')
  const put = () => {
    const wanted = href.trim()
    setOpen(false)
    if (wanted === '') return void editor.chain().focus().extendMarkRange('link').unsetLink().run()
    const whole = /^([a-z]+:|\{\{)/i.test(wanted)
      ? wanted
      : wanted.includes('@')
        ? `mailto:${wanted}`
        : `https://${wanted}`
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
          'inline-flex size-7 items-center justify-center rounded-paper',
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
            <AddColumn onAdd={(typed) => setHref(href + typed)} />
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
      <AddColumn onAdd={(typed) => editor.commands.updateAttributes('image', { alt: `${alt ?? ''}${typed}` })} />
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
