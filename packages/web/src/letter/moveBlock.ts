import { Extension } from '@tiptap/core'
import {
  type EditorState,
  NodeSelection,
  Plugin,
  type PluginView,
  TextSelection,
  type Transaction,
} from '@tiptap/pm/state'
import type { EditorView } from '@tiptap/pm/view'
import { moveBlock as say } from './words.ts'

/** How deep the block stands that is moved: in a passage, a column or a list it is moved within that. */
function movedDepth({ selection }: EditorState): number {
  const { $from } = selection
  const own = selection instanceof NodeSelection ? $from.depth : $from.depth - 1
  for (let depth = own; depth > 0; depth--) {
    const { name } = $from.node(depth).type
    if (name === 'tableRow' || name === 'tableCell' || name === 'tableHeader') continue
    if ($from.node(depth).childCount > 1) return depth
  }
  return 0
}

/** Moves the block in hand past its neighbour. */
function move(state: EditorState, by: -1 | 1, dispatch?: (tr: Transaction) => void): boolean {
  const { $from } = state.selection
  const depth = movedDepth(state)
  const parent = $from.node(depth)
  const index = $from.index(depth)
  const other = index + by
  if (other < 0 || other >= parent.childCount) return false
  const [block, neighbour] = [parent.child(index), parent.child(other)]
  // What stands under "otherwise" stays last.
  if (neighbour.type.name === 'otherwise' || block.type.name === 'otherwise') return false
  const start = $from.posAtIndex(index, depth)
  const from = by < 0 ? start - neighbour.nodeSize : start
  const pair = by < 0 ? [block, neighbour] : [neighbour, block]
  if (dispatch) {
    const tr = state.tr.replaceWith(from, from + block.nodeSize + neighbour.nodeSize, pair)
    const moved = by < 0 ? from : from + neighbour.nodeSize
    const within = state.selection.from - start
    tr.setSelection(
      state.selection instanceof NodeSelection && within === 0
        ? NodeSelection.create(tr.doc, moved)
        : TextSelection.near(tr.doc.resolve(moved + within)),
    )
    dispatch(tr.scrollIntoView())
  }
  return true
}

/** Blocks are moved by Alt Shift ↑ and ↓, and dragged by the grip that stands beside the one under the pointer. */
export const MoveBlock = Extension.create({
  name: 'moveBlock',
  addKeyboardShortcuts() {
    const step = (by: -1 | 1) => () => move(this.editor.state, by, this.editor.view.dispatch) || true
    return { 'Alt-Shift-ArrowUp': step(-1), 'Alt-Shift-ArrowDown': step(1) }
  },
  addProseMirrorPlugins: () => [new Plugin({ view: grip })],
})

function grip(view: EditorView): PluginView {
  const handle = document.createElement('div')
  handle.className = 'grip'
  handle.draggable = true
  handle.title = say.dragMoveBlockKeyboard
  handle.ariaHidden = 'true'
  let at: number | null = null
  const hide = () => {
    handle.style.display = 'none'
  }
  const follow = (event: MouseEvent) => {
    if (!view.editable) return hide()
    const box = view.dom.getBoundingClientRect()
    const found = view.posAtCoords({ left: Math.max(event.clientX, box.left + 12), top: event.clientY })
    if (!found) return
    const $pos = view.state.doc.resolve(found.pos)
    const start = $pos.depth > 0 ? $pos.before(1) : found.inside >= 0 ? found.inside : null
    const dom = start === null ? null : view.nodeDOM(start)
    if (!(dom instanceof HTMLElement)) return hide()
    at = start
    const rect = dom.getBoundingClientRect()
    Object.assign(handle.style, {
      display: 'block',
      top: `${rect.top - box.top + view.dom.offsetTop}px`,
      left: `${view.dom.offsetLeft - 20}px`,
    })
  }
  const begin = (event: DragEvent) => {
    if (at === null || !event.dataTransfer) return
    const selection = NodeSelection.create(view.state.doc, at)
    view.dispatch(view.state.tr.setSelection(selection))
    const slice = selection.content()
    event.dataTransfer.setData('text/plain', selection.node.textContent)
    event.dataTransfer.effectAllowed = 'move'
    const dom = view.nodeDOM(at)
    if (dom instanceof Element) event.dataTransfer.setDragImage(dom, 0, 0)
    view.dragging = { slice, move: true }
  }
  const mount = () => {
    const parent = view.dom.parentElement
    if (!parent || handle.parentElement === parent) return
    parent.style.position = 'relative'
    parent.append(handle)
    parent.addEventListener('mousemove', follow)
    parent.addEventListener('mouseleave', hide)
  }
  hide()
  handle.addEventListener('dragstart', begin)
  handle.addEventListener('dragend', hide)
  return {
    update(_, before) {
      mount()
      // Where it stands, and which block it moves, was so before the change; the next movement of the pointer finds it anew.
      if (before.doc !== view.state.doc) hide()
    },
    destroy() {
      handle.parentElement?.removeEventListener('mousemove', follow)
      handle.parentElement?.removeEventListener('mouseleave', hide)
      handle.remove()
    },
  }
}
