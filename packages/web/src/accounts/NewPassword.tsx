import { routes } from '@hand-post/contract'
import { z } from 'zod'
import { Field } from '../shared/form.tsx'
import { join as say } from './words.ts'

const password = routes.takeInvitation.body.shape.password

/** The fields of a password that is chosen: twice, so that a slip does not shut its owner out. */
export const passwordTwice = { password, again: z.string() }

/** Whether both are the same. */
export const same: [(given: { password: string; again: string }) => boolean, { path: string[]; message: string }] = [
  (given) => given.password === given.again,
  { path: ['again'], message: say.notTheSame },
]

export const newPassword = z.object(passwordTwice).refine(...same)

/** A password that is chosen, in a form with `password` and `again`. */
export function NewPassword({ label, hint }: { label: string; hint?: string }) {
  return (
    <>
      <Field name="password" label={label} hint={hint}>
        {(control) => <input className="input w-full" type="password" autoComplete="new-password" {...control} />}
      </Field>
      <Field name="again" label={say.again}>
        {(control) => <input className="input w-full" type="password" autoComplete="new-password" {...control} />}
      </Field>
    </>
  )
}
