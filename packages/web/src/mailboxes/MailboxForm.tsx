import { type Mailbox, routes, type TestStep } from '@hand-post/contract'
import { Check, X } from 'lucide-react'
import { type ReactNode, useEffect, useState } from 'react'
import { FormProvider, useFormContext } from 'react-hook-form'
import { toast } from 'sonner'
import { stale, useChange } from '../api.ts'
import {
  Field,
  FormFault,
  figure,
  optionalFigure,
  Unsaved,
  useField,
  useFormChange,
  useSchemaForm,
  useUnsaved,
} from '../shared/form.tsx'
import { useMe } from '../shared/me.ts'
import { Ask, Button, Labelled, Mark, Say } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { DaysOff } from './DaysOff.tsx'
import { FolderFields } from './FolderFields.tsx'
import { type MailboxValues, mailboxForm, passwordWanted, usualImap, valuesOf } from './mailboxValues.ts'
import { LookUpHosts, SignInFields } from './SignInFields.tsx'
import { WeekFields } from './WeekFields.tsx'
import { limits, practice, mailboxForm as say } from './words.ts'

/** A line of the settings that is typed. */
function Line({
  name,
  label,
  hint,
  placeholder,
}: {
  name: string
  label: string
  hint?: string
  placeholder?: string
}) {
  return (
    <Field name={name} label={label} hint={hint}>
      {(control) => <input className="input w-full" placeholder={placeholder} {...control} />}
    </Field>
  )
}

function Figure({
  name,
  label,
  hint,
  optional = false,
}: {
  name: string
  label: string
  hint?: string
  /** Empty is none. */
  optional?: boolean
}) {
  return (
    <Field name={name} options={optional ? optionalFigure : figure} label={label} hint={hint}>
      {(control) => <input className="input w-full" type="number" step="any" {...control} />}
    </Field>
  )
}

