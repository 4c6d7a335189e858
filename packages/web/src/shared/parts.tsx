import clsx from 'clsx'
import {
  AlertOctagon,
  Check,
  CircleDashed,
  CircleHelp,
  Clock3,
  CornerUpLeft,
  Info,
  type LucideIcon,
  MailX,
  Pause,
  Send,
  Undo2,
} from 'lucide-react'
import { Dialog } from 'radix-ui'
import type { ButtonHTMLAttributes, ReactNode, Ref } from 'react'
import { useFocusBack } from './useFocusBack.ts'
import { parts as say } from './words.ts'

/** A button: plain, the one primary action, quiet within text, or the irreversible one. */
export function Button({
  kind = 'plain',
  className,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { kind?: 'plain' | 'primary' | 'quiet' | 'final' }) {
  return (
    <button
      type="button"
      {...rest}
      className={clsx(
        'inline-flex min-h-8 items-center justify-center gap-1.5 rounded-paper px-3 py-1 text-left disabled:cursor-not-allowed disabled:opacity-55',
        kind === 'plain' && 'border border-rule bg-sheet text-ink hover:bg-sheet-2',
        kind === 'primary' && 'border border-post bg-post font-bold text-on-post hover:brightness-110',
        kind === 'quiet' && 'px-1.5 text-post underline decoration-1 underline-offset-2 hover:bg-post-tint',
        kind === 'final' &&
          'border-2 border-double border-post bg-post px-5 py-2 font-title text-lg font-semibold text-on-post hover:brightness-110',
        className,
      )}
    />
  )
}

export type Tone = 'stop' | 'ask' | 'note' | 'good' | 'plain'
const tones: Record<Tone, string> = {
  stop: 'bg-stop-tint text-stop',
  ask: 'bg-ask-tint text-ask',
  note: 'bg-note-tint text-note',
  good: 'bg-good-tint text-good',
  plain: 'bg-sheet-2 text-ink-2',
}

/** A state: a small mark and a word, never colour alone. */
export function Mark({ tone, icon: Icon, children }: { tone: Tone; icon: LucideIcon; children: ReactNode }) {
  return (
    <span
      className={clsx(
        'inline-flex items-center gap-1 whitespace-nowrap rounded-paper px-1.5 py-0.5 text-[13px] leading-5',
        tones[tone],
      )}
    >
      <Icon aria-hidden size={14} />
      {children}
    </span>
  )
}

const stateMarks: Record<string, [Tone, LucideIcon]> = {
  waiting: ['plain', Clock3],
  sending: ['note', Send],
  sent: ['good', Check],
  retrying: ['ask', Undo2],
  refused: ['stop', MailX],
  'in doubt': ['ask', CircleHelp],
  'set aside': ['plain', Pause],
  withdrawn: ['plain', CornerUpLeft],
  stop: ['stop', AlertOctagon],
  ask: ['ask', CircleHelp],
  note: ['note', Info],
  replied: ['good', CornerUpLeft],
  bounced: ['stop', MailX],
  'not begun': ['plain', CircleDashed],
}

/** The mark of a named state. */
export function StateMark({ state, children }: { state: string; children?: ReactNode }) {
  const [tone, icon] = stateMarks[state] ?? ['plain', CircleDashed]
  return (
    <Mark tone={tone} icon={icon}>
      {children ?? state}
    </Mark>
  )
}

/** A sheet of paper with a title. */
export function Paper({
  title,
  actions,
  children,
  className,
  scroll,
}: {
  title?: ReactNode
  actions?: ReactNode
  children: ReactNode
  className?: string
  /** For a sheet that scrolls and stays where it was. */
  scroll?: Ref<HTMLElement>
}) {
  return (
    <section ref={scroll} className={clsx('paper', className)}>
      {title !== undefined && (
        <header className="flex min-h-11 flex-wrap items-center justify-between gap-2 border-rule border-b px-4 py-1.5">
          <h2 className="text-[17px]">{title}</h2>
          {actions}
        </header>
      )}
      {children}
    </section>
  )
}

/** What an empty screen says: what belongs here, what a line of it will show, and the first step. */
export function Empty({
  title,
  children,
  action,
  shows,
}: {
  title: string
  children: ReactNode
  action?: ReactNode
  /** What each line will have, from left to right: drawn as the outline of one. */
  shows?: string[]
}) {
  return (
    <div className="px-6 py-10 text-center">
      <div className="mx-auto max-w-md">
        <h3 className="text-lg">{title}</h3>
        <p className="mt-2 text-ink-2">{children}</p>
        {action && <div className="mt-4 flex justify-center gap-2">{action}</div>}
      </div>
      {shows && (
        <ul
          aria-label={say.whatEachLineWill}
          className="mx-auto mt-6 flex max-w-4xl border border-ink-2/60 border-dashed text-left text-[14px] text-ink-2"
        >
          {shows.map((part) => (
            <li key={part} className="min-w-0 flex-1 border-rule border-r border-dashed px-3 py-2 last:border-0">
              {part}
            </li>
          ))}
        </ul>
      )}
    </div>
  )
}

/** A line that tells something about what one sees. */
export function Say({ tone = 'plain', children }: { tone?: Tone; children: ReactNode }) {
  return <div className={clsx('rounded-paper px-3 py-2', tones[tone], tone === 'plain' && 'text-ink')}>{children}</div>
}

/** Asks in words before something that cannot be taken back. */
export function Ask({
  open,
  onClose,
  title,
  children,
  act,
  keep = say.notNow,
}: {
  open: boolean
  onClose: () => void
  title: string
  children: ReactNode
  act: ReactNode
  /** What it is called to leave everything as it is. */
  keep?: string
}) {
  const focusBack = useFocusBack(open)
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          {...focusBack}
          aria-describedby={undefined}
          className="paper -translate-x-1/2 -translate-y-1/2 fixed top-1/2 left-1/2 z-50 max-h-[90dvh] w-[min(560px,94vw)] overflow-auto p-6 shadow-xl"
        >
          <Dialog.Title className="text-xl">{title}</Dialog.Title>
          <div className="mt-3 space-y-3">{children}</div>
          <div className="mt-5 flex flex-wrap justify-end gap-2">
            <Dialog.Close asChild>
              <Button>{keep}</Button>
            </Dialog.Close>
            {act}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

/** A label over what is filled in. */
export function Labelled({
  label,
  hint,
  fault,
  children,
  className,
}: {
  label: string
  hint?: ReactNode
  /** What is the matter with what stands there, and the id by which the control names it. */
  fault?: FaultAt
  children: ReactNode
  className?: string
}) {
  return (
    // The hint stands outside the label, so that the control's name stays short.
    <div className={className}>
      {/* biome-ignore lint/a11y/noLabelWithoutControl: the control is the child */}
      <label className="block">
        <span className="mb-0.5 block font-bold text-[13px]">{label}</span>
        {children}
      </label>
      {fault && <FaultLine fault={fault} />}
      {hint && <p className="mt-0.5 text-[13px] text-ink-2">{hint}</p>}
    </div>
  )
}

/** What is the matter with a field, in words, and the id of the line that says so. */
export interface FaultAt {
  id: string
  words: string
}

/** Says at a field what is the matter with it. */
export function FaultLine({ fault: { id, words } }: { fault: FaultAt }) {
  return (
    <p id={id} role="alert" className="mt-0.5 flex items-start gap-1 text-[13px] text-stop">
      <AlertOctagon aria-hidden size={14} className="mt-0.5 shrink-0" />
      {words}
    </p>
  )
}

/** A few ways of looking at something, of which one holds. */
export function Ways<Way extends string>({
  legend,
  ways,
  without,
  way,
  onChoose,
}: {
  legend: string
  /** What each is called, in their order. */
  ways: Record<Way, string>
  /** Those that there are not just now. */
  without?: readonly Way[]
  way: Way
  onChoose: (way: Way) => void
}) {
  return (
    <fieldset className="flex">
      <legend className="sr-only">{legend}</legend>
      {(Object.keys(ways) as Way[])
        .filter((one) => !without?.includes(one))
        .map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={way === one}
            onClick={() => onChoose(one)}
            className={clsx(
              'border border-rule px-2 py-1 first:rounded-l-paper last:rounded-r-paper',
              way === one ? 'bg-post-tint font-bold' : 'bg-sheet hover:bg-sheet-2',
            )}
          >
            {ways[one]}
          </button>
        ))}
    </fieldset>
  )
}

/** Says that something is on its way. */
export function Waiting({ children = say.oneMoment }: { children?: ReactNode }) {
  return (
    <div role="status" className="space-y-3 p-6 text-ink-2">
      <p>{children}</p>
      {/* Where lines will stand: nobody takes it for an empty page. */}
      <div aria-hidden="true" className="max-w-2xl space-y-3">
        {['w-full', 'w-11/12', 'w-2/3'].map((width) => (
          <div key={width} className={clsx('h-4 rounded-paper bg-rule/60', width)} />
        ))}
      </div>
    </div>
  )
}
