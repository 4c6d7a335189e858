import { isFigure, type Row, shown, totalOf } from '@hand-post/core'
import { Node } from '@tiptap/core'
import { type NodeViewProps, NodeViewWrapper, ReactNodeViewRenderer } from '@tiptap/react'
import { Rows3 } from 'lucide-react'
import { Popover } from 'radix-ui'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { Button } from '../shared/parts.tsx'
import { columnOf } from './FieldChip.tsx'
import { rowsTable as say } from './words.ts'

/** The rows that go with a person's message, as a table in the letter. */
export const RowsTableNode = Node.create({
  name: 'rowsTable',
  group: 'block',
  atom: true,
  selectable: true,
  addAttributes: () => ({
    totals: {
      default: [],
      parseHTML: (e) => JSON.parse(e.getAttribute('data-totals') ?? '[]'),
      renderHTML: ({ totals }) => ({ 'data-totals': JSON.stringify(totals) }),
    },
    columns: {
      default: [],
      parseHTML: (e) => JSON.parse(e.getAttribute('data-rows') ?? '[]'),
      renderHTML: ({ columns }) => ({ 'data-rows': JSON.stringify(columns) }),
    },
  }),
  parseHTML: () => [{ tag: 'div[data-rows]' }],
  renderHTML: ({ HTMLAttributes }) => ['div', HTMLAttributes],
  addNodeView: () => ReactNodeViewRenderer(RowsTableView),
})

function RowsTableView({ node, updateAttributes, deleteNode, editor }: NodeViewProps) {
  const { round } = useWork()
  const { person, together } = usePerson()
  const all = round.list?.columns ?? []
  const names = node.attrs.columns as string[]
  const columns = names.map((name) => ({ name, column: columnOf(name, all) }))
  const totals = (node.attrs.totals ?? []) as string[]
  const figures = columns.filter(({ column }) => column && isFigure(column))
  const rows: Row[] = person ? (together ?? [person]) : []
  return (
    <NodeViewWrapper className="my-3" data-drag-handle>
      <Popover.Root>
        <Popover.Trigger
          contentEditable={false}
          disabled={!editor.isEditable}
          className="block w-full rounded-paper bg-post-tint p-2 text-left text-[14px] ring-1 ring-post/40"
        >
          <span className="flex items-center gap-1 text-[13px] text-ink-2">
            <Rows3 aria-hidden size={14} /> {say.tablePersonSRows}
          </span>
          <span className="mt-1 grid gap-x-4" style={{ gridTemplateColumns: `repeat(${columns.length || 1}, auto)` }}>
            {columns.map(({ name, column }) => (
              <b key={name} className={column ? '' : 'text-stop'}>
                {name}
                {!column && say.noSuchColumn}
              </b>
            ))}
            {rows.slice(0, 5).flatMap((row) =>
              columns.map(({ name, column }) => (
                <span key={`${row.id}:${name}`} className="truncate">
                  {column ? shown(row.cells[column.id]) : ''}
                </span>
              )),
            )}
            {totals.length > 0 &&
              columns.map(({ name, column }) => (
                <b key={`total:${name}`} className="border-rule border-t">
                  {column && totals.includes(name) ? totalOf(column, rows) : ''}
                </b>
              ))}
          </span>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content align="start" sideOffset={6} className="paper z-50 w-72 space-y-2 p-4 shadow-lg">
            <fieldset className="max-h-64 overflow-auto">
              <legend className="font-bold text-[13px]">{say.columns}</legend>
              {all.map((column) => (
                <label key={column.id} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={names.includes(column.name)}
                    onChange={(e) =>
                      updateAttributes({
                        columns: e.target.checked
                          ? [...names, column.name]
                          : names.filter((name) => name !== column.name),
                      })
                    }
                  />
                  {column.name}
                </label>
              ))}
            </fieldset>
            {figures.length > 0 && (
              <fieldset>
                <legend className="font-bold text-[13px]">{say.addedUpBelow}</legend>
                {figures.map(({ name }) => (
                  <label key={name} className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      checked={totals.includes(name)}
                      onChange={(e) =>
                        updateAttributes({
                          totals: e.target.checked ? [...totals, name] : totals.filter((t) => t !== name),
                        })
                      }
                    />
                    {name}
                  </label>
                ))}
              </fieldset>
            )}
            <Button
              kind="quiet"
              onClick={() => {
                deleteNode()
                editor.commands.focus()
              }}
            >
              {say.removeTable}
            </Button>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </NodeViewWrapper>
  )
}
