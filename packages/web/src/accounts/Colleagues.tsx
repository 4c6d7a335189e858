import { type Account, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { KeyRound, UserPlus } from 'lucide-react'
import { useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { Link } from 'react-router'
import { faultWords, stale, useChange } from '../api.ts'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { useMay, useMe } from '../shared/me.ts'
import { Ask, Button, Empty, Mark, Paper, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { Copy } from './Copy.tsx'
import { colleagues as say } from './words.ts'

/** A link that was just made. */
interface Made {
  name: string
  token: string
  until: number
  /** Whether its owner could sign in before. */
  again: boolean
}

const fresh = () => stale(keys.accounts())

/** Who signs in here, and what each may do: for keepers. */
export default function Colleagues() {
  const me = useMe()
  const may = useMay()
  const accounts = useQuery({ ...query.accounts(), enabled: me?.account != null && may.keep })
  const [open, setOpen] = useState<'invite' | Account | null>(null)
  const [made, setMade] = useState<Made | null>(null)
  const there = accounts.data?.filter(({ state }) => state !== 'ended') ?? []
  const ended = accounts.data?.filter(({ state }) => state === 'ended') ?? []
  return (
    <div className="mx-auto max-w-5xl space-y-4 p-5">
      <header className="flex items-end justify-between gap-4">
        <div>
          <h1 className="text-2xl">{say.title}</h1>
          <p className="text-ink-2">
            {say.what}{' '}
            {may.keep && (
              <Link to="/happened" className="text-post underline">
                {say.happened}
              </Link>
            )}
          </p>
        </div>
        {me?.account && may.keep && (
          <Button kind="primary" className="shrink-0" onClick={() => setOpen('invite')}>
            <UserPlus aria-hidden size={16} /> {say.invite}
          </Button>
        )}
      </header>
      {me && me.account === null ? (
        <Empty
          title={say.none}
          action={
            <Link to="/account" className="text-post underline">
              {say.toSetUp}
            </Link>
          }
        >
          {say.noneMore}
        </Empty>
      ) : !may.keep ? (
        <Empty title={say.forKeepers}>{say.forKeepersMore}</Empty>
      ) : accounts.error ? (
        <Empty title={say.cannotShown}>{faultWords(accounts.error)}</Empty>
      ) : !accounts.data ? (
        <Waiting />
      ) : (
        <Paper>
          <ul>
            {there.map((account) => (
              <Line
                key={account.id}
                account={account}
                own={account.id === me?.account?.id}
                onChange={() => setOpen(account)}
                onLink={setMade}
              />
            ))}
          </ul>
        </Paper>
      )}
      {ended.length > 0 && (
        <Paper title={say.ended}>
          <ul className="px-4 py-2 text-ink-2">
            {ended.map(({ id, name, address }) => (
              <li key={id}>
                {name}, {address}
              </li>
            ))}
          </ul>
        </Paper>
      )}
      {open !== null && (
        <Rights
          account={open === 'invite' ? null : open}
          own={open !== 'invite' && open.id === me?.account?.id}
          onClose={() => setOpen(null)}
          onLink={setMade}
        />
      )}
      {made && <LinkGiven made={made} onClose={() => setMade(null)} />}
    </div>
  )
}

function Line({
  account,
  own,
  onChange,
  onLink,
}: {
  account: Account
  own: boolean
  onChange: () => void
  onLink: (made: Made) => void
}) {
  const { name, address, state, mayPost, keeps } = account
  return (
    <li className="flex flex-wrap items-center gap-x-4 gap-y-1 border-rule border-b px-4 py-2.5 last:border-0">
      <div className="min-w-0 flex-1 basis-48">
        <p className="font-bold">
          {name} {own && <span className="font-normal text-ink-2">({say.you})</span>}
        </p>
        <p className="truncate text-[14px] text-ink-2">{address}</p>
      </div>
      <p className="basis-48 text-[14px]">
        {[say.write, mayPost && say.post, keeps && say.keep].filter(Boolean).join(', ')}
      </p>
      <div className="basis-52 text-[14px] text-ink-2">
        <p>{state === 'invited' ? say.state.invited(account.invitedUntil) : say.state.active(account.seenAt)}</p>
        {state === 'active' && (
          <p className="text-[13px]">
            {account.code ? (
              <Mark tone="good" icon={KeyRound}>
                {say.code}
              </Mark>
            ) : (
              say.noCode
            )}
          </p>
        )}
      </div>
      <div className="flex gap-1">
        <NewLink account={account} onLink={onLink} />
        <Button onClick={onChange}>{say.change}</Button>
      </div>
    </li>
  )
}

function NewLink({ account, onLink }: { account: Account; onLink: (made: Made) => void }) {
  const [asking, setAsking] = useState(false)
  const again = account.state === 'active'
  const make = useChange(routes.inviteAgain, async ({ token, until }) => {
    setAsking(false)
    onLink({ name: account.name, token, until, again })
    await fresh()
  })
  const act = () => make.mutate({ params: { account: account.id } })
  return (
    <>
      <Button disabled={make.isPending} onClick={() => (again ? setAsking(true) : act())}>
        {say.newLink}
      </Button>
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.newLinkAsk(account.name)}
        act={
          <Button kind="primary" disabled={make.isPending} onClick={act}>
            {say.newLink}
          </Button>
        }
      >
        <p>{say.linkAgainMore}</p>
      </Ask>
    </>
  )
}

/** Shows a link, once. */
function LinkGiven({ made: { name, token, until, again }, onClose }: { made: Made; onClose: () => void }) {
  const link = `${location.origin}/join#${token}`
  return (
    <Ask open onClose={onClose} title={say.linkFor(name)} keep={say.done} act={<Copy text={link}>{say.copyLink}</Copy>}>
      <p>{say.linkMore(name, until)}</p>
      <p>
        <input
          aria-label={say.link}
          className="input w-full font-mono text-[13px]"
          readOnly
          value={link}
          onFocus={(event) => event.target.select()}
        />
      </p>
      {again && <Say tone="note">{say.linkAgainMore}</Say>}
    </Ask>
  )
}

const schema = routes.invite.body

/** Invites somebody, or changes what somebody may do. */
function Rights({
  account,
  own,
  onClose,
  onLink,
}: {
  account: Account | null
  own: boolean
  onClose: () => void
  onLink: (made: Made) => void
}) {
  const form = useSchemaForm(
    schema,
    account
      ? { name: account.name, address: account.address, mayPost: account.mayPost, keeps: account.keeps }
      : { name: '', address: '', mayPost: false, keeps: false },
  )
  const [ending, setEnding] = useState(false)
  const invite = useFormChange(form, routes.invite, async ({ account: { name }, token, until }) => {
    onClose()
    onLink({ name, token, until, again: false })
    await fresh()
  })
  const change = useFormChange(form, routes.changeAccount, async () => {
    onClose()
    await fresh()
  })
  const end = useChange(routes.endAccount, async () => {
    setEnding(false)
    onClose()
    await fresh()
  })
  const store = form.handleSubmit((body) =>
    account ? change.mutate({ params: { account: account.id }, body }) : invite.mutate({ body }),
  )
  const rights: ['mayPost' | 'keeps', string, string][] = [
    ['mayPost', say.post, say.postMore],
    ['keeps', say.keep, say.keepMore],
  ]
  return (
    <Sheet
      title={account ? say.changeTitle(account.name) : say.invite}
      onClose={onClose}
      footer={
        <Button kind="primary" disabled={invite.isPending || change.isPending} onClick={() => void store()}>
          {account ? say.store : say.makeLink}
        </Button>
      }
    >
      <form noValidate onSubmit={store} className="flex-1 space-y-4 overflow-auto p-5">
        <FormProvider {...form}>
          <Field name="name" label={say.name}>
            {(control) => <input className="input w-full" autoComplete="off" {...control} />}
          </Field>
          <Field name="address" label={say.address} hint={say.addressHint}>
            {(control) => <input className="input w-full" type="email" autoComplete="off" {...control} />}
          </Field>
          <fieldset className="space-y-1">
            <legend className="mb-1 font-bold text-[13px]">{say.may}</legend>
            <label className="flex items-baseline gap-2">
              <input type="checkbox" className="size-4 translate-y-0.5 accent-post" checked disabled />
              <span>
                {say.write} <span className="text-[13px] text-ink-2">({say.writeMore})</span>
              </span>
            </label>
            {rights.map(([name, word, more]) => (
              <label key={name} className="flex items-baseline gap-2">
                <input type="checkbox" className="size-4 translate-y-0.5 accent-post" {...form.register(name)} />
                <span>
                  {word} <span className="text-[13px] text-ink-2">({more})</span>
                </span>
              </label>
            ))}
          </fieldset>
          <FormFault />
        </FormProvider>
        {account && !own && (
          <Button kind="quiet" onClick={() => setEnding(true)}>
            {say.endAccount}
          </Button>
        )}
        {/* So that Enter in a field stores it. */}
        <button type="submit" hidden />
      </form>
      {account && (
        <Ask
          open={ending}
          onClose={() => setEnding(false)}
          title={say.endAsk(account.name)}
          act={
            <Button
              kind="primary"
              disabled={end.isPending}
              onClick={() => end.mutate({ params: { account: account.id } })}
            >
              {say.endAccount}
            </Button>
          }
        >
          <p>{say.endMore(account.name)}</p>
        </Ask>
      )}
    </Sheet>
  )
}
