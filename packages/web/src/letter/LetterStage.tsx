import { isUnwritten, type Letter, lettersCount, lostInPlain } from '@hand-post/core'
import { type Editor, EditorContent, type JSONContent } from '@tiptap/react'
import { BookOpen } from 'lucide-react'
import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { useLocation } from 'react-router'
import { isOpen, useLetter, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { useCompany } from '../rounds/useCompany.ts'
import { Button, Say } from '../shared/parts.tsx'
import { DraftingMarks } from './DraftingMarks.tsx'
import { editorOf } from './keptEditor.ts'
import { NoteStrip } from './NoteStrip.tsx'
import { PenBar } from './PenBar.tsx'
import { showInLetter } from './showInLetter.ts'
import { TemplateLine } from './TemplateLine.tsx'
import { Toolbar } from './Toolbar.tsx'
import { takeOver } from './takeOver.ts'
import { WhoSeesWhom } from './WhoSeesWhom.tsx'
import { plainOnly, letterStage as text } from './words.ts'

const LetterSheet = lazy(() => import('./LetterSheet.tsx'))

/** Letter: subject and body with fields, written beside the message they make. */
export default function LetterStage() {
  const { round } = useWork()
  const { person } = usePerson()
  const { letter, setLetter, letterFromOutside, byOthers } = useLetter()
  const company = useCompany(round.id)
  const editable = isOpen(round) && company.writes === null
  const inThread = round.chaser?.thread ?? false
  const put = useCallback(
    (parts: Partial<Letter>) => {
      now.current.letter = { ...now.current.letter, ...parts }
      setLetter(now.current.letter)
    },
    [setLetter],
  )
  // What the editors ask for at any time, without being made anew.
  const now = useRef({ letter, columns: round.list?.columns ?? [], person, put })
  now.current = { letter, columns: round.list?.columns ?? [], person, put }

  const kept = useMemo(() => editorOf(round.id, now.current), [round.id])
  kept.now = now.current
  const { editor } = kept
  useEffect(() => editor.setEditable(editable, false), [editor, editable])
  // What was changed while the editor was out of sight is taken over, and can be undone like anything else; what others wrote cannot.
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken over when it came from outside, not at every keystroke
  useEffect(() => {
    const { body } = now.current.letter
    try {
      if (editor.schema.nodeFromJSON(body).eq(editor.state.doc)) return
    } catch {
      // Not a document of this editor's making: it takes what it knows of it.
    }
    if (byOthers) takeOver(editor, body as unknown as JSONContent)
    else editor.commands.setContent(body, { emitUpdate: false })
  }, [editor, letterFromOutside])

  /** The editors of the lines above the body. */
  const [lineEditors] = useState(() => new Set<Editor>())
  const show = useCallback(
    (words: string) => void [editor, ...lineEditors].some((one) => showInLetter(one, words)),
    [editor, lineEditors],
  )
  // Come here from a finding: the place that it is about.
  const { find } = (useLocation().state ?? {}) as { find?: string }
  useEffect(() => {
    // The editors are put into the page first.
    if (find) requestAnimationFrame(() => show(find))
  }, [show, find])

  const leaveSubject = useCallback(() => void editor.commands.focus('start'), [editor])
  const [inSubject, setInSubject] = useState<Editor | null>(null)
  const [sheet, setSheet] = useState(false)
  const [withFirstLine, setWithFirstLine] = useState(Boolean(letter.firstLine))
  const isEmpty = isUnwritten(letter)
  const { words, lines } = lettersCount(letter)
  return (
    <div className="flex h-full min-h-0 flex-col overflow-auto *:shrink-0">
      <WhoSeesWhom />
      <div className="space-y-1 border-rule border-b px-4 py-1">
        <div className="flex items-baseline gap-3">
          <span className="w-16 shrink-0 text-[13px] text-ink-2">{text.subject}</span>
          <div className="min-w-0 flex-1">
            <TemplateLine
              label={text.subject}
              text={letter.subject}
              editable={editable && !inThread}
              fromOutside={letterFromOutside}
              byOthers={byOthers}
              onChange={(subject) => put({ subject })}
              onLeave={leaveSubject}
              onFocus={setInSubject}
              editors={lineEditors}
            />
            {inThread && <p className="text-[13px] text-ink-2">{text.inThread}</p>}
          </div>
          {!withFirstLine && editable && (
            <Button kind="quiet" onClick={() => setWithFirstLine(true)}>
              {text.addFirstLine}
            </Button>
          )}
        </div>
        {(withFirstLine || letter.firstLine) && (
          <div className="flex items-baseline gap-3">
            <span className="w-16 shrink-0 text-[13px] text-ink-2">{text.firstLine}</span>
            <div className="min-w-0 flex-1">
              <TemplateLine
                label={text.firstLine}
                text={letter.firstLine ?? ''}
                editable={editable}
                fromOutside={letterFromOutside}
                byOthers={byOthers}
                onChange={(firstLine) => put({ firstLine })}
                onLeave={leaveSubject}
                onFocus={setInSubject}
                editors={lineEditors}
              />
              <p className="pt-0.5 text-[13px] text-ink-2">{text.notSeenLetterItself}</p>
            </div>
          </div>
        )}
      </div>
      {/* In the place of the tools, for whoever reads along: nothing moves by it. */}
      {isOpen(round) && <PenBar company={company} />}
      {editable && <Toolbar editor={editor} fieldsInto={inSubject ?? editor} />}
      {editable && <DraftingMarks show={show} />}
      {letter.plain && <Say tone="note">{plainOnly.goesPlain(lostInPlain(letter))}</Say>}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: clicking beside the text is a second way into it */}
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the editor itself takes the keyboard */}
      <div
        className="min-h-44 flex-1 cursor-text overflow-auto px-8 py-5"
        onFocus={() => setInSubject(null)}
        onClick={(e) => e.target === e.currentTarget && editor.commands.focus('end')}
      >
        {isEmpty && editable && (
          <p className="mx-auto mb-3 max-w-[600px] text-ink-2">
            {text.writeHereOr}{' '}
            <Button kind="quiet" className="!min-h-0 !px-0 !py-0" onClick={() => setSheet(true)}>
              {text.beginLetterThere}
            </Button>
          </p>
        )}
        <EditorContent editor={editor} className="mx-auto max-w-[600px]" />
      </div>
      <NoteStrip />
      <footer className="flex items-center gap-2 border-rule border-t bg-sheet-2 px-4 text-[13px] text-ink-2">
        {text.nWords(words)}, {text.nLines(lines)}
        <label className="ml-4 flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-post"
            disabled={!editable}
            checked={letter.plain ?? false}
            onChange={(e) => put({ plain: e.target.checked })}
          />
          {plainOnly.asPlain}
        </label>
        <Button kind="quiet" className="!min-h-7 ml-auto !py-0" onClick={() => setSheet(true)}>
          <BookOpen aria-hidden size={14} /> {text.shelfVersionsFiles}
        </Button>
      </footer>
      {sheet && (
        <Suspense>
          <LetterSheet onClose={() => setSheet(false)} />
        </Suspense>
      )}
    </div>
  )
}