/** Fills in a mailbox's settings, tries them, and stores them. */
export function MailboxForm({ mailbox, onDone }: { mailbox?: Mailbox; onDone: () => void }) {
  const form = useSchemaForm(mailboxForm(mailbox), valuesOf(mailbox))
  const { isDirty } = form.formState
  const values = form.watch()
  const [steps, setSteps] = useState<TestStep[] | null>(null)
  // What was found out is so of the settings that were tried.
  useEffect(
    () =>
      form.subscribe({
        formState: { values: true },
        callback: ({ type }) => {
          if (!type) return
          setSteps(null)
          // Whether the password is wanted depends on where it would go.
          if (form.getFieldState('password').error) void form.trigger('password')
        },
      }),
    [form],
  )
  const [asking, setAsking] = useState(false)
  const builtIn = mailbox?.builtIn ?? false
  const test = useFormChange(form, routes.testMailbox, ({ steps, hostFilesSent }) => {
    if (hostFilesSent !== null) form.setValue('hostFilesSent', hostFilesSent, { shouldDirty: true })
    setSteps(steps)
  })
  const stored = () => {
    toast(say.mailboxStored)
    void stale(keys.mailboxes())
    onDone()
  }
  const add = useFormChange(form, routes.addMailbox, stored)
  const change = useFormChange(form, routes.changeMailbox, stored)
  const remove = useChange(routes.removeMailbox, () => {
    void stale(keys.mailboxes())
    onDone()
  })
  const { leave, question } = useUnsaved(isDirty && !add.isSuccess && !change.isSuccess, onDone)
  const submit = form.handleSubmit((settings) =>
    mailbox ? change.mutate({ params: { mailbox: mailbox.id }, body: settings }) : add.mutate({ body: settings }),
  )
  const tryOut = form.handleSubmit((settings) =>
    test.mutate({
      body: { ...settings, selfMessage: form.getValues('selfMessage'), ...(mailbox ? { id: mailbox.id } : {}) },
    }),
  )
  return (
    <FormProvider {...form}>
      <form noValidate onSubmit={submit} className="space-y-5 border-rule border-t px-4 py-4">
        <div className="grid gap-4 sm:grid-cols-2">
          <Line
            name="address"
            label={say.address}
            hint={say.lettersComeFromAddress}
            placeholder={say.officeBrindlequayExample}
          />
          <Line
            name="senderName"
            label={say.senderSName}
            hint={say.standsBeforeAddress}
            placeholder={say.harbourOffice}
          />
          {!builtIn && <Line name="user" label={say.userName} hint={say.signingLeftEmptyAddress} />}
          <Line name="name" label={say.whatYouCall} hint={say.leftEmptyAddress} />
          <Field name="timeZone" label={say.timeZone} hint={say.daysHoursTimetableTold}>
            {(control) => (
              <>
                <input className="input w-full" list="zones" {...control} />
                <datalist id="zones">
                  {Intl.supportedValuesOf('timeZone').map((z) => (
                    <option key={z} value={z} />
                  ))}
                </datalist>
              </>
            )}
          </Field>
          <Line
            name="aliases"
            label={say.furtherAddresses}
            hint={say.yourOwnMailboxMay}
            placeholder={say.harbourMasterBrindlequayExample}
          />
          <Field name="signature" label={say.signature} hint={say.linesStandWhereLetter}>
            {(control) => (
              <textarea className="input w-full" rows={3} placeholder={say.harbourOfficeBrindleQuay} {...control} />
            )}
          </Field>
        </div>
        {!builtIn && (
          <SignInFields
            mailbox={mailbox}
            password={
              <Field
                name="password"
                label={say.password}
                hint={
                  !mailbox
                    ? say.keptEncryptedMachineNever
                    : form.formState.errors.password
                      ? undefined
                      : (passwordWanted(values, mailbox) ?? say.leftEmptyStoredOne)
                }
              >
                {(control) => (
                  <input className="input w-full" type="password" autoComplete="new-password" {...control} />
                )}
              </Field>
            }
          />
        )}
        {!builtIn && <LookUpHosts />}
        {builtIn ? (
          <p className="text-[14px] text-ink-2">{practice.hosts}</p>
        ) : (
          <HostFields title={say.sendingHostSmtp} name="smtp" selfSigned={values.smtp.allowSelfSigned} />
        )}
        {builtIn ? null : values.imap ? (
          <HostFields title={say.readingHostImap} name="imap" selfSigned={values.imap.allowSelfSigned}>
            <Button kind="quiet" onClick={() => form.setValue('imap', null, { shouldDirty: true })}>
              {say.thereNone}
            </Button>
          </HostFields>
        ) : (
          <Say tone="ask">
            {say.withoutReadingHostCopies}{' '}
            <Button kind="quiet" onClick={() => form.setValue('imap', usualImap, { shouldDirty: true })}>
              {say.giveOne}
            </Button>
          </Say>
        )}
        <fieldset>
          <legend className="mb-1 font-title font-semibold">{limits.hours}</legend>
          <p className="mb-2 text-[13px] text-ink-2">{limits.hoursHint}</p>
          <WeekFields name="hours.week" />
          <h3 className="mt-3 mb-1 font-title font-semibold">{limits.daysOff}</h3>
          <DaysOff />
        </fieldset>
        <fieldset>
          <legend className="mb-1 font-title font-semibold">{say.limits}</legend>
          <LimitFields />
          <Tick name="hostFilesSent">{say.hostItselfKeepsWhat}</Tick>
          {values.hostFilesSent && <p className="mt-1 ml-6 max-w-2xl text-[13px] text-ink-2">{say.ccBccGetMessage}</p>}
          {values.imap && <Tick name="selfMessage">{say.findOutTestSend(values.address.trim())}</Tick>}
        </fieldset>
        {values.imap && (
          <fieldset>
            <legend className="mb-1 font-title font-semibold">{say.answers}</legend>
            <p className="text-[13px] text-ink-2">{say.answersHint}</p>
            {mailbox ? <FolderFields mailboxId={mailbox.id} /> : <p className="mt-2 text-[14px]">{say.foldersLater}</p>}
            <Tick name="junk">{say.junk}</Tick>
          </fieldset>
        )}
        <fieldset>
          <legend className="mb-1 font-title font-semibold">{say.tell}</legend>
          <p className="text-[13px] text-ink-2">{say.tellHint}</p>
          <Tick name="tell.done">{say.tellDone}</Tick>
          <Tick name="tell.held">{say.tellHeld}</Tick>
          <Tick name="tell.doubt">{say.tellDoubt}</Tick>
        </fieldset>
        {steps && (
          <ol aria-label={say.testStepStep} aria-live="polite" className="space-y-1">
            {steps.map((s) => (
              <li key={s.step} className="flex items-start gap-2">
                <Mark tone={s.ok ? 'good' : 'stop'} icon={s.ok ? Check : X}>
                  {s.ok ? say.works : say.fails}
                </Mark>
                <span>
                  <b>{s.step}.</b> {s.words}
                </span>
              </li>
            ))}
          </ol>
        )}
        <FormFault />
        <div className="flex flex-wrap gap-2">
          <Button onClick={tryOut} disabled={test.isPending}>
            {test.isPending ? say.trying : say.test}
          </Button>
          <Button kind="primary" type="submit" disabled={add.isPending || change.isPending}>
            {say.store}
          </Button>
          <Button onClick={leave}>{say.notNow}</Button>
          <Unsaved when={isDirty} />
          {mailbox && !builtIn && (
            <Button kind="quiet" className="ml-auto" onClick={() => setAsking(true)}>
              {say.removeMailbox}
            </Button>
          )}
        </div>
        {question}
        {mailbox && (
          <Ask
            open={asking}
            onClose={() => setAsking(false)}
            title={say.remove2(mailbox.name)}
            act={
              <Button kind="primary" onClick={() => remove.mutate({ params: { mailbox: mailbox.id } })}>
                {say.remove}
              </Button>
            }
          >
            <p>{say.settingsPasswordGoNothing}</p>
          </Ask>
        )}
      </form>
    </FormProvider>
  )
}

