import { longestChoice, messageStates, mostNumbered, outcomes, responseKinds } from '@hand-post/core'
import { z } from 'zod'
import { id } from './ids.ts'
import { editedSchema, groupPlanSchema, listSchema } from './people.ts'
import { readingOptions } from './readings.ts'
import { returnedFileSchema } from './returnedFiles.ts'
import { route } from './route.ts'

export const groupSchema = z.object({ id: z.number(), name: z.string(), members: z.array(z.number()) })
export type ContactGroup = z.infer<typeof groupSchema>

export const refusedAddressSchema = z.object({ address: z.string(), reason: z.string(), at: z.number() })

export const personSchema = z.object({
  address: z.string(),
  /** Other addresses from which they were found to write, by the writer's word. */
  also: z.array(z.string()),
  name: z.string(),
  /** What the address book says of them; none when they are not in it. */
  contact: z
    .object({
      row: z.number(),
      cells: z.array(z.object({ column: z.string(), shown: z.string() })),
      groups: z.array(z.string()),
    })
    .nullable(),
  doNotWrite: refusedAddressSchema.nullable(),
  /** Every round that wrote to them, newest first. */
  rounds: z.array(
    z.object({
      round: z.number(),
      title: z.string(),
      row: z.number(),
      /** Where it went. */
      address: z.string(),
      subject: z.string(),
      /** The words of the letter, without looks. */
      text: z.string(),
      files: z.array(z.object({ name: z.string(), hash: z.string(), size: z.number() })),
      state: z.enum(messageStates),
      outcome: z.enum(outcomes),
      sentAt: z.number().nullable(),
      plannedAt: z.number().nullable(),
      reason: z.string().nullable(),
      responses: z.array(
        z.object({ kind: z.enum(responseKinds), at: z.number(), words: z.string(), forgotten: z.boolean() }),
      ),
      /** The files that came back from them with it. */
      returned: z.array(returnedFileSchema),
    }),
  ),
})
export type PersonPage = z.infer<typeof personSchema>

/** A message of the inbox whose sender may go into a group. */
export const senderSchema = z.object({
  uid: z.number(),
  name: z.string(),
  address: z.string(),
  subject: z.string(),
  at: z.number(),
  /** Why its sender is kept out: "own address" or "automatic"; null when not. */
  keptOut: z.string().nullable(),
})

/** What bringing a table into the address book would do. Of each sort the first are named. */
export const contactsPlanSchema = z.object({
  /** The version of the address book that it was planned for. */
  version: z.number(),
  added: z.number(),
  known: z.number(),
  /** Known contacts in which something is filled in that was blank, and those that say something else. */
  filled: z.number(),
  differing: z.number(),
  /** Rows of the table that are somebody once more. */
  repeated: z.number(),
  newColumns: z.array(z.string()),
  /** The groups that the table's rows name, with how many name each; none where it names none. */
  groups: z.array(z.object({ name: z.string(), people: z.number() })),
  /** How many groups are named in all. */
  groupCount: z.number(),
  people: z.array(
    z.object({
      person: z.string(),
      isNew: z.boolean(),
      /** What differs from the contact: the column, what the address book says, and what the table says. */
      differs: z.array(z.object({ column: z.string(), here: z.string(), there: z.string() })),
    }),
  ),
  said: z.array(z.string()),
})
export type ContactsPlanned = z.infer<typeof contactsPlanSchema>

const contactsFrom = readingOptions.extend({
  reading: z.string(),
  /** Whether the table's column of groups makes groups, instead of a column. */
  asGroups: z.boolean().default(false),
})

