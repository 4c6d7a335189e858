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
import { toolbar as say } from './words.ts'

/** Colours offered for words: each is read well on white (WCAG 2.2, contrast of 4.5 and more). */
const wordColours: [string, string][] = [
  ['#9e2328', 'red'],
  ['#8a5200', 'brown'],
  ['#2c6640', 'green'],
  ['#0b5a5e', say.harbourGreen],
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
      aria-label={say.writing}
      className="flex flex-wrap items-center gap-px border-rule border-b bg-sheet-2 px-2 py-1"
    >
      <FieldPicker editor={fieldsInto} />
      <InsertMenu editor={editor} columns={columns} choosePicture={() => pictures.current?.click()} />
      {parting}
      <select
        aria-label={say.paragraphOrHeading}
        className="input mr-1 min-h-7 w-20 py-0 text-[14px]"
        value={is.heading}
        onChange={(e) => {
          const level = Number(e.target.value) as 0 | 1 | 2 | 3
          if (level === 0) chain().setParagraph().run()
          else chain().setHeading({ level }).run()
        }}
      >
        <option value={0}>{say.text}</option>
        <option value={1}>{say.headingLarge}</option>
        <option value={2}>{say.heading}</option>
        <option value={3}>{say.headingSmall}</option>
      </select>
      {tool(say.bold, say.ctrlB, Bold, is.bold, () => chain().toggleBold().run())}
      {tool(say.italic, say.ctrlI, Italic, is.italic, () => chain().toggleItalic().run())}
      {tool(say.underline, say.ctrlU, Underline, is.underline, () => chain().toggleUnderline().run())}
      {tool(say.highlight, say.ctrlShiftH, Highlighter, is.highlight, () => chain().toggleHighlight().run())}
      <ColourTool editor={editor} color={is.color} />
      {tool(say.bullets, say.ctrlShift8, List, is.bulletList, () => chain().toggleBulletList().run())}
      {tool(say.numbers, say.ctrlShift7, ListOrdered, is.orderedList, () => chain().toggleOrderedList().run())}
      <LinkTool editor={editor} on={is.link} />
      <input
        ref={pictures}
        type="file"
        accept="image/png,image/jpeg,image/gif,image/webp"
        multiple
        tabIndex={-1}
        aria-label={say.pictureFile}
        className="sr-only"
        onChange={(e) => {
          void addPictures(editor, [...(e.target.files ?? [])])
          e.target.value = ''
        }}
      />
      {tool(say.plainWordsTakeFormatting, 'Ctrl \\', RemoveFormatting, undefined, () => chain().unsetAllMarks().run())}
      {parting}
      {tool(say.undo, say.ctrlZ, Undo2, undefined, () => chain().undo().run(), !is.undo)}
      {tool(say.redo, say.ctrlShiftZ, Redo2, undefined, () => chain().redo().run(), !is.redo)}
      {is.image && <PictureWords editor={editor} />}
      {is.button && <ButtonAddress editor={editor} />}
      {is.band && <BandColour editor={editor} />}
      {is.table && (
        <fieldset className="flex w-full flex-wrap items-center gap-1 py-0.5 text-[13px]">
          <legend className="sr-only">{say.table}</legend>
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
          <span className="text-ink-2">{say.tabGoesNextCell}</span>
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
            name: say.greeting,
            what: say.dearNameOrSir,
            keys: '',
            act: (editor: Editor) => void editor.chain().focus().insertContent(greeting).run(),
          },
        ]
      : []),
    { name: say.picture, what: say.fromFileCanDropped, keys: '', act: choosePicture },
    ...(columns.length > 0
      ? [
          {
            name: say.tableRows,
            what: say.rowsGoPersonS,
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
          <Plus aria-hidden size={16} /> {say.insert}
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
          <p className="border-rule border-t px-3 pt-1.5 pb-1 text-[13px] text-ink-2">{say.blocksMovedAltShift}</p>
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
        aria-label={say.colourWords}
        title={say.colourWords}
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
            {say.none}
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
        {say.buttonLeads}
        <input
          className="input min-w-0 flex-1"
          value={href}
          placeholder={say.https}
          onChange={(e) => put(e.target.value)}
          // An address as it is read aloud leads there too.
          onBlur={() => put(wholeAddress(href))}
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
      {say.colourBand}
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
          <Braces aria-hidden size={16} /> {say.addField}
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
          {all.length === 0 && <p className="px-3 py-2 text-ink-2">{say.bringListFirstColumns}</p>}
          {all.length > 8 && (
            <div className="px-2 pb-1">
              <input
                type="search"
                aria-label={say.findColumn}
                className="input w-full"
                placeholder={say.findColumn}
                value={find}
                onChange={(e) => setFind(e.target.value)}
                onKeyDown={(e) => e.key === 'Enter' && columns.length > 0 && put(columns[0].name)}
              />
            </div>
          )}
          {all.length > 0 && columns.length === 0 && <p className="px-3 py-2 text-ink-2">{say.noColumnName}</p>}
          {columns.map((column) => (
            <button
              key={column.id}
              type="button"
              className="flex w-full justify-between gap-3 px-3 py-1 text-left hover:bg-post-tint focus-visible:bg-post-tint"
              onClick={() => put(column.name)}
            >
              <span className="shrink-0">{column.name}</span>
              <span className="truncate text-[13px] text-ink-2">
                {(person && shown(person.cells[column.id]).trim()) || say.blankHere}
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
      aria-label={say.addField}
      className="input w-36"
      value=""
      onChange={(e) => onAdd(serializeField(plainField(e.target.value)))}
    >
      <option value="">{say.addField2}</option>
      {columns.map((c) => (
        <option key={c.id}>{c.name}</option>
      ))}
    </select>
  )
}

/** An address that is typed without its scheme as the link that is meant: "quay.example" leads by https, and "ada@quay.example" is written to. */
function wholeAddress(typed: string): string {
  const wanted = typed.trim()
  if (wanted === '' || /^([a-z]+:|\{\{)/i.test(wanted)) return wanted
  return wanted.includes('@') ? `mailto:${wanted}` : `https://${wanted}`
}

function LinkTool({ editor, on }: { editor: Editor; on: boolean }) {
  const [open, setOpen] = useState(false)
  const [href, setHref] = useState('')
  const put = () => {
    const wanted = href.trim()
    setOpen(false)
    if (wanted === '') return void editor.chain().focus().extendMarkRange('link').unsetLink().run()
    const whole = wholeAddress(wanted)
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
        aria-label={say.link}
        title={say.link}
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
            <Labelled label={say.whereLinkLeads} hint={say.leaveEmptyTakeLink}>
              <input
                className="input w-full"
                value={href}
                placeholder={say.https}
                onChange={(e) => setHref(e.target.value)}
              />
            </Labelled>
            <AddColumn onAdd={(typed) => setHref(href + typed)} />
            <Button kind="primary" type="submit">
              {href.trim() === '' ? say.takeLinkAway : say.link}
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
        {say.wordsWherePicturesOff}
        <input
          className="input min-w-0 flex-1"
          value={alt ?? ''}
          placeholder={say.harbourLowWater}
          onChange={(e) => editor.commands.updateAttributes('image', { alt: e.target.value || null })}
        />
      </label>
      <AddColumn onAdd={(typed) => editor.commands.updateAttributes('image', { alt: `${alt ?? ''}${typed}` })} />
      <label className="flex items-center gap-2">
        {say.width}
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
