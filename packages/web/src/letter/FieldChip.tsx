import {
  type Cell,
  type Column,
  caseWords,
  cellWriter,
  changeFields,
  type Field,
  formatsFor,
  inCase,
  letterCases,
  nearestName,
  shown,
} from '@hand-post/core'
import { type NodeViewProps, NodeViewWrapper } from '@tiptap/react'
import clsx from 'clsx'
import { TriangleAlert } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useEffect, useId, useRef, useState } from 'react'
import { useLetter, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { useBlanks } from '../rounds/useBlanks.ts'
import { Button, Labelled, Say } from '../shared/parts.tsx'
import { fieldChip as say } from './words.ts'

/** The column that a field names: exactly, else without regard to case, as the merge does. */
export function columnOf(name: string, columns: Column[]): Column | undefined {
  return (
    columns.find((c) => c.name === name) ??
    columns.find((c) => c.name.trim().toLowerCase() === name.trim().toLowerCase())
  )
}

/** Told to a chip that is selected: its field is to be opened, and the focus goes there. */
export const openField = 'open-field'

/** A field as it stands in the letter; opened, it says what is written and what when the cell is blank. */
export function FieldChip({ node, updateAttributes, deleteNode, editor, selected, getPos }: NodeViewProps) {
  const { round } = useWork()
  const field = node.attrs as Field
  const column = columnOf(field.column, round.list?.columns ?? [])
  const [open, setOpen] = useState(false)
  const chip = useRef<HTMLButtonElement>(null)
  const byKey = useRef(false)
  useEffect(() => {
    const { current } = chip
    const openByKey = () => {
      byKey.current = true
      setOpen(true)
    }
    current?.addEventListener(openField, openByKey)
    return () => current?.removeEventListener(openField, openByKey)
  }, [])
  return (
    <NodeViewWrapper as="span">
      <Popover.Root open={open} onOpenChange={setOpen}>
        <Popover.Anchor asChild>
          <button
            ref={chip}
            type="button"
            contentEditable={false}
            tabIndex={-1}
            disabled={!editor.isEditable}
            aria-haspopup="dialog"
            aria-expanded={open}
            className={clsx(
              'inline-flex items-baseline gap-1 rounded-paper px-1.5 leading-[1.35] ring-inset',
              selected ? 'ring-2' : 'ring-1',
              column ? 'bg-post-tint text-ink' : 'bg-stop-tint text-stop ring-stop',
              column && (selected ? 'ring-post' : 'ring-post/40'),
            )}
            // The editor keeps the focus: the chip is selected in it like a word.
            onMouseDown={(e) => e.preventDefault()}
            onClick={() => {
              const at = getPos()
              if (at === undefined) return
              editor.chain().focus().setNodeSelection(at).run()
              byKey.current = false
              setOpen(true)
            }}
          >
            {!column && <TriangleAlert role="img" aria-label={say.noSuchColumn} size={13} className="self-center" />}
            {field.column}
            {field.standIn !== null && <span className="text-[12px] text-ink-2">{say.or(field.standIn)}</span>}
          </button>
        </Popover.Anchor>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={6}
            aria-label={say.field(field.column)}
            className="paper z-50 w-80 space-y-3 p-4 font-normal shadow-lg"
            // The editor takes the focus a moment later; that is not leaving the chip.
            onFocusOutside={(e) => e.preventDefault()}
            onOpenAutoFocus={(e) => !byKey.current && e.preventDefault()}
            onCloseAutoFocus={(e) => {
              e.preventDefault()
              if (document.activeElement === document.body) editor.commands.focus()
            }}
          >
            {column ? null : <Broken field={field} />}
            <FieldForm field={field} column={column} change={updateAttributes} />
            <Button
              kind="quiet"
              onClick={() => {
                deleteNode()
                editor.commands.focus()
              }}
            >
              {say.removeField}
            </Button>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </NodeViewWrapper>
  )
}

/** A field without a column: the nearest one is offered, for every place where the letter has it. */
function Broken({ field }: { field: Field }) {
  const { round } = useWork()
  const { letter, replaceLetter } = useLetter()
  const near = nearestName(
    field.column,
    (round.list?.columns ?? []).map((c) => c.name),
  )
  return (
    <Say tone="stop">
      {say.listHasNoColumn(field.column)}
      {near && (
        <Button
          className="mt-2"
          onClick={() =>
            replaceLetter(changeFields(letter, (f) => (f.column === field.column ? { ...f, column: near } : f)))
          }
        >
          {say.swapEverywhere(near)}
        </Button>
      )}
    </Say>
  )
}

/** The formats with what each makes of the cell; of those that look the same, one. */
function byExample(column: Column, cell: Cell | undefined, formats: string[], chosen: string | null) {
  const seen = new Set([shown(cell).trim()])
  return formats.flatMap((format): [string, string][] => {
    const example = cell === undefined ? format : cellWriter(column, format)(cell)
    if (seen.has(example) && format !== chosen) return []
    seen.add(example)
    return [[format, example]]
  })
}

/** What is written where the cell is blank: nothing, a stand-in, or whatever the writer says at the proof. */
function WhenBlank({ field, change }: { field: Field; change: (parts: Partial<Field>) => void }) {
  const name = useId()
  const blanks = useBlanks(field.column)
  const [typing, setTyping] = useState(false)
  const way = typing || field.standIn ? 'words' : field.standIn === '' ? 'nothing' : 'ask'
  const choice = (one: typeof way, label: string, standIn: string | null) => (
    <label key={one} className="flex items-center gap-2">
      <input
        type="radio"
        name={name}
        className="size-4 accent-post"
        checked={way === one}
        onChange={() => {
          setTyping(one === 'words')
          change({ standIn })
        }}
      />
      {label}
    </label>
  )
  const nothing = choice('nothing', say.writeNothingCloseUp, '')
  const words = (
    <div key="words">
      {choice('words', say.writeTheseWords, field.standIn || null)}
      {way === 'words' && (
        <input
          aria-label={say.stand}
          // biome-ignore lint/a11y/noAutofocus: it was asked for just now
          autoFocus={typing}
          className="input mt-1 ml-6 w-[calc(100%-1.5rem)]"
          value={field.standIn ?? ''}
          placeholder={say.neighbour}
          onChange={(e) => change({ standIn: e.target.value === '' ? null : e.target.value })}
        />
      )}
    </div>
  )
  return (
    <fieldset className="space-y-0.5 text-[14px]">
      <legend className="mb-0.5 font-bold text-[13px]">{say.whereCellBlank}</legend>
      {blanks && blanks.blank > 0 && <p className="text-[13px] text-ink-2">{say.blankList(blanks.blank, blanks.of)}</p>}
      {blanks?.many ? [nothing, words] : [words, nothing]}
      {choice('ask', say.stopProof, null)}
    </fieldset>
  )
}

function FieldForm({
  field,
  column,
  change,
}: {
  field: Field
  column: Column | undefined
  change: (parts: Partial<Field>) => void
}) {
  const { round } = useWork()
  const { person } = usePerson()
  const columns = round.list?.columns ?? []
  const cell = column && person ? person.cells[column.id] : undefined
  const formats = column ? formatsFor(column.kind) : []
  const known = field.format === null || formats.includes(field.format)
  const asShown = shown(cell).trim()
  return (
    <>
      <Labelled label={say.column}>
        <select
          className="input w-full"
          value={column?.name ?? ''}
          onChange={(e) => change({ column: e.target.value, format: null })}
        >
          {!column && <option value="">{say.notList(field.column)}</option>}
          {columns.map((c) => (
            <option key={c.id}>{c.name}</option>
          ))}
        </select>
      </Labelled>
      <WhenBlank field={field} change={change} />
      {column && formats.length > 0 && (
        <Labelled label={say.writtenAs} hint={person && asShown ? say.shownValueChosenPerson : undefined}>
          <select
            className="input w-full"
            value={field.format ?? ''}
            onChange={(e) => change({ format: e.target.value || null })}
          >
            <option value="">{asShown ? say.asList(asShown) : say.asList2}</option>
            {byExample(column, cell, [...formats, ...(known ? [] : [field.format!])], field.format).map(
              ([format, example]) => (
                <option key={format} value={format}>
                  {example}
                </option>
              ),
            )}
          </select>
        </Labelled>
      )}
      {column && (
        <Labelled label={say.capitals}>
          <select
            className="input w-full"
            value={field.letterCase ?? ''}
            onChange={(e) => change({ letterCase: (e.target.value || null) as Field['letterCase'] })}
          >
            <option value="">{say.asTheyStand}</option>
            {letterCases.map((one) => (
              <option key={one} value={one}>
                {asShown ? inCase(asShown, one) : caseWords[one]}
              </option>
            ))}
          </select>
        </Labelled>
      )}
    </>
  )
}