const address = z.string().trim().min(3).max(254)
export const bookRoutes = {
  book: route({
    method: 'GET',
    path: '/api/book',
    wants: 'writer',
    summary: 'The address book, a list whose rows are the contacts, and its groups',
    answer: z.object({ list: listSchema, groups: z.array(groupSchema) }),
  }),
  addGroup: route({
    method: 'POST',
    path: '/api/groups',
    wants: 'writer',
    summary: 'Make a group of contacts',
    body: z.object({ name: z.string().trim().min(1).max(100), members: z.array(id).default([]) }),
    answer: groupSchema,
  }),
  changeGroup: route({
    method: 'PATCH',
    path: '/api/groups/:group',
    wants: 'writer',
    summary: 'Rename a group, or add and take out members',
    params: z.object({ group: id }),
    body: z.object({
      name: z.string().trim().min(1).max(100).optional(),
      add: z.array(id).default([]),
      remove: z.array(id).default([]),
    }),
    answer: groupSchema,
  }),
  deleteGroup: route({
    method: 'DELETE',
    path: '/api/groups/:group',
    wants: 'writer',
    summary: 'Delete a group; its contacts stay',
    params: z.object({ group: id }),
  }),
  addToBook: route({
    method: 'POST',
    path: '/api/book/contacts',
    wants: 'writer',
    summary:
      'Put people into the address book, and into a group if wished; those who are in it already are not put in twice',
    body: z.object({
      people: z
        .array(z.object({ name: z.string().max(300), address }))
        .min(1)
        .max(5000),
      group: z.string().trim().max(100).optional(),
    }),
    answer: z.object({ added: z.number(), known: z.number(), group: groupSchema.nullable() }),
  }),
  planContacts: route({
    method: 'POST',
    path: '/api/book/plan',
    wants: 'writer',
    summary: 'Say what bringing a table that was read into the address book would do; nothing is changed',
    body: contactsFrom,
    answer: contactsPlanSchema,
  }),
  bringInContacts: route({
    method: 'POST',
    path: '/api/book/bring-in',
    wants: 'writer',
    summary: 'Bring a table that was read into the address book: people are added and filled in, and nobody goes',
    body: contactsFrom.extend({
      /** The version of the address book that was planned for. */
      version: z.number(),
      /** The group that all of them are put into. */
      group: id.nullable().default(null),
      /** What is done where a contact says something else. */
      differing: z.enum(['keep', 'replace']).default('keep'),
    }),
    answer: editedSchema.nullable(),
  }),
  doubles: route({
    method: 'GET',
    path: '/api/lists/:list/doubles',
    wants: 'writer',
    summary:
      'Rows of a list that are likely the same person: the same address, or the same name where one has no address',
    params: z.object({ list: id }),
    answer: z.array(z.object({ rows: z.array(z.number()), why: z.string() })),
  }),
  mergeRows: route({
    method: 'POST',
    path: '/api/lists/:list/merge',
    wants: 'writer',
    changes: 'list',
    summary: 'Make one row of several: the first is kept, its blanks are filled from the others, its groups are joined',
    params: z.object({ list: id }),
    body: z.object({ sets: z.array(z.array(id).min(2).max(100)).min(1).max(1000) }),
    answer: z.object({ merged: z.number() }),
  }),
  listFromGroups: route({
    method: 'POST',
    path: '/api/lists/from-groups',
    wants: 'writer',
    summary: 'Make a list of the people of some groups, less those of others; it can be refreshed from them later',
    body: z.object({ name: z.string().trim().min(1).max(200), groups: groupPlanSchema }),
    answer: listSchema,
  }),
  listFromRound: route({
    method: 'POST',
    path: '/api/lists/from-round',
    wants: 'writer',
    summary: 'Make a list of the people of an earlier round who have one of the given outcomes, or outcome words',
    names: ({ body }) => [{ kind: 'round', id: body.round }],
    body: z
      .object({
        name: z.string().trim().min(1).max(200),
        round: id,
        outcomes: z.array(z.enum(outcomes)),
        words: z.array(z.string().max(40)).max(9).default([]),
        /** Choices of the letter, as they are worded. */
        choices: z.array(z.string().max(longestChoice)).max(mostNumbered).default([]),
      })
      .refine(
        ({ outcomes, words, choices }) => outcomes.length + words.length + choices.length > 0,
        'Give an outcome, an outcome word, or a choice.',
      ),
    answer: listSchema,
  }),
  person: route({
    method: 'GET',
    path: '/api/person',
    wants: 'writer',
    summary: 'Everything about one person, by address: contact, groups, rounds and what came back',
    query: z.object({ address }),
    answer: personSchema,
  }),
  doNotWrite: route({
    method: 'GET',
    path: '/api/do-not-write',
    wants: 'writer',
    summary: 'The addresses that no round may write to',
    answer: z.array(refusedAddressSchema),
  }),
  refuseAddress: route({
    method: 'PUT',
    path: '/api/do-not-write',
    wants: 'writer',
    summary: 'Put an address on the do-not-write list; what waits for it in posted rounds is set aside',
    body: z.object({ address, reason: z.string().trim().min(1).max(500) }),
    answer: z.object({ setAside: z.number() }),
  }),
  allowAddress: route({
    method: 'DELETE',
    path: '/api/do-not-write',
    wants: 'writer',
    summary: 'Take an address off the do-not-write list',
    query: z.object({ address }),
  }),
  forgetAddress: route({
    method: 'DELETE',
    path: '/api/person/also',
    wants: 'writer',
    summary: 'Forget that somebody writes from an address: what comes from it is proposed anew',
    query: z.object({ address }),
  }),
  senders: route({
    method: 'GET',
    path: '/api/mailboxes/:mailbox/senders',
    wants: 'writer',
    summary: 'Who wrote to a mailbox lately: messages of its inbox, newest first. Nothing of them is stored',
    params: z.object({ mailbox: id }),
    query: z.object({ days: z.coerce.number().int().min(1).max(3650).default(90) }),
    answer: z.array(senderSchema),
  }),
}
