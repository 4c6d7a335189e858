import { type CallInput, ProblemError, type Route } from '@hand-post/contract'
import { zodResolver } from '@hookform/resolvers/zod'
import { useMutation } from '@tanstack/react-query'
import { type ReactNode, useEffect, useId, useState } from 'react'
import {
  type DefaultValues,
  type FieldErrors,
  type FieldPath,
  type FieldValues,
  get,
  type RegisterOptions,
  type UseFormReturn,
  useForm,
  useFormContext,
  useFormState,
} from 'react-hook-form'
import { useBlocker } from 'react-router'
import type { z } from 'zod'
import { ask, faultWords } from '../api.ts'
import { Ask, Button, type FaultAt, FaultLine, Labelled, Say } from './parts.tsx'
import { form as say } from './words.ts'

/**
 * A form whose fields are checked by a schema: a field when it is left, all of them when it is sent. What is wrong is said at the
 * field, in the schema's words, and what was typed stays.
 * @param checked when a field is looked at first: `whenSent` where one goes past a field that one may well leave empty.
 */
export function useSchemaForm<Values extends FieldValues, Out>(
  schema: z.ZodType<Out, Values>,
  defaultValues: DefaultValues<Values>,
  checked: 'whenLeft' | 'whenSent' = 'whenLeft',
): UseFormReturn<Values, unknown, Out> {
  const mode = checked === 'whenLeft' ? 'onTouched' : 'onSubmit'
  return useForm<Values, unknown, Out>({ resolver: zodResolver(schema), defaultValues, mode })
}

const ownWords = (error: unknown): string | undefined =>
  typeof error === 'object' && error !== null && 'message' in error && typeof error.message === 'string'
    ? error.message
    : undefined

/** The first words found in an error or in what it lists. */
function wordsIn(error: unknown): string | undefined {
  const own = ownWords(error)
  if (own !== undefined) return own
  for (const within of Array.isArray(error) ? error : []) {
    const words = wordsIn(within)
    if (words) return words
  }
  return undefined
}

/** What is wrong with a field: said of itself, of one of the things in it, or of the choice that it is part of. */
function faultOf(errors: FieldErrors, name: string): string | undefined {
  const own = wordsIn(get(errors, name))
  if (own !== undefined) return own
  const parts = name.split('.')
  for (let n = parts.length - 1; n > 0; n--) {
    const above = ownWords(get(errors, parts.slice(0, n).join('.')))
    if (above !== undefined) return above
  }
  return undefined
}

/** A field of the form around it: what its control needs, and what is the matter with it. */
export function useField(name: string, options?: RegisterOptions): { control: FieldControl; fault?: FaultAt } {
  const { register } = useFormContext()
  const { errors } = useFormState({ name })
  const id = useId()
  const words = faultOf(errors, name)
  return {
    control: {
      ...register(name, options),
      'aria-invalid': words !== undefined,
      'aria-describedby': words === undefined ? undefined : id,
    },
    fault: words === undefined ? undefined : { id, words },
  }
}
export type FieldControl = ReturnType<ReturnType<typeof useFormContext>['register']> & {
  'aria-invalid': boolean
  'aria-describedby': string | undefined
}

/** A field with its label over it, its fault and its hint under it. */
export function Field({
  name,
  options,
  label,
  hint,
  className,
  children,
}: {
  name: string
  options?: RegisterOptions
  label: string
  hint?: ReactNode
  className?: string
  children: (control: FieldControl) => ReactNode
}) {
  const { control, fault } = useField(name, options)
  return (
    <Labelled label={label} hint={hint} fault={fault} className={className}>
      {children(control)}
    </Labelled>
  )
}

