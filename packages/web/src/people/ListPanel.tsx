import { routes } from '@hand-post/contract'
import type { Column, Recipe, Row } from '@hand-post/core'
import { Columns3, FileDown, Plus, Redo2, Rows3, Search, Undo2, X } from 'lucide-react'
import { DropdownMenu } from 'radix-ui'
import { lazy, type ReactNode, Suspense, useRef, useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, tellFault } from '../api.ts'
import { Button } from '../shared/parts.tsx'
import { type ColumnUse, freeName } from './ColumnHead.tsx'
import type { LeadColumn } from './grid/GridRow.tsx'
import { pinnedOf } from './grid/useColumns.ts'
import ListGrid, { type GridHandle } from './ListGrid.tsx'
import type { TableWork } from './useTable.ts'
import { listPanel as say } from './words.ts'

const RecipeSheet = lazy(() => import('./RecipeSheet.tsx'))

const item =
  'flex cursor-default items-center gap-2 px-3 py-1.5 outline-none data-[highlighted]:bg-post-tint data-[disabled]:opacity-50'

/** A list as it is worked on: what can be done with it, what is looked for in it, and its rows. */
export function ListPanel({
  table,
  editable = true,
  tools = true,
  label = say.rowsList,
  chosen = null,
  onChoose = () => {},
  onAdded,
  only,
  lead,
  used,
  usesOf,
  columnActions,
  rowActions,
  before,
}: {
  table: TableWork
  editable?: boolean
  /** Whether the tools stand above the rows. */
  tools?: boolean
  label?: string
  chosen?: number | null
  onChoose?: (rowId: number) => void
  /** Told of a row that was added. */
  onAdded?: (rowId: number) => void
  only?: ReadonlySet<number> | null
  lead?: LeadColumn
  used?: ReadonlySet<string>
  usesOf?: (column: Column) => ColumnUse[]
  columnActions?: (column: Column) => ReactNode
  /** Further things that can be done with the selected rows. */
  rowActions?: { words: string; act: (rows: Row[]) => void }[]
  /** Stands before the tools. */
  before?: ReactNode
}) {
  const { list, edit } = table
  const grid = useRef<GridHandle>(null)
  const [finding, setFinding] = useState(false)
  const [recipe, setRecipe] = useState<Column | 'new' | null>(null)
  const selectedRows = () => grid.current?.selected().rows ?? []

  const addRow = async (below: boolean, column?: number) => {
    const after = below ? selectedRows().at(-1)?.id : undefined
    grid.current?.keepOrder()
    const done = await edit(say.addRow, { do: 'addRows', rows: [{}], ...(after === undefined ? {} : { after }) })
    const fresh = done?.edits.find((e) => e.do === 'addRows')
    if (fresh?.do !== 'addRows') return
    onAdded?.(fresh.rows[0].id)
    onChoose(fresh.rows[0].id)
    grid.current?.writeInRow(fresh.rows[0].id, column)
  }
  const addColumn = async () => {
    const name = freeName(list.columns, say.newColumn)
    const done = await edit(say.addColumn, { do: 'addColumn', column: { name, kind: 'text' } })
    if (done) grid.current?.showColumn(done.list.columns.at(-1)!.id)
  }
  const duplicate = async () => {
    const selected = selectedRows()
    // In the order in which they are shown.
    const byId = new Map((await table.here(selected.map(({ id }) => id))).map((row) => [row.id, row]))
    const rows = selected.flatMap(({ id }) => byId.get(id) ?? [])
    const typedIn = new Set(list.columns.filter((c) => !c.recipe).map((c) => c.id))
    const cells = rows.map((row) => Object.fromEntries(Object.entries(row.cells).filter(([id]) => typedIn.has(id))))
    if (rows.length > 0) void edit(say.copyRows, { do: 'addRows', rows: cells, after: rows.at(-1)!.id })
  }
  const remove = () => {
    const rows = selectedRows()
    if (rows.length === 0) return
    void edit(say.deleteRows, { do: 'deleteRows', rows: rows.map((r) => r.id) })
    toast(say.deletedFromList(rows.length), {
      action: { label: say.undo, onClick: () => void table.undo() },
    })
  }
  const move = (by: -1 | 1) => {
    const rows = selectedRows()
    const first = table.rows.indexOf(rows[0])
    const past = by < 0 ? first - 2 : first + rows.length
    if (rows.length === 0 || (by < 0 && first === 0) || past >= table.rows.length) return
    void edit(say.moveRows, { do: 'moveRows', rows: rows.map((r) => r.id), after: table.rows[past]?.id ?? null })
  }
  const sorted = list.sort.length > 0
  const hidden = list.columns.filter((c) => c.hidden)
  return (
    <>
      {tools && (
        <div
          role="toolbar"
          aria-label={say.list}
          className="flex flex-wrap items-center gap-1 border-rule border-b bg-sheet-2 px-3 py-1"
        >
          {before}
          {editable && (
            <>
              <Button
                className="px-2"
                aria-label={say.undo}
                onClick={() => void table.undo()}
                disabled={!list.undo}
                title={list.undo ? say.undoCtrlZ(list.undo) : say.nothingUndo}
              >
                <Undo2 aria-hidden size={16} />
              </Button>
              <Button
                className="px-2"
                aria-label={say.redo}
                onClick={() => void table.redo()}
                disabled={!list.redo}
                title={list.redo ? say.doAgainCtrlY(list.redo) : say.nothingDoAgain}
              >
                <Redo2 aria-hidden size={16} />
              </Button>
              <Button className="px-2" onClick={() => void addRow(false)}>
                <Plus aria-hidden size={16} /> {say.addRow}
              </Button>
              <Menu icon={<Rows3 aria-hidden size={16} />} name={say.rows}>
                <DropdownMenu.Item className={item} disabled={sorted} onSelect={() => void addRow(true)}>
                  {say.addRowBelowSelected}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} onSelect={() => void duplicate().catch(tellFault)}>
                  {say.copySelectedRows}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} disabled={sorted} onSelect={() => move(-1)}>
                  {say.moveSelectedRowsUp}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} disabled={sorted} onSelect={() => move(1)}>
                  {say.moveSelectedRowsDown}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} onSelect={remove}>
                  {say.deleteSelectedRows}
                </DropdownMenu.Item>
                {rowActions?.map((action) => (
                  <DropdownMenu.Item key={action.words} className={item} onSelect={() => action.act(selectedRows())}>
                    {action.words}
                  </DropdownMenu.Item>
                ))}
              </Menu>
              <Menu icon={<Columns3 aria-hidden size={16} />} name={say.columns}>
                <DropdownMenu.Item className={item} onSelect={() => void addColumn()}>
                  {say.addColumn}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} onSelect={() => setRecipe('new')}>
                  {say.addColumnWorkedOut}
                </DropdownMenu.Item>
                {hidden.length > 0 && <DropdownMenu.Separator className="my-1 h-px bg-rule" />}
                {hidden.map((column) => (
                  <DropdownMenu.Item
                    key={column.id}
                    className={item}
                    onSelect={() =>
                      void edit(say.showColumn, { do: 'changeColumn', column: column.id, changes: { hidden: false } })
                    }
                  >
                    {say.show(column.name)}
                  </DropdownMenu.Item>
                ))}
              </Menu>
            </>
          )}
          <Button
            className="px-2"
            aria-label={say.find}
            onClick={() => setFinding(true)}
            title={say.findReplaceListCtrl}
          >
            <Search aria-hidden size={16} />
          </Button>
          <Menu icon={<FileDown aria-hidden size={16} />} name={say.saveAs} iconOnly>
            {(
              [
                ['csv', 'CSV'],
                ['xlsx', say.workbookXlsx],
                ['ods', say.workbookOds],
                ['vcf', say.contactCardsVcf],
              ] as const
            ).map(([as, words]) => (
              <DropdownMenu.Item key={as} className={item} asChild>
                <a href={`/api/lists/${list.id}/file?as=${as}`} download>
                  {words}
                </a>
              </DropdownMenu.Item>
            ))}
            <p className="max-w-64 border-rule border-t px-3 pt-2 pb-1 text-[13px] text-ink-2">
              {say.workbookKeeps0071As}
            </p>
          </Menu>
          {hidden.length > 0 && <span className="px-1 text-[13px] text-ink-2">{say.hidden(hidden.length)}</span>}
        </div>
      )}
      {finding && (
        <FindBar table={table} grid={grid} editable={editable} some={only != null} close={() => setFinding(false)} />
      )}
      {table.pending ? (
        <p role="status" className="p-6 text-ink-2">
          {say.fetchingRows}
        </p>
      ) : (
        <ListGrid
          table={table}
          label={label}
          editable={editable}
          chosen={chosen}
          onChoose={onChoose}
          only={only}
          lead={lead}
          used={used}
          usesOf={usesOf}
          columnActions={columnActions}
          onRecipe={setRecipe}
          onFind={() => setFinding(true)}
          onNextRow={editable && !only ? (column) => void addRow(false, column) : undefined}
          handle={grid}
        />
      )}
      {recipe && (
        <Suspense fallback={null}>
          <RecipeSheet
            table={table}
            column={recipe === 'new' ? null : recipe}
            onClose={() => setRecipe(null)}
            onDone={async (name: string, made: Recipe) => {
              const edited =
                recipe === 'new'
                  ? await edit(say.addWorkedOutColumn, {
                      do: 'addColumn',
                      column: { name, kind: 'text', recipe: made },
                    })
                  : await edit(say.changeHowColumnWorked, {
                      do: 'changeColumn',
                      column: recipe.id,
                      changes: { name, recipe: made },
                    })
              // Refused, it stays there to be mended.
              if (!edited) return
              setRecipe(null)
              if (recipe === 'new') grid.current?.showColumn(edited.list.columns.at(-1)!.id)
            }}
          />
        </Suspense>
      )}
    </>
  )
}

