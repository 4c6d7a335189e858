import { Plus } from 'lucide-react'
import { lazy, Suspense, useState } from 'react'
import { Button } from '../shared/parts.tsx'
import type { Beginning } from './StartRoundOpened.tsx'
import { startRound as say } from './words.ts'

// The first view has no form, and nothing that opens over it: they are fetched when the first one is opened.
const StartRoundOpened = lazy(() => import('./StartRoundOpened.tsx'))

/** Starts a round: a title and a mailbox, nothing more. */
export function StartRound({ opened = false, ...beginning }: Beginning & { opened?: boolean }) {
  const [asked, setAsked] = useState(opened)
  const words = (
    <>
      <Plus aria-hidden size={16} /> {beginning.list || beginning.letter ? say.startRound : say.startRound2}
    </>
  )
  const closed = (
    <Button kind="primary" aria-haspopup="dialog" aria-expanded={false} onClick={() => setAsked(true)}>
      {words}
    </Button>
  )
  return asked ? (
    <Suspense fallback={closed}>
      <StartRoundOpened {...beginning}>{words}</StartRoundOpened>
    </Suspense>
  ) : (
    closed
  )
}
