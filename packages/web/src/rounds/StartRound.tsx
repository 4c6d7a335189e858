import type { Letter } from '@hand-post/core'
import { Plus } from 'lucide-react'
import { Popover } from 'radix-ui'
import { lazy, Suspense, useRef } from 'react'
import { Button, Waiting } from '../shared/parts.tsx'
import type { StartValues } from './StartRoundForm.tsx'
import { startRound as say } from './words.ts'

// The first view has no form: it is fetched when the first one is opened.
const StartRoundForm = lazy(() => import('./StartRoundForm.tsx'))

/** Starts a round: a title and a mailbox, nothing more. */
export function StartRound({
  opened = false,
  list,
  letter,
}: {
  opened?: boolean
  /** The letter that it begins with, where one was chosen. */
  letter?: () => Promise<Letter>
  /** The list that it goes to, where that is known already. */
  list?: { id: number; name: string }
}) {
  // What was filled in stays when it is closed.
  const kept = useRef<StartValues>({ title: '', listId: list?.id })
  return (
    <Popover.Root defaultOpen={opened}>
      <Popover.Trigger asChild>
        <Button kind="primary">
          <Plus aria-hidden size={16} /> {list || letter ? say.startRound : say.startRound2}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="paper z-50 w-80 p-4 shadow-lg">
          <Suspense fallback={<Waiting />}>
            <StartRoundForm kept={kept} letter={letter} ofList={list !== undefined} />
          </Suspense>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