function Menu({
  icon,
  name,
  iconOnly = false,
  children,
}: {
  icon: ReactNode
  name: string
  iconOnly?: boolean
  children: ReactNode
}) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button className="px-2" aria-label={iconOnly ? name : undefined} title={iconOnly ? name : undefined}>
          {icon} {!iconOnly && name}
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={4} className="paper z-50 min-w-56 py-1 shadow-lg">
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

/** Looks for words in the list, and puts others in their place. */
function FindBar({
  table,
  grid,
  editable,
  some,
  close,
}: {
  table: TableWork
  grid: React.RefObject<GridHandle | null>
  editable: boolean
  /** Whether only some of the rows are shown. */
  some: boolean
  close: () => void
}) {
  const { list, edit } = table
  const [find, setFind] = useState('')
  const [put, setPut] = useState('')
  const [exactCase, setExactCase] = useState(false)
  const [wholeCell, setWholeCell] = useState(false)
  const [said, setSaid] = useState('')
  const input = useRef<HTMLInputElement>(null)
  const columns = list.columns.filter((c) => !c.hidden)
  const pinned = pinnedOf(list.columns)
  const ordered = [...columns.filter((c) => pinned.has(c.id)), ...columns.filter((c) => !pinned.has(c.id))]
  // Only what was asked last is gone to.
  const asked = useRef(0)
  /** Goes to the next place, or the one before, round the ends. */
  const step = async (by: 1 | -1) => {
    if (find === '' || ordered.length === 0) return
    const mine = ++asked.current
    const body = { words: find, exactCase, wholeCell, columns: ordered.map((c) => c.id), back: by < 0 }
    const most = some ? 200 : 1
    const seen = new Set<string>()
    let from = grid.current?.inHand() ?? null
    for (;;) {
      const found = await ask(routes.findCells, { params: { list: list.id }, body: { ...body, from, most } })
      if (mine !== asked.current) return
      for (const cell of found) {
        const name = `${cell.row} ${cell.column}`
        if (!seen.has(name) && grid.current?.goToCell(cell)) {
          setSaid('')
          // The words stay in hand for the next step.
          setTimeout(() => input.current?.focus(), 60)
          return
        }
        // Round the end: none of them is shown here.
        if (seen.has(name)) return setSaid(say.standsElsewhere(find))
        seen.add(name)
      }
      if (found.length < most) return setSaid(seen.size === 0 ? say.doesNotStandList(find) : say.standsElsewhere(find))
      from = found[found.length - 1]
    }
  }
  const go = (by: 1 | -1) => void step(by).catch((error) => setSaid(faultWords(error)))
  const replaceAll = async () => {
    const done = await edit(say.replace, { do: 'replace', find, put, exactCase, wholeCell })
    const cells = done?.edits.find((e) => e.do === 'cells')
    if (cells?.do === 'cells')
      toast(say.replaced(find, cells.cells.length), {
        action: { label: say.undo, onClick: () => void table.undo() },
      })
  }
  return (
    <search
      aria-label={say.findList}
      className="flex flex-wrap items-center gap-2 border-rule border-b px-3 py-1.5"
      onKeyDown={(e) => e.key === 'Escape' && close()}
    >
      <input
        ref={input}
        // biome-ignore lint/a11y/noAutofocus: finding was asked for
        autoFocus
        aria-label={say.find}
        placeholder={say.find}
        className="input w-44"
        value={find}
        onChange={(e) => setFind(e.target.value)}
        onKeyDown={(e) => e.key === 'Enter' && go(e.shiftKey ? -1 : 1)}
      />
      <Button onClick={() => go(-1)}>{say.previous}</Button>
      <Button onClick={() => go(1)}>{say.next}</Button>
      {editable && (
        <>
          <input
            aria-label={say.putPlace}
            placeholder={say.putPlace}
            className="input w-44"
            value={put}
            onChange={(e) => setPut(e.target.value)}
          />
          <Button disabled={find === ''} onClick={() => void replaceAll()}>
            {say.replaceEverywhere}
          </Button>
        </>
      )}
      <label className="flex items-center gap-1 text-[13px]">
        <input type="checkbox" checked={exactCase} onChange={(e) => setExactCase(e.target.checked)} />{' '}
        {say.capitalsMatter}
      </label>
      <label className="flex items-center gap-1 text-[13px]">
        <input type="checkbox" checked={wholeCell} onChange={(e) => setWholeCell(e.target.checked)} /> {say.wholeCells}
      </label>
      <span role="status" className="text-[13px] text-ask">
        {said}
      </span>
      <Button kind="quiet" className="ml-auto" onClick={close} aria-label={say.closeSearch}>
        <X aria-hidden size={15} />
      </Button>
    </search>
  )
}
