import { type Mailbox, type MailboxSettings, routes, type TestStep } from '@hand-post/contract'
import { addressesIn, newPlaces } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Check, Plus, X } from 'lucide-react'
import { type FormEvent, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { moment } from '../shared/moment.ts'
import { Ask, Button, Empty, Labelled, Mark, Paper, Say, times, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'

type Host = MailboxSettings['smtp']

const newSettings: MailboxSettings = {
  name: '',
  address: '',
  senderName: '',
  aliases: [],
  signature: '',
  user: '',
  smtp: { host: '', port: 587, security: 'starttls', allowSelfSigned: false },
  imap: { host: '', port: 993, security: 'tls', allowSelfSigned: false },
  perDay: 500,
  perMinute: 10,
  largestMessage: 25_000_000,
  hostFilesSent: false,
  timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
}

/** Mailboxes: from where letters are sent, and where answers are read. */
export default function Mailboxes() {
  const mailboxes = useQuery(query.mailboxes())
  const [editing, setEditing] = useState<number | 'new' | null>(null)
  const close = () => setEditing(null)
  return (
    <div className="mx-auto max-w-4xl space-y-4 p-5">
      <header className="flex items-end justify-between">
        <div>
          <h1 className="text-2xl">Mailboxes</h1>
          <p className="text-ink-2">Letters leave from your own mailbox, and answers are read there.</p>
        </div>
        {editing !== 'new' && (
          <Button kind="primary" onClick={() => setEditing('new')}>
            <Plus aria-hidden size={16} /> Add a mailbox
          </Button>
        )}
      </header>
      {editing === 'new' && (
        <Paper title="A new mailbox">
          <MailboxForm start={newSettings} onDone={close} />
        </Paper>
      )}
      {mailboxes.error ? (
        <Empty title="The mailboxes cannot be shown">{faultWords(mailboxes.error)}</Empty>
      ) : !mailboxes.data ? (
        <Waiting />
      ) : (
        mailboxes.data.map((m) => (
          <Paper
            key={m.id}
            title={m.name}
            actions={
              editing !== m.id && (
                <Button onClick={() => setEditing(m.id)}>
                  {m.practice ? 'Look at its settings' : 'Change its settings'}
                </Button>
              )
            }
          >
            <Standing mailbox={m} />
            {editing === m.id && <MailboxForm start={m} mailbox={m} onDone={close} />}
          </Paper>
        ))
      )}
    </div>
  )
}

/** How a mailbox stands: its address, its allowance, and what is the matter with it. */
function Standing({ mailbox: m }: { mailbox: Mailbox }) {
  const fresh = () => stale(keys.mailboxes())
  const carryOn = useChange(routes.carryOnMailbox, fresh)
  return (
    <div className="space-y-2 px-4 py-3">
      <p>
        {m.senderName ? `${m.senderName} <${m.address}>` : m.address}
        {m.practice && (
          <>
            {' '}
            <Mark tone="note" icon={Check}>
              practice
            </Mark>
          </>
        )}
      </p>
      <p className="flex flex-wrap items-center gap-2 text-ink-2">
        <svg aria-hidden="true" viewBox="0 0 100 10" preserveAspectRatio="none" className="h-2.5 w-32">
          <rect width="100" height="10" className="fill-sheet-2 stroke-rule" />
          <rect width={(100 * m.allowance) / m.perDay} height="10" className="fill-post" />
        </svg>
        {m.allowance.toLocaleString('en-GB')} of {m.perDay.toLocaleString('en-GB')} recipients left in these 24 hours;
        at most {times(m.perMinute, 'message')} a minute.
      </p>
      {m.practice && (
        <p className="text-[13px] text-ink-2">
          A mail host on this machine with made-up people behind it. They open, answer, are away, or do not exist.
          Nothing you send by it reaches a real person.
        </p>
      )}
      {(m.stopped || m.pausedUntil !== null) && (
        <Say tone={m.stopped ? 'stop' : 'ask'}>
          {m.stopped ? 'Nothing leaves until this is put right: ' : `Nothing leaves until ${moment(m.pausedUntil)}: `}
          {m.pauseReason}
          <Button className="mt-2" onClick={() => carryOn.mutate({ params: { mailbox: m.id } })}>
            Try again now
          </Button>
        </Say>
      )}
      {m.notFiled && (
        <Say tone="ask">
          {times(m.notFiled.count, 'letter')} that {m.notFiled.count === 1 ? 'has' : 'have'} gone{' '}
          {m.notFiled.count === 1 ? 'is' : 'are'} not in Sent: {m.notFiled.fault} It is tried again by itself
          {m.notFiled.next !== null && `, next ${moment(m.notFiled.next)}`}.
        </Say>
      )}
      {m.foundFiling !== null && m.hostFilesSent && (
        <p className="text-[13px] text-ink-2">
          On {moment(m.foundFiling)} a letter was in Sent before Hand Post had filed it: this host files what it sends,
          so Hand Post files nothing there.
        </p>
      )}
      {m.readingFault && <Say tone="ask">{m.readingFault}</Say>}
      {m.unreadMail.count > 0 && <UnreadMail mailbox={m} />}
    </div>
  )
}

/** Mail that could not be read, so that nobody waits in vain for what may have been an answer. */
function UnreadMail({ mailbox: { id, unreadMail } }: { mailbox: Mailbox }) {
  const seen = useChange(routes.seenUnreadMail, () => stale(keys.mailboxes()))
  const { count, newest } = unreadMail
  return (
    <Say tone="ask">
      {count === 1 ? 'One message' : times(count, 'message')} in the inbox could not be read, and may have been an
      answer. Look at {count === 1 ? 'it' : 'them'} in your mail program.
      <ul className="mt-1 space-y-1">
        {newest.map((mail) => (
          <li key={mail.id}>
            {moment(mail.at)}, from {mail.sender || 'nobody that it names'}
            {mail.subject && `, “${mail.subject}”`}
            <span className="block text-[13px]">Why: {mail.why}</span>
          </li>
        ))}
      </ul>
      {count > newest.length && <p>And {times(count - newest.length, 'earlier one')}.</p>}
      <Button className="mt-2" disabled={seen.isPending} onClick={() => seen.mutate({ params: { mailbox: id } })}>
        I have seen {count === 1 ? 'it' : 'them'}
      </Button>
    </Say>
  )
}

function MailboxForm({ start, mailbox, onDone }: { start: MailboxSettings; mailbox?: Mailbox; onDone: () => void }) {
  const [settings, setSettings] = useState<MailboxSettings>(() => {
    const { name, address, senderName, aliases, signature, user, smtp, imap } = start
    const { perDay, perMinute, largestMessage, hostFilesSent, timeZone } = start
    const who = { name, address, senderName, aliases, signature, user }
    return { ...who, smtp, imap, perDay, perMinute, largestMessage, hostFilesSent, timeZone }
  })
  const [aliases, setAliases] = useState(start.aliases.join('; '))
  const [password, setPassword] = useState('')
  const [steps, setSteps] = useState<TestStep[] | null>(null)
  const [asking, setAsking] = useState(false)
  const whole = (): MailboxSettings => ({
    ...settings,
    name: settings.name.trim() || settings.address.trim(),
    aliases: addressesIn(aliases),
    user: settings.user.trim() || settings.address.trim(),
    ...(password ? { password } : {}),
  })
  const elsewhere = mailbox ? newPlaces(mailbox, whole()) : []
  const put = (parts: Partial<MailboxSettings>) => {
    setSettings({ ...settings, ...parts })
    setSteps(null)
  }
  const stored = () => {
    toast('The mailbox is stored.')
    void stale(keys.mailboxes())
    onDone()
  }
  const [selfMessage, setSelfMessage] = useState(false)
  const test = useChange(routes.testMailbox, ({ steps, hostFilesSent }) => {
    if (hostFilesSent !== null) setSettings((before) => ({ ...before, hostFilesSent }))
    setSteps(steps)
  })
  const add = useChange(routes.addMailbox, stored)
  const change = useChange(routes.changeMailbox, stored)
  const remove = useChange(routes.removeMailbox, () => {
    void stale(keys.mailboxes())
    onDone()
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (mailbox) change.mutate({ params: { mailbox: mailbox.id }, body: whole() })
    else add.mutate({ body: whole() })
  }
  const text = (label: string, name: 'name' | 'address' | 'senderName' | 'user', hint: string, placeholder = '') => (
    <Labelled label={label} hint={hint}>
      <input
        className="input w-full"
        value={settings[name]}
        placeholder={placeholder}
        onChange={(e) => put({ [name]: e.target.value })}
      />
    </Labelled>
  )
  const figure = (label: string, name: 'perDay' | 'perMinute', hint: string) => (
    <Labelled label={label} hint={hint}>
      <input
        className="input w-full"
        type="number"
        min={name === 'perDay' ? 1 : 0.1}
        step="any"
        required
        value={settings[name]}
        onChange={(e) => put({ [name]: Number(e.target.value) })}
      />
    </Labelled>
  )
  return (
    <form onSubmit={submit} className="space-y-5 border-rule border-t px-4 py-4">
      <div className="grid gap-4 sm:grid-cols-2">
        {text('Address', 'address', 'Letters come from this address.', 'office@brindlequay.example')}
        {text('Sender’s name', 'senderName', 'Stands before the address.', 'Harbour Office')}
        {text('User name', 'user', 'For signing in; left empty, it is the address.')}
        <Labelled
          label="Password"
          hint={
            !mailbox
              ? 'Kept encrypted on this machine, and never shown again.'
              : elsewhere.length === 0
                ? 'Left empty, the stored one stays.'
                : `Type it again: the stored one goes only where it was given for, and ${elsewhere.join(', ')} ${elsewhere.length === 1 ? 'is' : 'are'} another now.`
          }
        >
          <input
            className="input w-full"
            type="password"
            autoComplete="new-password"
            required={!mailbox || elsewhere.length > 0}
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </Labelled>
        {text('What you call it', 'name', 'Left empty, it is the address.')}
        <Labelled label="Time zone" hint="Days and hours of the timetable are told in it.">
          <input
            className="input w-full"
            list="zones"
            value={settings.timeZone}
            onChange={(e) => put({ timeZone: e.target.value })}
          />
          <datalist id="zones">
            {Intl.supportedValuesOf('timeZone').map((z) => (
              <option key={z} value={z} />
            ))}
          </datalist>
        </Labelled>
        <Labelled label="Further addresses" hint="Of your own, that this mailbox may write from; several parted by ;">
          <input
            className="input w-full"
            value={aliases}
            placeholder="harbour.master@brindlequay.example"
            onChange={(e) => setAliases(e.target.value)}
          />
        </Labelled>
        <Labelled label="Signature" hint="Its lines stand where a letter keeps the place for a signature.">
          <textarea
            className="input w-full"
            rows={3}
            value={settings.signature}
            placeholder={'Harbour Office\nBrindle Quay Harbour Trust'}
            onChange={(e) => put({ signature: e.target.value })}
          />
        </Labelled>
      </div>
      <HostFields title="Sending host (SMTP)" host={settings.smtp} put={(smtp) => put({ smtp })} />
      {settings.imap ? (
        <HostFields title="Reading host (IMAP)" host={settings.imap} put={(imap) => put({ imap })}>
          <Button kind="quiet" onClick={() => put({ imap: null })}>
            There is none
          </Button>
        </HostFields>
      ) : (
        <Say tone="ask">
          Without a reading host, copies are not filed in Sent and answers are not read.{' '}
          <Button kind="quiet" onClick={() => put({ imap: newSettings.imap })}>
            Give one
          </Button>
        </Say>
      )}
      <fieldset>
        <legend className="mb-1 font-title font-semibold">Its limits</legend>
        <div className="grid gap-4 sm:grid-cols-3">
          {figure('Recipients in 24 hours', 'perDay', 'Often 500; with a business account, 1,500.')}
          {figure('Messages a minute', 'perMinute', 'The most that ever leave.')}
          <Labelled label="Largest message, in MB" hint="With its files, as encoded.">
            <input
              className="input w-full"
              type="number"
              min={0.01}
              step="any"
              required
              value={settings.largestMessage / 1_000_000}
              onChange={(e) => put({ largestMessage: Math.round(Number(e.target.value) * 1_000_000) })}
            />
          </Labelled>
        </div>
        <label className="mt-3 flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-post"
            checked={settings.hostFilesSent}
            onChange={(e) => put({ hostFilesSent: e.target.checked })}
          />
          The host itself keeps what it sends in Sent, so Hand Post files no copy
        </label>
        {settings.hostFilesSent && (
          <p className="mt-1 ml-6 max-w-2xl text-[13px] text-ink-2">
            Cc and Bcc get a message of their own, when the person’s was taken. Of a letter with copies such a host
            keeps two in Sent: the letter, and the one to its copies.
          </p>
        )}
        {settings.imap && (
          <label className="mt-2 flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-post"
              checked={selfMessage}
              onChange={(e) => setSelfMessage(e.target.checked)}
            />
            Find that out with the test: send one message to {settings.address.trim() || 'the mailbox'} itself, look for
            it in Sent, and take it away again
          </label>
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
      <div className="flex flex-wrap gap-2">
        <Button
          onClick={() => test.mutate({ body: { ...whole(), selfMessage, ...(mailbox ? { id: mailbox.id } : {}) } })}
          disabled={test.isPending}
        >
          {test.isPending ? 'Trying…' : 'Test it'}
        </Button>
        <Button kind="primary" type="submit" disabled={add.isPending || change.isPending}>
          Store
        </Button>
        <Button onClick={onDone}>Not now</Button>
        {mailbox && !mailbox.practice && (
          <Button kind="quiet" className="ml-auto" onClick={() => setAsking(true)}>
            Remove this mailbox
          </Button>
        )}
      </div>
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
  )
}

function HostFields({
  title,
  host,
  put,
  children,
}: {
  title: string
  host: Host
  put: (host: Host) => void
  children?: React.ReactNode
}) {
  return (
    <fieldset>
      <legend className="mb-1 font-title font-semibold">{title}</legend>
      <div className="grid gap-4 sm:grid-cols-[1fr_7rem_14rem]">
        <Labelled label="Host">
          <input
            className="input w-full"
            value={host.host}
            placeholder="mail.brindlequay.example"
            onChange={(e) => put({ ...host, host: e.target.value })}
          />
        </Labelled>
        <Labelled label="Port">
          <input
            className="input w-full"
            type="number"
            min={1}
            max={65535}
            value={host.port}
            onChange={(e) => put({ ...host, port: Number(e.target.value) })}
          />
        </Labelled>
        <Labelled label="Encryption">
          <select
            className="input w-full"
            value={host.security}
            onChange={(e) => put({ ...host, security: e.target.value as Host['security'] })}
          >
            <option value="tls">TLS from the start</option>
            <option value="starttls">STARTTLS</option>
            <option value="none">none (this machine only)</option>
          </select>
        </Labelled>
      </div>
      <label className="mt-2 flex items-center gap-2 text-[14px]">
        <input
          type="checkbox"
          className="size-4 accent-post"
          checked={host.allowSelfSigned}
          onChange={(e) => put({ ...host, allowSelfSigned: e.target.checked })}
        />
        Take a certificate that nobody known has signed
        {host.allowSelfSigned && <b className="text-ask">: anybody between could pose as this host</b>}
      </label>
      {children}
    </fieldset>
  )
}
