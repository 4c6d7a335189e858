import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
} from '@dnd-kit/core'
import { routes } from '@hand-post/contract'
import clsx from 'clsx'
import { ArrowDown, ArrowUp, GripVertical } from 'lucide-react'
import type { z } from 'zod'
import { stale, useChange } from '../api.ts'
import { useMay } from '../shared/me.ts'
import { OthersPost } from '../shared/OthersPost.tsx'
import { Button, Paper } from '../shared/parts.tsx'
import { sharing as say } from './words.ts'

type Shared = z.output<typeof routes.outTray.answer>['sharing'][number]

/** In which order the rounds that wait in one mailbox take turns; or they share it evenly. Whoever may post decides. */
export function Sharing({ shared }: { shared: Shared }) {
  const { mailboxId, mailbox, evenly, rounds } = shared
  const may = useMay()
  const change = useChange(routes.changeTurns, () => stale())
  const put = (changes: { rounds?: number[]; evenly?: boolean }) =>
    change.mutate({ params: { mailbox: mailboxId }, body: { rounds: rounds.map((r) => r.id), evenly, ...changes } })
  const move = (from: number, to: number) => {
    const ids = rounds.map((r) => r.id)
    ids.splice(to, 0, ...ids.splice(from, 1))
    put({ rounds: ids })
  }
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor),
  )
  const placeOf = (id: string | number | undefined) => rounds.findIndex((r) => String(r.id) === String(id))
  const dropped = ({ active, over }: DragEndEvent) => {
    const [from, to] = [placeOf(active.id), placeOf(over?.id)]
    if (from >= 0 && to >= 0 && from !== to) move(from, to)
  }
  return (
    <Paper title={say.title(mailbox)}>
      <div className="space-y-2 px-4 py-2">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-post"
            checked={evenly}
            disabled={change.isPending || !may.post}
            onChange={(e) => put({ evenly: e.target.checked })}
          />
          {say.evenly}
        </label>
        <DndContext
          sensors={sensors}
          collisionDetection={closestCenter}
          onDragEnd={dropped}
          accessibility={{ screenReaderInstructions: { draggable: say.howToDrag } }}
        >
          <ol aria-label={say.order} className={clsx(evenly && 'text-ink-2')}>
            {rounds.map((round, i) => (
              <Turn
                key={round.id}
                round={round}
                place={i + 1}
                fixed={evenly || change.isPending || !may.post}
                up={i > 0 ? () => move(i, i - 1) : undefined}
                down={i < rounds.length - 1 ? () => move(i, i + 1) : undefined}
              />
            ))}
          </ol>
        </DndContext>
        <p className="text-[13px] text-ink-2">{evenly ? say.howEvenly : say.howInTurn}</p>
        {!may.post && <OthersPost />}
      </div>
    </Paper>
  )
}

function Turn({
  round,
  place,
  fixed,
  up,
  down,
}: {
  round: Shared['rounds'][number]
  place: number
  fixed: boolean
  up?: () => void
  down?: () => void
}) {
  const drag = useDraggable({ id: String(round.id), disabled: fixed })
  const drop = useDroppable({ id: String(round.id) })
  return (
    <li
      ref={drop.setNodeRef}
      className={clsx('flex items-center gap-2 rounded-paper px-1', drop.isOver && !drag.isDragging && 'bg-post-tint')}
    >
      <span
        ref={drag.setNodeRef}
        style={drag.transform ? { transform: `translateY(${drag.transform.y}px)` } : undefined}
        className="flex flex-1 items-center gap-2 bg-sheet py-0.5"
      >
        <button
          type="button"
          aria-label={say.drag(round.title)}
          className={clsx('cursor-grab text-ink-2', fixed && 'invisible')}
          {...drag.listeners}
          {...drag.attributes}
        >
          <GripVertical aria-hidden size={16} />
        </button>
        {place}. {round.title}: {say.waiting(round.waiting)}
        {round.held && say.held}
      </span>
      <Button kind="quiet" className="px-1" aria-label={say.up(round.title)} disabled={fixed || !up} onClick={up}>
        <ArrowUp aria-hidden size={16} />
      </Button>
      <Button kind="quiet" className="px-1" aria-label={say.down(round.title)} disabled={fixed || !down} onClick={down}>
        <ArrowDown aria-hidden size={16} />
      </Button>
    </li>
  )
}
