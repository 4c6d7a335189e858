import { callOrReturn, type Editor, getExtensionField, Node, type ParentConfig } from '@tiptap/core'
import type { Command } from '@tiptap/pm/state'
import {
  addColumnAfter,
  addRowAfter,
  deleteColumn,
  deleteRow,
  deleteTable,
  goToNextCell,
  tableEditing,
  toggleHeaderRow,
} from '@tiptap/pm/tables'
import { tables as say } from './words.ts'

declare module '@tiptap/core' {
  interface NodeConfig<Options, Storage> {
    /** What a node is within a table, for the table's own commands. */
    tableRole?:
      | string
      | ((this: {
          name: string
          options: Options
          storage: Storage
          parent: ParentConfig<NodeConfig<Options>>['tableRole']
        }) => string)
  }
}

const attributes = () => ({ colspan: { default: 1 }, rowspan: { default: 1 }, colwidth: { default: null } })
const cell = (name: 'tableCell' | 'tableHeader', tag: 'td' | 'th') =>
  Node.create({
    name,
    content: 'block+',
    tableRole: name === 'tableCell' ? 'cell' : 'header_cell',
    isolating: true,
    addAttributes: attributes,
    parseHTML: () => [{ tag }],
    renderHTML: () => [tag, 0],
  })
const run = (editor: Editor, command: Command) => command(editor.state, editor.view.dispatch, editor.view)

/** What can be done with the table in which the cursor stands, by name. */
export const tableTools: [name: string, command: Command][] = [
  [say.rowBelow, addRowAfter],
  [say.columnRight, addColumnAfter],
  [say.firstRowHeadings, toggleHeaderRow],
  [say.removeRow, deleteRow],
  [say.removeColumn, deleteColumn],
  [say.removeTable, deleteTable],
]
export const runTableTool = (editor: Editor, command: Command) => {
  editor.commands.focus()
  run(editor, command)
}

/** Tables of the letter: the mechanics are ProseMirror's. */
export const tableNodes = [
  Node.create({
    name: 'table',
    group: 'block',
    content: 'tableRow+',
    tableRole: 'table',
    isolating: true,
    parseHTML: () => [{ tag: 'table' }],
    renderHTML: () => ['table', ['tbody', 0]],
    addKeyboardShortcuts() {
      const next = (step: 1 | -1) => () => {
        if (!this.editor.isActive('table')) return false
        if (run(this.editor, goToNextCell(step))) return true
        // Behind the last cell there is always another row.
        return step === 1 && run(this.editor, addRowAfter) && run(this.editor, goToNextCell(1))
      }
      return { Tab: next(1), 'Shift-Tab': next(-1) }
    },
    addProseMirrorPlugins: () => [tableEditing()],
    extendNodeSchema(extension) {
      const { name, options, storage } = extension
      return { tableRole: callOrReturn(getExtensionField(extension, 'tableRole', { name, options, storage })) }
    },
  }),
  Node.create({
    name: 'tableRow',
    content: '(tableCell | tableHeader)*',
    tableRole: 'row',
    parseHTML: () => [{ tag: 'tr' }],
    renderHTML: () => ['tr', 0],
  }),
  cell('tableCell', 'td'),
  cell('tableHeader', 'th'),
]

const emptyCell = (type: 'tableCell' | 'tableHeader') => ({ type, content: [{ type: 'paragraph' }] })
const rowOf = (type: 'tableCell' | 'tableHeader') => ({ type: 'tableRow', content: [1, 2].map(() => emptyCell(type)) })
/** A new table: a row of headings and two rows of cells. */
export const newTable = { type: 'table', content: [rowOf('tableHeader'), rowOf('tableCell'), rowOf('tableCell')] }
