import { dispatchSchema, type RoundDispatch } from '@hand-post/contract'
import { z } from 'zod'
import { paceFields as say } from './words.ts'

/** A pace as it is filled in: figures that may be left out are null. */
export interface PaceValues {
  perMinute: number
  perDay: number | null
  groupOf: number | null
  rest: number | null
}

export const paceValues = ({ perMinute, perDay, groups }: RoundDispatch): PaceValues => ({
  perMinute,
  perDay,
  groupOf: groups?.of ?? null,
  rest: groups?.rest ?? null,
})

const { perMinute, perDay, groups } = dispatchSchema.shape
const group = groups.unwrap().shape

/** The pace that was filled in: of groups both figures, or neither. */
export const paceForm: z.ZodType<Pick<RoundDispatch, 'perMinute' | 'perDay' | 'groups'>, PaceValues> = z
  .object({ perMinute, perDay, groupOf: group.of.nullable(), rest: group.rest.nullable() })
  .superRefine(({ groupOf, rest }, context) => {
    if ((groupOf === null) === (rest === null)) return
    const path = [groupOf === null ? 'groupOf' : 'rest']
    context.addIssue({ code: 'custom', path, message: say.bothOrNeither })
  })
  .transform(({ groupOf, rest, ...plain }) => ({
    ...plain,
    groups: groupOf === null || rest === null ? null : { of: groupOf, rest },
  }))