/** What the host lets the mailbox send, and how gently it begins. */
function LimitFields() {
  const signsIn = useMe()?.account != null
  const { watch, setValue } = useFormContext<MailboxValues>()
  const [dayZone, timeZone, wanted] = watch(['dayZone', 'timeZone', 'gentleStart.wanted'])
  const put = <Name extends 'perDay' | 'dayZone' | 'perMessage'>(name: Name, value: MailboxValues[Name]) =>
    setValue<'perDay' | 'dayZone' | 'perMessage'>(name, value, {
      shouldDirty: true,
      shouldTouch: true,
      shouldValidate: true,
    })
  return (
    <div className="space-y-3">
      <div className="flex flex-wrap items-center gap-2 text-[13px]">
        {limits.usual}:<Button onClick={() => put('perDay', 500)}>{limits.personal}</Button>
        <Button onClick={() => put('perDay', 1500)}>{limits.organisation}</Button>
        <span className="text-ink-2">{limits.usualHint}</span>
      </div>
      <div className="grid gap-4 sm:grid-cols-3">
        <Figure name="perDay" label={limits.perDay} hint={limits.perDayHint} />
        <Labelled label={limits.countedBy}>
          <select
            className="input w-full"
            value={dayZone === null ? 'rolling' : 'calendar'}
            onChange={(e) => put('dayZone', e.target.value === 'rolling' ? null : timeZone)}
          >
            <option value="rolling">{limits.rolling}</option>
            <option value="calendar">{limits.calendar}</option>
          </select>
        </Labelled>
        {dayZone !== null ? (
          <Field name="dayZone" label={limits.dayZone} hint={limits.dayZoneHint}>
            {(control) => <input className="input w-full" list="zones" {...control} />}
          </Field>
        ) : (
          <span />
        )}
        <Figure name="perHour" label={limits.perHour} hint={limits.noneOfIts} optional />
        <Figure name="recipientsPerMinute" label={limits.recipientsPerMinute} hint={limits.noneOfIts} optional />
        <Figure name="perMinute" label={say.messagesMinute} hint={say.mostEverLeave} />
        <Figure name="perMessage" label={limits.perMessage} hint={limits.noneOfIts} optional />
        <Figure name="largestMessage" label={say.largestMessageMb} hint={say.filesAsEncoded} />
      </div>
      {signsIn && (
        <div>
          <Tick name="secondEyes">{limits.secondEyes}</Tick>
          <p className="ml-6 max-w-2xl text-[13px] text-ink-2">{limits.secondEyesWhy}</p>
        </div>
      )}
      <div>
        <Tick name="gentleStart.wanted">{limits.gentle}</Tick>
        <p className="ml-6 max-w-2xl text-[13px] text-ink-2">{limits.gentleWhy}</p>
        {wanted && (
          <div className="mt-2 ml-6 max-w-md">
            <Line name="gentleStart.days" label={limits.gentleDays} />
          </div>
        )}
      </div>
    </div>
  )
}

function Tick({ name, children }: { name: string; children: ReactNode }) {
  const { control } = useField(name)
  return (
    <label className="mt-2 flex items-center gap-2">
      <input type="checkbox" className="size-4 accent-post" {...control} />
      {children}
    </label>
  )
}

function HostFields({
  title,
  name,
  selfSigned,
  children,
}: {
  title: string
  name: 'smtp' | 'imap'
  selfSigned: boolean
  children?: ReactNode
}) {
  return (
    <fieldset>
      <legend className="mb-1 font-title font-semibold">{title}</legend>
      <div className="grid gap-4 sm:grid-cols-[1fr_7rem_14rem]">
        <Line name={`${name}.host`} label={say.host} placeholder={say.mailBrindlequayExample} />
        <Figure name={`${name}.port`} label={say.port} />
        <Field name={`${name}.security`} label={say.encryption}>
          {(control) => (
            <select className="input w-full" {...control}>
              <option value="tls">{say.tlsFromStart}</option>
              <option value="starttls">{say.starttls}</option>
              <option value="none">{say.noneMachineOnly}</option>
            </select>
          )}
        </Field>
      </div>
      <Tick name={`${name}.allowSelfSigned`}>
        {say.takeCertificateNobodyKnown}
        {selfSigned && <b className="text-ask">{say.anybodyBetweenCouldPose}</b>}
      </Tick>
      {children}
    </fieldset>
  )
}
