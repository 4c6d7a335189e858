import { type Field, parseTemplate, plainField, serializeField } from '@hand-post/core'
import { type Editor, InputRule, mergeAttributes, Node, nodePasteRule, type Range } from '@tiptap/core'
import { NodeSelection } from '@tiptap/pm/state'
import { ReactNodeViewRenderer } from '@tiptap/react'
import { FieldChip, openField } from './FieldChip.tsx'

const typedField = /\{\{[^{}\n]*\}\}$/
const typedFields = /\{\{[^{}\n]*\}\}/g

/** The field that a text is the typed form of, or null. */
function fieldIn(text: string): Field | null {
  const segments = parseTemplate(text)
  return segments.length === 1 && typeof segments[0] !== 'string' ? segments[0] : null
}

/** A field in the letter: a chip. Typed or pasted `{{…}}` becomes one; copied as text, it is written out again. */
export const FieldNode = Node.create({
  name: 'field',
  group: 'inline',
  inline: true,
  atom: true,
  selectable: true,
  addAttributes: () => ({
    column: { default: '', parseHTML: (e) => e.getAttribute('data-column') ?? '', renderHTML: () => ({}) },
    standIn: { default: null, parseHTML: (e) => e.getAttribute('data-stand-in'), renderHTML: () => ({}) },
    format: { default: null, parseHTML: (e) => e.getAttribute('data-format'), renderHTML: () => ({}) },
    letterCase: { default: null, parseHTML: (e) => e.getAttribute('data-case'), renderHTML: () => ({}) },
  }),
  parseHTML: () => [{ tag: 'span[data-column]' }],
  renderHTML({ node, HTMLAttributes }) {
    const { column, standIn, format, letterCase } = node.attrs as Field
    const kept = {
      'data-column': column,
      'data-stand-in': standIn,
      'data-format': format,
      'data-case': letterCase ?? null,
    }
    return ['span', mergeAttributes(HTMLAttributes, kept), serializeField(node.attrs as Field)]
  },
  renderText: ({ node }) => serializeField(node.attrs as Field),
  addNodeView: () => ReactNodeViewRenderer(FieldChip, { as: 'span' }),
  addKeyboardShortcuts() {
    return {
      // A chip that is selected is opened by Enter, as a click does.
      Enter: ({ editor }) => {
        const { selection } = editor.state
        if (!(selection instanceof NodeSelection) || selection.node.type !== this.type) return false
        const chip = editor.view.nodeDOM(selection.from)
        if (!(chip instanceof HTMLElement)) return false
        chip.querySelector('button')?.dispatchEvent(new CustomEvent(openField))
        return true
      },
    }
  },
  addInputRules() {
    return [
      new InputRule({
        find: typedField,
        handler: ({ state, range, match }) => {
          const field = fieldIn(match[0])
          if (!field) return null
          // The formatting of the typed form is the formatting of the chip.
          const marks = state.doc.resolve(range.to).marks()
          state.tr.replaceWith(range.from, range.to, this.type.create(field, null, marks))
        },
      }),
    ]
  },
  addPasteRules() {
    return [nodePasteRule({ find: typedFields, type: this.type, getAttributes: (match) => fieldIn(match[0]) ?? false })]
  },
})

/** Puts a column's field at the cursor, or in place of a range, formatted as the words there are. */
export function insertField(editor: Editor, column: string, range?: Range): void {
  const { $from } = editor.state.selection
  const marks = (range ? editor.state.doc.resolve(range.to).marks() : (editor.state.storedMarks ?? $from.marks())).map(
    (m) => m.toJSON(),
  )
  const field = { type: 'field', attrs: plainField(column), marks }
  const chain = editor.chain().focus()
  if (range) chain.insertContentAt(range, field).run()
  else chain.insertContent(field).run()
}
