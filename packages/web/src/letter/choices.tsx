import { fewestChoices, longestChoice, mostChoices } from '@hand-post/core'
import { Node } from '@tiptap/core'
import { type NodeViewProps, NodeViewWrapper, ReactNodeViewRenderer } from '@tiptap/react'
import clsx from 'clsx'
import { ListChecks, Plus, X } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { Button } from '../shared/parts.tsx'
import { choices as say } from './words.ts'

/** Two to six answers, of which the reader chooses one. */
export const ChoicesNode = Node.create({
  name: 'choices',
  group: 'block',
  atom: true,
  selectable: true,
  draggable: true,
  addAttributes: () => ({
    choices: {
      default: ['', ''],
      parseHTML: (e) => JSON.parse(e.getAttribute('data-choices') ?? '[]'),
      renderHTML: ({ choices }) => ({ 'data-choices': JSON.stringify(choices) }),
    },
  }),
  parseHTML: () => [{ tag: 'div[data-choices]' }],
  renderHTML: ({ HTMLAttributes }) => ['div', HTMLAttributes],
  addNodeView: () =>
    ReactNodeViewRenderer(ChoicesView, {
      // What is typed into its fields is theirs; the letter's keys are not asked.
      stopEvent: ({ event }) => event.target instanceof HTMLElement && event.target.closest('input, button') !== null,
    }),
})

function ChoicesView({ node, updateAttributes, deleteNode, editor, selected }: NodeViewProps) {
  const choices = node.attrs.choices as string[]
  const put = (next: string[]) => updateAttributes({ choices: next })
  const keys = choices.map((choice) => choice.trim().toLocaleLowerCase())
  return (
    <NodeViewWrapper
      as="section"
      aria-label={say.choices}
      data-drag-handle
      className={clsx('place', selected && 'ring-2 ring-post')}
    >
      <span contentEditable={false} className="flex items-center gap-1 text-[13px] text-ink-2">
        <ListChecks aria-hidden size={14} /> {say.choices}: {say.howAnswered}
      </span>
      <span contentEditable={false} className="mt-1 block space-y-1">
        {choices.map((choice, n) => {
          const twice = keys[n] !== '' && keys.indexOf(keys[n]) < n
          return (
            <span key={n} className="flex items-center gap-1">
              <ChoiceField
                n={n}
                choice={choice}
                twice={twice}
                editable={editor.isEditable}
                onType={(typed) => put(choices.map((one, i) => (i === n ? typed : one)))}
              />
              {editor.isEditable && choices.length > fewestChoices && (
                <Button
                  kind="quiet"
                  aria-label={say.takeOut(n + 1)}
                  onClick={() => put(choices.filter((_, i) => i !== n))}
                >
                  <X aria-hidden size={14} />
                </Button>
              )}
              {twice && <span className="text-[13px] text-stop">{say.twice}</span>}
            </span>
          )
        })}
      </span>
      {editor.isEditable && (
        <span contentEditable={false} className="mt-1 flex flex-wrap gap-x-3">
          {choices.length < mostChoices && (
            <Button kind="quiet" onClick={() => put([...choices, ''])}>
              <Plus aria-hidden size={14} /> {say.another}
            </Button>
          )}
          <Button
            kind="quiet"
            onClick={() => {
              deleteNode()
              editor.commands.focus()
            }}
          >
            {say.remove}
          </Button>
        </span>
      )}
    </NodeViewWrapper>
  )
}

/** The words of one choice. What is typed stands there at once: the letter has it a moment later, and the caret must not jump for that. */
function ChoiceField({
  n,
  choice,
  twice,
  editable,
  onType,
}: {
  n: number
  choice: string
  twice: boolean
  editable: boolean
  onType: (typed: string) => void
}) {
  const [typed, setTyped] = useState(choice)
  const given = useRef(choice)
  // Changed from elsewhere, by undoing it for instance.
  useEffect(() => {
    if (choice === given.current) return
    given.current = choice
    setTyped(choice)
  }, [choice])
  return (
    <input
      aria-label={say.choice(n + 1)}
      aria-invalid={twice || undefined}
      className="input flex-1"
      maxLength={longestChoice}
      value={typed}
      disabled={!editable}
      placeholder={n === 0 ? say.forInstanceYes : n === 1 ? say.forInstanceNo : ''}
      onChange={(e) => {
        given.current = e.target.value
        setTyped(e.target.value)
        onType(e.target.value)
      }}
    />
  )
}
