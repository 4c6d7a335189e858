import {
  type Announcements,
  type CollisionDetection,
  closestCenter,
  DndContext,
  type DragMoveEvent,
  DragOverlay,
  KeyboardCode,
  type KeyboardCoordinateGetter,
  KeyboardSensor,
  type Modifier,
  PointerSensor,
  pointerWithin,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
} from '@dnd-kit/core'
import { type ComponentProps, createContext, type ReactNode, useContext, useMemo, useState } from 'react'
import { moveColumns as say } from '../words.ts'
import type { Columns } from './useColumns.ts'

/** Where a column would be put: on which side of which other. */
interface Aim {
  over: string
  side: 'left' | 'right'
}
const AimContext = createContext<Aim | null>(null)

const alongTheHeads: Modifier = ({ transform }) => ({ ...transform, y: 0 })
const collisions: CollisionDetection = (args) =>
  args.pointerCoordinates
    ? pointerWithin({ ...args, pointerCoordinates: { ...args.pointerCoordinates, y: middleOf(args) } })
    : closestCenter(args)
/** The height at which the heads stand, so that a mouse need not keep to them exactly. */
const middleOf = ({ droppableRects }: Parameters<CollisionDetection>[0]) => {
  const [first] = droppableRects.values()
  return first ? first.top + first.height / 2 : 0
}

/** By the arrows from head to head. */
const toNextHead: KeyboardCoordinateGetter = (event, { currentCoordinates, context: { droppableRects } }) => {
  const way = event.code === KeyboardCode.Right ? 1 : event.code === KeyboardCode.Left ? -1 : 0
  if (way === 0) return undefined
  event.preventDefault()
  const lefts = [...droppableRects.values()].map((rect) => rect.left).sort((a, b) => a - b)
  const next =
    way > 0
      ? lefts.find((left) => left > currentCoordinates.x + 1)
      : lefts.findLast((left) => left < currentCoordinates.x - 1)
  return { x: next ?? currentCoordinates.x, y: currentCoordinates.y }
}

/** M picks a column up: Enter and Space open its menu. */
const codes = { start: ['KeyM'], cancel: [KeyboardCode.Esc], end: ['KeyM', KeyboardCode.Enter, KeyboardCode.Space] }
const instructions = {
  draggable: say.pressMPickColumn,
}

/** Lets the heads of columns be dragged to where the columns shall stand, by mouse, finger or keyboard. */
export function MoveColumns({
  columns,
  nameOf,
  children,
}: {
  columns: Columns
  nameOf: (id: string) => string
  children: ReactNode
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { keyboardCodes: codes, coordinateGetter: toNextHead }),
  )
  const [moving, setMoving] = useState<string | null>(null)
  const [aim, setAim] = useState<Aim | null>(null)
  const order = columns.state.columnOrder
  const aimOf = ({ active, over, activatorEvent, delta }: DragMoveEvent): Aim | null => {
    if (!over || over.id === active.id) return null
    const id = String(over.id)
    if (!(activatorEvent instanceof MouseEvent))
      return { over: id, side: order.indexOf(id) > order.indexOf(String(active.id)) ? 'right' : 'left' }
    const at = activatorEvent.clientX + delta.x
    return { over: id, side: at < over.rect.left + over.rect.width / 2 ? 'left' : 'right' }
  }
  const end = () => {
    setMoving(null)
    setAim(null)
  }
  const announcements = useMemo<Announcements>(() => {
    const name = (thing: { id: string | number } | null) => `“${nameOf(String(thing?.id))}”`
    return {
      // Said by what follows at once: where it would stand.
      onDragStart: () => undefined,
      onDragOver: ({ active, over }) =>
        over && over.id !== active.id ? say.wouldStand(name(over)) : say.pickedUpWouldStand(name(active)),
      onDragEnd: ({ active, over }) =>
        over && over.id !== active.id ? say.laidDown(name(active), name(over)) : say.staysWhere(name(active)),
      onDragCancel: ({ active }) => say.staysWhere(name(active)),
    }
  }, [nameOf])
  return (
    <DndContext
      sensors={sensors}
      modifiers={[alongTheHeads]}
      collisionDetection={collisions}
      // What is said stands beside the grid, in which nothing but rows may stand.
      accessibility={{ announcements, screenReaderInstructions: instructions, container: document.body }}
      onDragStart={({ active }) => setMoving(String(active.id))}
      onDragMove={(event) => setAim(aimOf(event))}
      onDragCancel={end}
      onDragEnd={(event) => {
        const to = aimOf(event)
        end()
        if (!to) return
        const moved = String(event.active.id)
        columns.setColumnOrder((before) => {
          const others = before.filter((id) => id !== moved)
          others.splice(others.indexOf(to.over) + (to.side === 'right' ? 1 : 0), 0, moved)
          return others
        })
      }}
    >
      <AimContext value={aim}>{children}</AimContext>
      <DragOverlay dropAnimation={null}>
        {moving !== null && (
          <span className="paper flex h-[33px] w-fit items-center px-2 font-bold text-[14px] shadow-lg">
            {nameOf(moving)}
          </span>
        )}
      </DragOverlay>
    </DndContext>
  )
}

/** A head that can be moved, and onto whose sides others can be put. */
export function useMovable(id: string, movable: boolean) {
  const drag = useDraggable({ id, disabled: !movable })
  const drop = useDroppable({ id, disabled: !movable })
  const aim = useContext(AimContext)
  return {
    setNodeRef: (node: HTMLElement | null) => {
      drag.setNodeRef(node)
      drop.setNodeRef(node)
    },
    /** For what takes hold of it. */
    grip: (movable
      ? { ...drag.listeners, 'aria-describedby': drag.attributes['aria-describedby'], ref: drag.setActivatorNodeRef }
      : {}) as ComponentProps<'button'>,
    moving: drag.isDragging,
    /** On which side of it the one that is moved would be put. */
    side: aim?.over === id ? aim.side : null,
  }
}
