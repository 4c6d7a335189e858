import { parseTemplate } from '@hand-post/core'
import { type AnyExtension, type Editor, Extension } from '@tiptap/core'
import { Highlight } from '@tiptap/extension-highlight'
import { Color, TextStyle } from '@tiptap/extension-text-style'
import { Placeholder } from '@tiptap/extensions'
import { StarterKit } from '@tiptap/starter-kit'
import { ownBlocks } from './blocks.tsx'
import { ChoicesNode } from './choices.tsx'
import { type FieldSource, fieldMenu } from './fieldMenu.tsx'
import { FieldNode } from './fieldNode.tsx'
import { MoveBlock } from './moveBlock.ts'
import { Picture } from './picture.ts'
import { RowsTableNode } from './rowsTable.tsx'
import { newTable, tableNodes } from './tables.ts'
import { extensions as say } from './words.ts'

const words = (text: string) => [{ type: 'text', text }]
const paragraph = { type: 'paragraph' }
const passage = (content: object[]) => ({ type: 'passage', attrs: { selection: { match: 'all', rules: [] } }, content })

/** What can be put into the letter, with the keys that do it. */
export const insertions: { name: string; what: string; keys: string; key: string; act: (editor: Editor) => void }[] = [
  {
    name: say.passage,
    what: say.seenOnlyPeopleWhom,
    keys: say.altShiftP,
    key: 'Alt-Shift-p',
    act: (editor) => {
      const { $from, $to, empty } = editor.state.selection
      const range = $from.blockRange($to)
      // What is marked becomes the passage.
      if (!empty && range)
        editor
          .chain()
          .focus()
          .command(({ tr, state }) => {
            const inside = state.doc.slice(range.start, range.end).content
            tr.replaceWith(range.start, range.end, state.schema.nodes.passage.create(null, inside))
            return true
          })
          .run()
      else insert(editor, passage([paragraph]))
    },
  },
  {
    name: say.personalNote,
    what: say.placeEachPersonS,
    keys: say.altShiftN,
    key: 'Alt-Shift-n',
    act: (editor) => insert(editor, { type: 'personalNote' }),
  },
  {
    name: say.table,
    what: say.rowsColumns,
    keys: say.altShiftT,
    key: 'Alt-Shift-t',
    act: (editor) => insert(editor, newTable),
  },
  {
    name: say.twoColumns,
    what: say.sideSidePhoneOne,
    keys: say.altShiftC,
    key: 'Alt-Shift-c',
    act: (editor) =>
      insert(editor, { type: 'twoColumns', content: [1, 2].map(() => ({ type: 'column', content: [paragraph] })) }),
  },
  {
    name: say.button,
    what: say.linkEasyPress,
    keys: say.altShiftB,
    key: 'Alt-Shift-b',
    act: (editor) => insert(editor, { type: 'button', attrs: { href: 'https://' }, content: words(say.answerHere) }),
  },
  {
    name: say.choices,
    what: say.answersToChoose,
    keys: say.altShiftA,
    key: 'Alt-Shift-a',
    act: (editor) => insert(editor, { type: 'choices', attrs: { choices: ['', ''] } }),
  },
  {
    name: say.band,
    what: say.colouredHeadOverWhole,
    keys: say.altShiftH,
    key: 'Alt-Shift-h',
    act: (editor) => insert(editor, { type: 'band', content: words('Heading') }),
  },
  {
    name: say.rule,
    what: say.lineAcross,
    keys: say.altShiftR,
    key: 'Alt-Shift-r',
    act: (editor) => void editor.chain().focus().setHorizontalRule().run(),
  },
  {
    name: say.signature,
    what: say.linesMailboxSends,
    keys: say.altShiftS,
    key: 'Alt-Shift-s',
    act: (editor) => insert(editor, { type: 'signature' }),
  },
]

function insert(editor: Editor, block: object): void {
  // An empty line is taken, not left standing beside.
  const { $from } = editor.state.selection
  const isEmpty = $from.parent.type.name === 'paragraph' && $from.parent.content.size === 0
  const chain = editor.chain().focus()
  if (isEmpty) chain.insertContentAt({ from: $from.before(), to: $from.after() }, block).run()
  else chain.insertContent(block).run()
}

const InsertKeys = Extension.create({
  name: 'insertKeys',
  addKeyboardShortcuts() {
    return {
      'Mod-\\': () => this.editor.commands.unsetAllMarks(),
      ...Object.fromEntries(
        insertions.map(({ key, act }) => [
          key,
          () => {
            act(this.editor)
            return true
          },
        ]),
      ),
    }
  },
})

/** Everything that a letter is written with. `source` is asked each time for the columns and the chosen person. */
export function letterExtensions(source: () => FieldSource): AnyExtension[] {
  return [
    StarterKit.configure({
      blockquote: false,
      code: false,
      codeBlock: false,
      strike: false,
      heading: { levels: [1, 2, 3] },
      link: {
        openOnClick: false,
        protocols: ['http', 'https', 'mailto', 'tel'],
        defaultProtocol: 'https',
        // An address may be a field: whether it is a safe one is then found for each person.
        isAllowedUri: (url, { defaultValidate }) => typeof parseTemplate(url)[0] === 'object' || defaultValidate(url),
      },
    }),
    Highlight,
    TextStyle,
    Color,
    Picture,
    FieldNode,
    RowsTableNode,
    ChoicesNode,
    ...tableNodes,
    ...ownBlocks,
    MoveBlock,
    InsertKeys,
    fieldMenu(source),
    Placeholder.configure({
      placeholder: say.writeLetterTypeWhere,
    }),
  ]
}
