import {
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
import { useLetter, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { Button, Labelled, Say } from '../shared/parts.tsx'

/** The column that a field names: exactly, else without regard to case, as the merge does. */
export function columnOf(name: string, columns: Column[]): Column | undefined {
  return (
    columns.find((c) => c.name === name) ??
    columns.find((c) => c.name.trim().toLowerCase() === name.trim().toLowerCase())
  )
}

/** A field as it stands in the letter; opened, it says what is written and what when the cell is blank. */
export function FieldChip({ node, updateAttributes, deleteNode, editor }: NodeViewProps) {
  const { round } = useWork()
  const field = node.attrs as Field
  const column = columnOf(field.column, round.list?.columns ?? [])
  return (
    <NodeViewWrapper as="span">
      <Popover.Root>
        <Popover.Trigger
          contentEditable={false}
          disabled={!editor.isEditable}
          className={clsx(
            'inline-flex items-baseline gap-1 rounded-paper px-1.5 leading-[1.35] ring-1 ring-inset',
            column ? 'bg-post-tint text-ink ring-post/40' : 'bg-stop-tint text-stop ring-stop',
          )}
        >
          {!column && <TriangleAlert role="img" aria-label="no such column" size={13} className="self-center" />}
          {field.column}
          {field.standIn !== null && <span className="text-[12px] text-ink-2">or “{field.standIn}”</span>}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content align="start" sideOffset={6} className="paper z-50 w-80 space-y-3 p-4 font-normal shadow-lg">
            {column ? null : <Broken field={field} />}
            <FieldForm field={field} column={column} change={updateAttributes} />
            <Button
              kind="quiet"
              onClick={() => {
                deleteNode()
                editor.commands.focus()
              }}
            >
              Remove the field
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
      The list has no column “{field.column}”.
      {near && (
        <Button
          className="mt-2"
          onClick={() =>
            replaceLetter(changeFields(letter, (f) => (f.column === field.column ? { ...f, column: near } : f)))
          }
        >
          Swap it for “{near}” everywhere
        </Button>
      )}
    </Say>
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
      <Labelled label="Column">
        <select
          className="input w-full"
          value={column?.name ?? ''}
          onChange={(e) => change({ column: e.target.value, format: null })}
        >
          {!column && <option value="">{field.column} (not in the list)</option>}
          {columns.map((c) => (
            <option key={c.id}>{c.name}</option>
          ))}
        </select>
      </Labelled>
      <Labelled
        label="When the cell is blank, write"
        hint="The stand-in. Without one, the proof stops at a blank cell."
      >
        <input
          className="input w-full"
          value={field.standIn ?? ''}
          placeholder="no stand-in"
          onChange={(e) => change({ standIn: e.target.value === '' ? null : e.target.value })}
        />
      </Labelled>
      {column && formats.length > 0 && (
        <Labelled
          label="Written as"
          hint={person && asShown ? `Shown with the value of the chosen person.` : undefined}
        >
          <select
            className="input w-full"
            value={field.format ?? ''}
            onChange={(e) => change({ format: e.target.value || null })}
          >
            <option value="">{asShown ? `${asShown}, as in the list` : 'As in the list'}</option>
            {[...formats, ...(known ? [] : [field.format!])].map((format) => (
              <option key={format} value={format}>
                {cell ? cellWriter(column, format)(cell) : format}
              </option>
            ))}
          </select>
        </Labelled>
      )}
      {column && (
        <Labelled label="Letters">
          <select
            className="input w-full"
            value={field.letterCase ?? ''}
            onChange={(e) => change({ letterCase: (e.target.value || null) as Field['letterCase'] })}
          >
            <option value="">as they stand</option>
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
