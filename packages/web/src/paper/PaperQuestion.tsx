import { guessPostalColumns } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Printer } from 'lucide-react'
import { useState } from 'react'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { PaperSheet } from './PaperSheet.tsx'
import { paperQuestion as say } from './words.ts'

/** Opens what concerns letters on paper. */
export function PaperButton() {
  const { round } = useWork()
  const [open, setOpen] = useState(false)
  if (round.postedAt !== null || !round.list) return null
  return (
    <>
      <Button onClick={() => setOpen(true)}>
        <Printer aria-hidden size={16} /> {say.button}
      </Button>
      {open && <PaperSheet onClose={() => setOpen(false)} />}
    </>
  )
}

/** At People: that some have no address and could get the letter on paper; or how many do, and how. */
export function PaperQuestion() {
  const { round, change, onPaper } = useWork()
  const [open, setOpen] = useState(false)
  const people = useQuery(query.people(round.id)).data
  if (round.postedAt !== null || !people || !round.list) return null
  const { who, columns } = round.paper
  const lost = who === 'byHand' ? people.withoutAddress - onPaper.length : 0
  const asks = lost > 0 && onPaper.length === 0
  const put = () => {
    // The first time what makes the address is taken from the names of the columns, and looked at in the sheet.
    const found = columns.length > 0 ? columns : guessPostalColumns(round.list!.columns, round.nameColumns)
    void change({ paper: { who: 'withoutAddress', columns: found } })
    setOpen(true)
  }
  return (
    <>
      {(asks || onPaper.length > 0) && (
        <div
          className={`flex flex-wrap items-center gap-2 border-rule border-b px-4 py-1.5 text-[14px] ${asks || columns.length === 0 ? 'bg-ask-tint' : 'bg-sheet-2'}`}
        >
          <Printer aria-hidden size={16} className="shrink-0 text-ink-2" />
          <span className="min-w-60 flex-1">
            {asks ? say.withoutAddress(lost) : say.onPaper(onPaper.length)}
            {!asks && columns.length === 0 && ` ${say.noColumns}`}
          </span>
          {asks ? (
            <Button onClick={put}>{say.putOnPaper}</Button>
          ) : (
            <Button onClick={() => setOpen(true)}>{say.setUp}</Button>
          )}
        </div>
      )}
      {open && <PaperSheet onClose={() => setOpen(false)} />}
    </>
  )
}
