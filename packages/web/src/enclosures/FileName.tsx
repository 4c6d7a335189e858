import { compileName } from '@hand-post/core'
import { useState } from 'react'
import { TemplateLine } from '../letter/TemplateLine.tsx'
import { isOpen, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { fileName as say } from './words.ts'

/** The name of a file with fields in it, and what it comes to for the person in hand. It counts when it is left or Enter is pressed. */
export function FileName({
  label,
  value,
  placeholder = '',
  mayBeBlank = true,
  save,
}: {
  label: string
  value: string | null
  placeholder?: string
  /** Whether there may be none; else what was there stands again. */
  mayBeBlank?: boolean
  save: (value: string | null) => void
}) {
  const { round } = useWork()
  const { person } = usePerson()
  const [typed, setTyped] = useState<string | null>(null)
  const text = typed ?? value ?? ''
  const name = text.trim() === '' ? null : compileName(text, round.list!.columns)
  const example = name && person ? name.of(person) : null
  const keep = (written: string) => {
    const next = written.trim().slice(0, 300)
    setTyped(null)
    if (next !== (value ?? '') && (next !== '' || mayBeBlank)) save(next || null)
  }
  return (
    <div className="flex min-w-72 flex-wrap items-center gap-x-2 text-[14px]">
      <span>{label}</span>
      <div className="min-w-52 flex-1">
        <TemplateLine
          label={label}
          text={text}
          placeholder={placeholder}
          editable={isOpen(round)}
          onChange={setTyped}
          onLeave={() => document.activeElement instanceof HTMLElement && document.activeElement.blur()}
          onBlur={keep}
        />
      </div>
      {name && (
        <span className={name.unknown.length > 0 ? 'w-full text-[13px] text-stop' : 'w-full text-[13px] text-ink-2'}>
          {name.unknown.length > 0
            ? say.listHasNoColumn(name.unknown[0])
            : example === null
              ? say.blankPersonHand
              : say.personHand(example)}
        </span>
      )}
    </div>
  )
}
