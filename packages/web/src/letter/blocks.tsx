import { passageSelectionSchema } from '@hand-post/contract'
import { type Column, compileSelection, type PassageRule, type Selection, selectionWords } from '@hand-post/core'
import { Node } from '@tiptap/core'
import { NodeViewContent, type NodeViewProps, NodeViewWrapper, ReactNodeViewRenderer } from '@tiptap/react'
import clsx from 'clsx'
import { Check, MessageSquareText, PenLine, Split, X } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useMemo } from 'react'
import { RulesInPlace } from '../people/RuleSet.tsx'
import { ColumnValues } from '../people/RuleValue.tsx'
import { callPerson, useNotes, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { Button } from '../shared/parts.tsx'
import { blocks as say } from './words.ts'

/** A link drawn as a button; its address is set in the tools above. */
const ButtonNode = Node.create({
  name: 'button',
  group: 'block',
  content: '(text | field)*',
  defining: true,
  addAttributes: () => ({
    href: {
      default: '',
      parseHTML: (e) => e.getAttribute('data-button'),
      renderHTML: ({ href }) => ({ 'data-button': href }),
    },
  }),
  parseHTML: () => [{ tag: 'div[data-button]' }],
  renderHTML: ({ HTMLAttributes }) => ['div', HTMLAttributes, ['span', 0]],
})

/** A coloured band over the whole width. */
const Band = Node.create({
  name: 'band',
  group: 'block',
  content: '(text | field)*',
  defining: true,
  addAttributes: () => ({
    color: {
      default: bandColours[0][0],
      parseHTML: (e) => e.getAttribute('data-band'),
      renderHTML: ({ color }) => ({ 'data-band': color, style: `background:${color}` }),
    },
  }),
  parseHTML: () => [{ tag: 'div[data-band]' }],
  renderHTML: ({ HTMLAttributes }) => ['div', HTMLAttributes, 0],
})

/** The colours offered for bands, dark enough for white words (WCAG 2.2, contrast of 4.5 and more). */
export const bandColours: [string, string][] = [
  ['#0b5a5e', say.harbourGreen],
  ['#15242b', 'ink'],
  ['#3a5488', 'blue'],
  ['#2c6640', 'green'],
  ['#8a5200', 'brown'],
  ['#9e2328', 'red'],
]

const TwoColumns = Node.create({
  name: 'twoColumns',
  group: 'block',
  content: 'column column',
  isolating: true,
  parseHTML: () => [{ tag: 'div[data-two-columns]' }],
  renderHTML: () => ['div', { 'data-two-columns': '' }, 0],
})
const LetterColumn = Node.create({
  name: 'column',
  content: 'block+',
  isolating: true,
  parseHTML: () => [{ tag: 'div[data-column-side]' }],
  renderHTML: () => ['div', { 'data-column-side': '' }, 0],
})

const json = (name: string, fallback: unknown) => ({
  default: fallback,
  parseHTML: (e: HTMLElement) => JSON.parse(e.getAttribute(`data-${name}`) ?? 'null') ?? fallback,
  renderHTML: (attributes: Record<string, unknown>) => ({ [`data-${name}`]: JSON.stringify(attributes[name]) }),
})

const everybody: Selection = { match: 'all', rules: [] }
const Passage = Node.create({
  name: 'passage',
  group: 'block',
  content: 'block+ otherwise?',
  defining: true,
  isolating: true,
  addAttributes: () => ({ selection: json('selection', everybody) }),
  parseHTML: () => [{ tag: 'section[data-selection]' }],
  renderHTML: ({ HTMLAttributes }) => ['section', HTMLAttributes, 0],
  addNodeView: () => ReactNodeViewRenderer(PassageView),
})
const Otherwise = Node.create({
  name: 'otherwise',
  content: 'block+',
  defining: true,
  isolating: true,
  parseHTML: () => [{ tag: 'section[data-otherwise]' }],
  renderHTML: () => ['section', { 'data-otherwise': '' }, 0],
})

/** In passages, rules name columns as fields do: by their headings. */
const byName = (columns: Column[]): Column[] => columns.map((c) => ({ ...c, id: c.name }))

function PassageView({ node, updateAttributes, editor, getPos }: NodeViewProps) {
  const { round, making } = useWork()
  const { person } = usePerson()
  const { selection } = node.attrs as PassageRule
  const listColumns = round.list?.columns
  const columns = useMemo(() => byName(listColumns ?? []), [listColumns])
  const list = round.list
  const values = useMemo(
    () =>
      list && {
        list: list.id,
        version: list.version,
        idOf: (name: string) => list.columns.find((c) => c.name === name)?.id ?? null,
      },
    [list],
  )
  const isIn = useMemo(() => {
    if (!person || !listColumns) return null
    const cells = Object.fromEntries(listColumns.map((c) => [c.name, person.cells[c.id]]))
    return compileSelection(selection, columns, { today: making.today ?? '' })({ ...person, cells })
  }, [person, listColumns, columns, selection, making.today])
  const said = selectionWords(selection, columns)
  const hasOtherwise = node.lastChild?.type.name === 'otherwise'
  const at = () => getPos() as number
  const addOtherwise = () =>
    editor
      .chain()
      .focus()
      .insertContentAt(at() + node.nodeSize - 1, { type: 'otherwise', content: [{ type: 'paragraph' }] })
      .run()
  /** Its words stay for everybody; only the frame, and what stands under "otherwise", goes. */
  const unwrap = () => {
    const { state, view } = editor
    const inside = hasOtherwise ? node.content.cut(0, node.content.size - node.lastChild!.nodeSize) : node.content
    view.dispatch(state.tr.replaceWith(at(), at() + node.nodeSize, inside))
    editor.commands.focus()
  }
  return (
    <NodeViewWrapper
      as="section"
      aria-label={say.passage}
      data-in={isIn === null ? undefined : isIn}
      className="passage"
    >
      <header contentEditable={false} className="flex flex-wrap items-center gap-x-2 text-[13px]">
        <Split aria-hidden size={14} className="text-note" />
        <span className="text-note">{said === '' ? say.everybodyUntilRuleSet : say.onlyWhere(said)}</span>
        {isIn !== null && (
          <span className={clsx('inline-flex items-center gap-1', isIn ? 'text-good' : 'text-ink-2')}>
            {isIn ? <Check aria-hidden size={13} /> : <X aria-hidden size={13} />}
            {say.for(isIn, callPerson(round, person!))}
          </span>
        )}
        {editor.isEditable && (
          <span className="ml-auto flex items-center">
            <Popover.Root defaultOpen={selection.rules.length === 0 && node.textContent === ''}>
              <Popover.Trigger asChild>
                <Button kind="quiet">{say.whoSees}</Button>
              </Popover.Trigger>
              <Popover.Portal>
                <Popover.Content
                  align="end"
                  collisionPadding={8}
                  onCloseAutoFocus={(e) => {
                    e.preventDefault()
                    editor.commands.focus(at() + 2)
                  }}
                  className="paper z-50 w-[min(560px,92vw)] space-y-2 p-4 text-[14px] shadow-lg"
                >
                  {columns.length === 0 ? (
                    <p className="text-ink-2">{say.bringListFirstRules}</p>
                  ) : (
                    <ColumnValues value={values}>
                      <RulesInPlace
                        selection={selection}
                        schema={passageSelectionSchema}
                        columns={columns}
                        rowNumbers={false}
                        put={(next) => updateAttributes({ selection: next })}
                        lead={say.onlyPeopleWhom}
                        none={say.everybodyUntilRuleSet2}
                      />
                    </ColumnValues>
                  )}
                </Popover.Content>
              </Popover.Portal>
            </Popover.Root>
            {!hasOtherwise && (
              <Button kind="quiet" onClick={addOtherwise}>
                {say.addOtherwise}
              </Button>
            )}
            <Button kind="quiet" onClick={unwrap}>
              {say.everybody}
            </Button>
          </span>
        )}
      </header>
      <NodeViewContent className="passage-words" />
    </NodeViewWrapper>
  )
}

const PersonalNote = Node.create({
  name: 'personalNote',
  group: 'block',
  atom: true,
  selectable: true,
  draggable: true,
  parseHTML: () => [{ tag: 'div[data-note]' }],
  renderHTML: () => ['div', { 'data-note': '' }],
  addNodeView: () => ReactNodeViewRenderer(PersonalNoteView),
})
function PersonalNoteView({ selected }: NodeViewProps) {
  const { round } = useWork()
  const { person } = usePerson()
  const { notes } = useNotes()
  const words = (person && notes.get(person.id)?.trim()) || ''
  return (
    <NodeViewWrapper data-drag-handle className={clsx('place', selected && 'ring-2 ring-post')}>
      <span className="flex items-center gap-1 text-[13px] text-ink-2">
        <MessageSquareText aria-hidden size={14} /> {say.personalNote}
        {person && (words === '' ? say.none(callPerson(round, person)) : say.for2(callPerson(round, person)))}
      </span>
      {words !== '' && <span className="block whitespace-pre-wrap">{words}</span>}
    </NodeViewWrapper>
  )
}

const Signature = Node.create({
  name: 'signature',
  group: 'block',
  atom: true,
  selectable: true,
  draggable: true,
  parseHTML: () => [{ tag: 'div[data-signature]' }],
  renderHTML: () => ['div', { 'data-signature': '' }],
  addNodeView: () => ReactNodeViewRenderer(SignatureView),
})
function SignatureView({ selected }: NodeViewProps) {
  const { making } = useWork()
  return (
    <NodeViewWrapper data-drag-handle className={clsx('place', selected && 'ring-2 ring-post')}>
      <span className="flex items-center gap-1 text-[13px] text-ink-2">
        <PenLine aria-hidden size={14} /> {say.signatureMailbox}
        {!making.signature?.trim() && say.hasNoneGiveOne}
      </span>
      {making.signature?.trim() && <span className="block whitespace-pre-wrap">{making.signature.trim()}</span>}
    </NodeViewWrapper>
  )
}

/** The blocks of a letter that are Hand Post's own. */
export const ownBlocks = [ButtonNode, Band, TwoColumns, LetterColumn, Passage, Otherwise, PersonalNote, Signature]
