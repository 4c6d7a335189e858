import { type Mailbox, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Check, CircleAlert, ExternalLink, Hourglass } from 'lucide-react'
import { type ReactNode, useEffect, useId, useRef, useState } from 'react'
import { useFormContext } from 'react-hook-form'
import { toast } from 'sonner'
import { ask, faultWords, stale, useChange } from '../api.ts'
import { Field } from '../shared/form.tsx'
import { Button, FaultLine, Mark, Say, Ways } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import type { MailboxValues } from './mailboxValues.ts'
import { signInFields as say } from './words.ts'

const hostOf = (address: string) => (URL.canParse(address) ? new URL(address).host : address)

/** Opens the page of a sign-in service beside the desk. Where the browser does not let us, its link stands there. */
const openPage = (url: string) => window.open(url, '_blank', 'noopener')

/** How far a signing in is: asked again and again until it is done. */
function useSignIn(flow: string) {
  return useQuery({
    ...query.signIn(flow),
    enabled: flow !== '',
    refetchInterval: ({ state }) => (state.data?.state === 'waits' ? 1000 : false),
  })
}

/** Waits for the page of the service, and says how far it is. */
function SignInState({ flow, url, done }: { flow: string; url: string; done: ReactNode }) {
  const { data, error } = useSignIn(flow)
  if (error) return <Say tone="stop">{faultWords(error)}</Say>
  if (data?.state === 'failed')
    return (
      <Mark tone="stop" icon={CircleAlert}>
        {data.words}
      </Mark>
    )
  if (data?.state === 'done') return done
  return (
    <span role="status" className="flex items-center gap-2 text-[14px]">
      <Hourglass aria-hidden size={15} className="shrink-0" />
      {say.waits}
      <a className="text-post underline" href={url} target="_blank" rel="noreferrer">
        {say.openPage}
      </a>
    </span>
  )
}

/** By what a mailbox is opened: a password, or a sign-in service that allows it. */
export function SignInFields({ mailbox, password }: { mailbox?: Mailbox; password: ReactNode }) {
  const { watch, setValue, getValues, formState } = useFormContext<MailboxValues>()
  const [way, flow, oauth, typed] = watch(['way', 'flow', 'oauth', 'service.typed'])
  const [url, setUrl] = useState('')
  const begin = useChange(routes.beginSignIn, (begun) => {
    setValue('flow', begun.flow, { shouldDirty: true })
    setValue('oauth', begun.oauth, { shouldDirty: true, shouldValidate: true })
    setUrl(begun.url)
    openPage(begun.url)
  })
  // It is no field of its own: registered as one it would count as changed.
  const words = formState.errors.oauth?.message
  const faultId = useId()
  const start = () => {
    const { service, user, address } = getValues()
    const { issuer, authorization, token, clientId, clientSecret, scope } = service
    const where = service.typed ? { authorization, token } : { issuer }
    begin.mutate({ body: { ...where, clientId, clientSecret, scope, user: user.trim() || address.trim() } })
  }
  return (
    <fieldset className="space-y-3">
      <legend className="mb-1 font-title font-semibold">{say.title}</legend>
      <Ways
        legend={say.title}
        ways={say.ways}
        way={way}
        onChoose={(next) => setValue('way', next, { shouldDirty: true })}
      />
      {way === 'password' ? (
        <div className="max-w-sm">{password}</div>
      ) : (
        <>
          <p className="max-w-2xl text-[13px] text-ink-2">{say.explained}</p>
          <div className="grid gap-4 sm:grid-cols-2">
            {typed ? (
              <>
                <Line name="service.authorization" label={say.authorization} placeholder={say.authorizationLike} />
                <Line name="service.token" label={say.token} placeholder={say.tokenLike} />
              </>
            ) : (
              <Line name="service.issuer" label={say.issuer} hint={say.issuerHint} placeholder={say.issuerLike} />
            )}
            <Line name="service.clientId" label={say.clientId} hint={say.clientIdHint} />
            <Line name="service.clientSecret" label={say.clientSecret} hint={say.clientSecretHint} type="password" />
            <Line name="service.scope" label={say.scope} hint={say.scopeHint} />
          </div>
          <p className="text-[13px]">
            {say.comesBackTo} <code className="select-all">{`${location.origin}/oauth/answer`}</code>
          </p>
          <label className="flex items-center gap-2 text-[14px]">
            <input
              type="checkbox"
              className="size-4 accent-post"
              checked={typed}
              onChange={(e) => setValue('service.typed', e.target.checked, { shouldDirty: true })}
            />
            {say.typed}
          </label>
          <div className="flex flex-wrap items-center gap-3">
            <Button onClick={start} disabled={begin.isPending}>
              <ExternalLink aria-hidden size={15} />{' '}
              {begin.isPending ? say.beginning : flow !== '' || oauth ? say.again : say.signIn}
            </Button>
            {flow !== '' ? (
              <SignInState
                flow={flow}
                url={url}
                done={
                  <Mark tone="good" icon={Check}>
                    {say.signedIn(hostOf(oauth?.authorization ?? ''))}
                  </Mark>
                }
              />
            ) : (
              mailbox?.oauth && <span className="text-[14px]">{say.stored(hostOf(mailbox.oauth.authorization))}</span>
            )}
          </div>
          {begin.error && <Say tone="stop">{faultWords(begin.error)}</Say>}
          {words !== undefined && <FaultLine fault={{ id: faultId, words }} />}
        </>
      )}
    </fieldset>
  )
}

