import { routes } from '@hand-post/contract'
import { addressFault } from '@hand-post/core'
import { UserX } from 'lucide-react'
import { FormProvider } from 'react-hook-form'
import { toast } from 'sonner'
import { stale } from '../api.ts'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Ask, Button } from '../shared/parts.tsx'
import { refuseForm as say } from './words.ts'

const schema = routes.refuseAddress.body.superRefine(({ address }, context) => {
  const fault = addressFault(address)
  if (fault !== null) context.addIssue({ code: 'custom', path: ['address'], message: say.noAddress(fault) })
})

/** Puts an address on the do-not-write list, with the reason. */
function useRefuse(address: string, then: () => unknown) {
  const form = useSchemaForm(schema, { address, reason: '' })
  const refuse = useFormChange(form, routes.refuseAddress, ({ setAside }) => {
    form.reset()
    if (setAside > 0) toast(say.waitingSetAside(setAside))
    return then()
  })
  return { form, busy: refuse.isPending, send: form.handleSubmit((body) => refuse.mutate({ body })) }
}

function Why({ className }: { className: string }) {
  return (
    <Field name="reason" label={say.why}>
      {(control) => <input className={`input ${className}`} placeholder={say.askedTelephone} {...control} />}
    </Field>
  )
}

/** Asks which address, and why. */
export function RefuseForm({ then }: { then: () => unknown }) {
  const { form, busy, send } = useRefuse('', then)
  return (
    <FormProvider {...form}>
      <form
        noValidate
        onSubmit={send} // With room for a line that says what is wrong: the list below stays where it is.
        className="flex min-h-28 flex-wrap items-start gap-3 px-4 py-3"
      >
        <Field name="address" label={say.address}>
          {(control) => <input className="input w-64" {...control} />}
        </Field>
        <Why className="w-72" />
        <Button type="submit" className="mt-[22px]" disabled={busy}>
          <UserX aria-hidden size={16} /> {say.putList}
        </Button>
        <FormFault />
      </form>
    </FormProvider>
  )
}

/** Asks why nobody is to write to an address that is known. */
export function RefuseDialog({ address, onClose }: { address: string; onClose: () => void }) {
  const { form, busy, send } = useRefuse(address, () => {
    onClose()
    return stale()
  })
  return (
    <Ask
      open
      onClose={onClose}
      title={say.writeNoMore(address)}
      act={
        <Button kind="primary" disabled={busy} onClick={send}>
          {say.putDoNotWrite}
        </Button>
      }
    >
      <p>{say.noRoundWillWrite}</p>
      <FormProvider {...form}>
        <form noValidate onSubmit={send}>
          <Why className="w-full" />
          <FormFault />
        </form>
      </FormProvider>
    </Ask>
  )
}
