import { routes } from '@hand-post/contract'
import { addressFault } from '@hand-post/core'
import { UserX } from 'lucide-react'
import { FormProvider } from 'react-hook-form'
import { toast } from 'sonner'
import { stale } from '../api.ts'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Ask, Button, times } from '../shared/parts.tsx'

const schema = routes.refuseAddress.body.superRefine(({ address }, context) => {
  const fault = addressFault(address)
  if (fault !== null) context.addIssue({ code: 'custom', path: ['address'], message: `It is no address: ${fault}.` })
})

/** Puts an address on the do-not-write list, with the reason. */
function useRefuse(address: string, then: () => unknown) {
  const form = useSchemaForm(schema, { address, reason: '' })
  const refuse = useFormChange(form, routes.refuseAddress, ({ setAside }) => {
    form.reset()
    if (setAside > 0) toast(`${times(setAside, 'letter')} waiting for it ${setAside === 1 ? 'was' : 'were'} set aside.`)
    return then()
  })
  return { form, busy: refuse.isPending, send: form.handleSubmit((body) => refuse.mutate({ body })) }
}

function Why({ className }: { className: string }) {
  return (
    <Field name="reason" label="Why">
      {(control) => <input className={`input ${className}`} placeholder="asked by telephone" {...control} />}
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
        <Field name="address" label="Address">
          {(control) => <input className="input w-64" {...control} />}
        </Field>
        <Why className="w-72" />
        <Button type="submit" className="mt-[22px]" disabled={busy}>
          <UserX aria-hidden size={16} /> Put on the list
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
      title={`Write no more to ${address}?`}
      act={
        <Button kind="primary" disabled={busy} onClick={send}>
          Put on the do-not-write list
        </Button>
      }
    >
      <p>No round will write to this address, and what waits for it now is set aside.</p>
      <FormProvider {...form}>
        <form noValidate onSubmit={send}>
          <Why className="w-full" />
          <FormFault />
        </form>
      </FormProvider>
    </Ask>
  )
}
