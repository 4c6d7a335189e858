import { type Mailbox, routes, type TestStep } from '@hand-post/contract'
import { Check, X } from 'lucide-react'
import { type ReactNode, useEffect, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { toast } from 'sonner'
import { stale, useChange } from '../api.ts'
import {
  Field,
  FormFault,
  figure,
  Unsaved,
  useField,
  useFormChange,
  useSchemaForm,
  useUnsaved,
} from '../shared/form.tsx'
import { Ask, Button, Mark, Say } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { mailboxForm, passwordWanted, usualImap, valuesOf } from './mailboxValues.ts'
import { words } from './words.ts'

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

function Figure({ name, label, hint }: { name: string; label: string; hint?: string }) {
  return (
    <Field name={name} options={figure} label={label} hint={hint}>
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
    toast('The mailbox is stored.')
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
            label="Address"
            hint="Letters come from this address."
            placeholder="office@brindlequay.example"
          />
          <Line
            name="senderName"
            label="Sender’s name"
            hint="Stands before the address."
            placeholder="Harbour Office"
          />
          {!builtIn && <Line name="user" label="User name" hint="For signing in; left empty, it is the address." />}
          {!builtIn && (
            <Field
              name="password"
              label="Password"
              hint={
                !mailbox
                  ? 'Kept encrypted on this machine, and never shown again.'
                  : form.formState.errors.password
                    ? undefined
                    : (passwordWanted(values, mailbox) ?? 'Left empty, the stored one stays.')
              }
            >
              {(control) => <input className="input w-full" type="password" autoComplete="new-password" {...control} />}
            </Field>
          )}
          <Line name="name" label="What you call it" hint="Left empty, it is the address." />
          <Field name="timeZone" label="Time zone" hint="Days and hours of the timetable are told in it.">
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
            label="Further addresses"
            hint="Of your own, that this mailbox may write from; several separated by semicolons"
            placeholder="harbour.master@brindlequay.example"
          />
          <Field
            name="signature"
            label="Signature"
            hint="Its lines stand where a letter keeps the place for a signature."
          >
            {(control) => (
              <textarea
                className="input w-full"
                rows={3}
                placeholder={'Harbour Office\nBrindle Quay Harbour Trust'}
                {...control}
              />
            )}
          </Field>
        </div>
        {builtIn ? (
          <p className="text-[14px] text-ink-2">{words.practice.hosts}</p>
        ) : (
          <HostFields title="Sending host (SMTP)" name="smtp" selfSigned={values.smtp.allowSelfSigned} />
        )}
        {builtIn ? null : values.imap ? (
          <HostFields title="Reading host (IMAP)" name="imap" selfSigned={values.imap.allowSelfSigned}>
            <Button kind="quiet" onClick={() => form.setValue('imap', null, { shouldDirty: true })}>
              There is none
            </Button>
          </HostFields>
        ) : (
          <Say tone="ask">
            Without a reading host, copies are not filed in Sent and answers are not read.{' '}
            <Button kind="quiet" onClick={() => form.setValue('imap', usualImap, { shouldDirty: true })}>
              Give one
            </Button>
          </Say>
        )}
        <fieldset>
          <legend className="mb-1 font-title font-semibold">Its limits</legend>
          <div className="grid gap-4 sm:grid-cols-3">
            <Figure name="perDay" label="Recipients in 24 hours" hint="Often 500; with a business account, 1,500." />
            <Figure name="perMinute" label="Messages a minute" hint="The most that ever leave." />
            <Figure name="largestMessage" label="Largest message, in MB" hint="With its files, as encoded." />
          </div>
          <Tick name="hostFilesSent">The host itself keeps what it sends in Sent, so Hand Post files no copy</Tick>
          {values.hostFilesSent && (
            <p className="mt-1 ml-6 max-w-2xl text-[13px] text-ink-2">
              Cc and Bcc get a message of their own, when the person’s was taken. Of a letter with copies such a host
              keeps two in Sent: the letter, and the one to its copies.
            </p>
          )}
          {values.imap && (
            <Tick name="selfMessage">
              Find that out with the test: send one message to {values.address.trim() || 'the mailbox'} itself, look for
              it in Sent, and take it away again
            </Tick>
          )}
        </fieldset>
        {steps && (
          <ol aria-label="The test, step by step" aria-live="polite" className="space-y-1">
            {steps.map((s) => (
              <li key={s.step} className="flex items-start gap-2">
                <Mark tone={s.ok ? 'good' : 'stop'} icon={s.ok ? Check : X}>
                  {s.ok ? 'works' : 'fails'}
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
            {test.isPending ? 'Trying…' : 'Test it'}
          </Button>
          <Button kind="primary" type="submit" disabled={add.isPending || change.isPending}>
            Store
          </Button>
          <Button onClick={leave}>Not now</Button>
          <Unsaved when={isDirty} />
          {mailbox && !builtIn && (
            <Button kind="quiet" className="ml-auto" onClick={() => setAsking(true)}>
              Remove this mailbox
            </Button>
          )}
        </div>
        {question}
        {mailbox && (
          <Ask
            open={asking}
            onClose={() => setAsking(false)}
            title={`Remove ${mailbox.name}?`}
            act={
              <Button kind="primary" onClick={() => remove.mutate({ params: { mailbox: mailbox.id } })}>
                Remove it
              </Button>
            }
          >
            <p>Its settings and its password go. Nothing in the mailbox itself is touched.</p>
          </Ask>
        )}
      </form>
    </FormProvider>
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
        <Line name={`${name}.host`} label="Host" placeholder="mail.brindlequay.example" />
        <Figure name={`${name}.port`} label="Port" />
        <Field name={`${name}.security`} label="Encryption">
          {(control) => (
            <select className="input w-full" {...control}>
              <option value="tls">TLS from the start</option>
              <option value="starttls">STARTTLS</option>
              <option value="none">none (this machine only)</option>
            </select>
          )}
        </Field>
      </div>
      <Tick name={`${name}.allowSelfSigned`}>
        Take a certificate that nobody known has signed
        {selfSigned && <b className="text-ask">: anybody between could pose as this host</b>}
      </Tick>
      {children}
    </fieldset>
  )
}
