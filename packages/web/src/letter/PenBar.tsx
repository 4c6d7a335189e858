import { PenLine } from 'lucide-react'
import { useLetter, useWork } from '../rounds/RoundContext.tsx'
import type { CompanyWork } from '../rounds/useCompany.ts'
import { Button } from '../shared/parts.tsx'
import { penBar as say } from './words.ts'

/** Over the words of the letter: who else writes it, or asks to; with asking for the pen, and giving it. */
export function PenBar({ company: { writes, asks, asked, ask, answer } }: { company: CompanyWork }) {
  const { written } = useWork()
  const { saving } = useLetter()
  if (writes === null && asks === null) return null
  return (
    <section
      aria-label={say.label}
      className="flex flex-wrap items-center gap-x-3 gap-y-1 min-h-11 border-note border-b bg-note-tint px-4 py-1"
    >
      <PenLine aria-hidden size={16} className="shrink-0 text-note" />
      <p role="status" className="min-w-60 flex-1 text-[14px]">
        {writes !== null ? (
          <>
            <b>{say.writes(writes.name)}</b> {asked ? say.asked(writes.name) : say.readAlong}
          </>
        ) : (
          <>
            <b>{say.asks(asks!.name)}</b> {say.asksMore}
          </>
        )}
      </p>
      {writes !== null ? (
        <Button disabled={asked} onClick={ask}>
          {asked ? say.askedIt : say.ask}
        </Button>
      ) : (
        <>
          {/* What was typed last goes with it: it is written first. */}
          <Button
            kind="primary"
            disabled={saving === 'failed'}
            onClick={() =>
              void written().then(
                () => answer(true),
                () => {},
              )
            }
          >
            {say.give}
          </Button>
          <Button onClick={() => answer(false)}>{say.keep}</Button>
        </>
      )}
    </section>
  )
}