/** One line to be filled in, with what is done with it beside it, and what is wrong under both. */
export function OneLine({
  name,
  label,
  act,
  busy,
  placeholder = label,
  focused = false,
  primary = false,
}: {
  name: string
  label: string
  /** What the button says. */
  act: ReactNode
  busy: boolean
  placeholder?: string
  /** Takes the focus when it is shown. */
  focused?: boolean
  /** It is what is mostly done here. */
  primary?: boolean
}) {
  const { control, fault } = useField(name)
  return (
    <div>
      <div className="flex flex-wrap items-center gap-1">
        {/* Where an example stands in the field, its name stands before it. */}
        {placeholder !== label && <span aria-hidden>{label}</span>}
        <input
          aria-label={label}
          className="input min-w-24 flex-1"
          placeholder={placeholder}
          // biome-ignore lint/a11y/noAutofocus: where it is so, it was asked for
          autoFocus={focused}
          {...control}
        />
        <Button kind={primary ? 'primary' : 'plain'} type="submit" disabled={busy}>
          {act}
        </Button>
      </div>
      {fault && <FaultLine fault={fault} />}
    </div>
  )
}

/** A figure: what is no number is said, and not taken for 0. */
export const figure: RegisterOptions = { valueAsNumber: true }

/** A figure that may be left out: empty is none, and no 0. */
export const optionalFigure: RegisterOptions = {
  setValueAs: (value: unknown) => (value === '' || value === null || value === undefined ? null : Number(value)),
}

/** Puts what the desk said at the fields that it spoke of; the rest stands at the form's foot. */
function showFaults<Values extends FieldValues, Out>(form: UseFormReturn<Values, unknown, Out>, error: unknown): void {
  const faults = error instanceof ProblemError ? (error.problem.faults ?? []) : []
  const known = faults.filter(({ at }) => get(form.getValues(), at) !== undefined)
  for (const { at, fault } of known) form.setError(at as FieldPath<Values>, { message: fault })
  if (known.length === 0 || known.length < faults.length) form.setError('root.desk', { message: faultWords(error) })
}

/** A change by a route, asked for by a form: the desk's faults are shown in it, and nothing that was typed is lost. */
export function useFormChange<R extends Route, Values extends FieldValues, Out>(
  form: UseFormReturn<Values, unknown, Out>,
  route: R,
  then?: (answer: z.output<R['answer']>) => unknown,
) {
  return useMutation({
    mutationFn: (input: CallInput<R>) => ask(route, input),
    onSuccess: then,
    onError: (error) => showFaults(form, error),
  })
}

/** What the desk said of the whole form. */
export function FormFault() {
  const { errors } = useFormState()
  const words = wordsIn(errors.root?.desk)
  return (
    words !== undefined && (
      <div role="alert">
        <Say tone="stop">{words}</Say>
      </div>
    )
  )
}

/**
 * Keeps what was typed and is not stored from being left by mistake: whoever goes elsewhere is asked, also by the browser.
 * @returns `leave`, by which the form is left, and the question to be drawn in it.
 */
export function useUnsaved(unsaved: boolean, onLeave: () => void): { leave: () => void; question: ReactNode } {
  const [asking, setAsking] = useState(false)
  const blocker = useBlocker(unsaved)
  useEffect(() => {
    if (!unsaved) return
    const hold = (event: BeforeUnloadEvent) => event.preventDefault()
    addEventListener('beforeunload', hold)
    return () => removeEventListener('beforeunload', hold)
  }, [unsaved])
  const going = blocker.state === 'blocked'
  const question = (
    <Ask
      open={asking || going}
      onClose={() => {
        setAsking(false)
        if (going) blocker.reset()
      }}
      title={say.leaveWhatNotStored}
      keep={say.stayHere}
      act={
        <Button
          kind="primary"
          onClick={() => {
            if (going) blocker.proceed()
            else onLeave()
          }}
        >
          {say.leave}
        </Button>
      }
    >
      <p>{say.whatYouChangedHere}</p>
    </Ask>
  )
  return { leave: () => (unsaved ? setAsking(true) : onLeave()), question }
}

/** Says beside a form's buttons that there is something to store. */
export function Unsaved({ when }: { when: boolean }) {
  return (
    <span role="status" className="self-center text-[13px] text-ask">
      {when && say.changedNotStoredYet}
    </span>
  )
}
