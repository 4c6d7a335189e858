import { hasNotePlace } from '@hand-post/core'
import { MessageSquareText } from 'lucide-react'
import { useEffect, useRef } from 'react'
import { callPerson, isOpen, useLetter, useNotes, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { Button } from '../shared/parts.tsx'
import { noteStrip as say } from './words.ts'

/** Where the everybody person's own words are written: write, next, write, next. */
export function NoteStrip() {
  const { round, everybody } = useWork()
  const { person, step } = usePerson()
  const { letter } = useLetter()
  const { notes, writeNote } = useNotes()
  const box = useRef<HTMLTextAreaElement>(null)
  // The cursor stays here from person to person.
  const wasHere = useRef(false)
  // biome-ignore lint/correctness/useExhaustiveDependencies: with every other person
  useEffect(() => {
    if (wasHere.current) box.current?.focus()
  }, [person?.id])
  if (!person || !hasNotePlace(letter)) return null
  const written = everybody.filter((id) => notes.get(id)?.trim()).length
  const at = everybody.indexOf(person.id)
  return (
    <section
      aria-label={say.personalNote2}
      className="flex items-start gap-3 border-rule border-t bg-sheet-2 px-4 py-2 text-[14px]"
    >
      <label className="min-w-0 flex-1">
        <span className="flex items-center gap-1.5 pb-1 text-[13px]">
          <MessageSquareText aria-hidden size={14} /> {say.personalNote} <b>{callPerson(round, person)}</b>
          <span className="text-ink-2">{say.haveOne(written, everybody.length)}</span>
        </span>
        <textarea
          ref={box}
          className="input w-full resize-y"
          rows={2}
          maxLength={20_000}
          disabled={!isOpen(round)}
          value={notes.get(person.id) ?? ''}
          placeholder={say.onlyPersonSeesLeft}
          onFocus={() => {
            wasHere.current = true
          }}
          onBlur={() => {
            wasHere.current = false
          }}
          onChange={(e) => writeNote(person.id, e.target.value)}
          onKeyDown={(e) => {
            if (e.key !== 'Enter' || !(e.ctrlKey || e.metaKey)) return
            e.preventDefault()
            step(e.shiftKey ? -1 : 1)
          }}
        />
      </label>
      <Button
        className="mt-6"
        disabled={at < 0 || at >= everybody.length - 1}
        title={say.ctrlEnterBackCtrl}
        onMouseDown={(e) => e.preventDefault()}
        onClick={() => step(1)}
      >
        {say.nextPerson} <kbd className="text-[12px] text-ink-2">{say.ctrl}</kbd>
      </Button>
    </section>
  )
}
