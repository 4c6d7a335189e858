import type { ReactNode } from 'react'
import { Button } from '../shared/parts.tsx'
import { takeFoot as say } from './words.ts'

/** The foot of a table that is looked at before it is taken in: the one act, another table, or not now. */
export function TakeFoot({
  act,
  another,
  busy,
  fault,
  onBack,
  onDone,
}: {
  act: ReactNode
  /** What it is called to give another table. */
  another: string
  busy: boolean
  fault: string | null
  onBack: () => void
  onDone: () => void
}) {
  return (
    <footer className="flex flex-wrap items-center gap-2 border-rule border-t px-5 py-3">
      {act}
      <Button onClick={onBack} disabled={busy}>
        {another}
      </Button>
      <Button kind="quiet" onClick={onDone} disabled={busy}>
        {say.notNow}
      </Button>
      {fault && (
        <span role="alert" className="text-stop">
          {fault}
        </span>
      )}
    </footer>
  )
}