function Line({
  name,
  label,
  hint,
  placeholder,
  type = 'text',
}: {
  name: string
  label: string
  hint?: string
  placeholder?: string
  type?: 'text' | 'password'
}) {
  return (
    <Field name={name} label={label} hint={hint}>
      {(control) => (
        <input className="input w-full" type={type} autoComplete="off" placeholder={placeholder} {...control} />
      )}
    </Field>
  )
}

/** Fills in the mail hosts that the domain of the address names. */
export function LookUpHosts() {
  const { getValues, setValue } = useFormContext<MailboxValues>()
  const [words, setWords] = useState<string | null>(null)
  const [isLooking, setLooking] = useState(false)
  const look = async () => {
    setLooking(true)
    try {
      const found = await ask(routes.mailHosts, { query: { address: getValues('address').trim() } })
      for (const name of ['smtp', 'imap'] as const)
        if (found[name]) setValue(name, found[name], { shouldDirty: true, shouldTouch: true, shouldValidate: true })
      setWords(found.words)
    } catch (error) {
      setWords(faultWords(error))
    }
    setLooking(false)
  }
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Button onClick={() => void look()} disabled={isLooking}>
        {isLooking ? say.lookingUp : say.lookUp}
      </Button>
      <span role="status" className="text-[14px]">
        {words ?? say.lookUpHint}
      </span>
    </div>
  )
}

/** Signs a mailbox in again whose permission has ended, and has it carry on. */
export function SignInAgain({ mailbox }: { mailbox: number }) {
  const [begun, setBegun] = useState<{ flow: string; url: string } | null>(null)
  const { data } = useSignIn(begun?.flow ?? '')
  const begin = useChange(routes.beginSignIn, ({ flow, url }) => {
    setBegun({ flow, url })
    openPage(url)
  })
  const { mutate } = useChange(routes.signInAgain, () => {
    toast(say.goesOn)
    return stale(keys.mailboxes())
  })
  const used = useRef('')
  useEffect(() => {
    if (data?.state !== 'done' || begun === null || used.current === begun.flow) return
    used.current = begun.flow
    mutate({ params: { mailbox }, body: { flow: begun.flow } })
  }, [data, begun, mailbox, mutate])
  return (
    <div className="mt-2 flex flex-wrap items-center gap-3">
      <Button disabled={begin.isPending} onClick={() => begin.mutate({ body: { mailbox } })}>
        <ExternalLink aria-hidden size={15} /> {say.again}
      </Button>
      {begun && <SignInState flow={begun.flow} url={begun.url} done={null} />}
    </div>
  )
}
