import { routes, usualDispatch } from '@hand-post/contract'
import { begunWith, type Chaser, chasersFault, emptyLetter, greetingFor, usualChaser } from '@hand-post/core'
import { type Desk, handle } from '../http/handle.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { listById } from '../people/store.ts'
import { Refusal } from '../problem.ts'
import { chaserSubject, chasersOf, insertChaser, lastResponse, writeChaser } from './chasers.ts'
import type { RoundParts } from './routes.ts'
import { draftById, endedAlready, type RoundRecord, roundById, updateRound } from './store.ts'
import { wholeRound } from './wholeRound.ts'

/** How many chasers a round may have: whoever has had so many letters does not answer. */
const mostChasers = 9
/** What a chaser begins with, for the writer to say in their own words. */
const begins =
  'We wrote to you about this some days ago, and have not heard from you yet. If your answer has crossed with this letter, thank you; then please take no notice of it.'

/** Chasers: begun beside the round that they follow, and changed until they are posted. */
export function chaserRoutes(desk: Desk, parts: RoundParts): void {
  const { db, clock, publish } = parts
  const changed = (id: number) => publish({ topic: 'round', id })

  /** Refuses what could not be a chaser of a round. `id`: it is there already. */
  const mayChase = async (parent: RoundRecord, chaser: Chaser, id: number | null) => {
    const { settings } = await mailboxById(db, parent.mailboxId)
    if (!settings.imap)
      throw new Refusal(
        409,
        `The mailbox “${settings.name}” has no IMAP host, so nobody would know who has answered. Give it one at Mailboxes first. Nothing was changed.`,
        'No IMAP host',
      )
    if (chaser.who.includes('word') && chaser.words.length === 0)
      throw new Refusal(422, 'Choose the outcome words that it goes to. Nothing was changed.', 'No word')
    if (chaser.who.includes('chosen') && chaser.rows === null)
      throw new Refusal(422, 'Nobody was chosen on the board for this chaser. Nothing was changed.', 'Nobody chosen')
    if (chaser.after === null && parent.postedAt === null)
      throw new Refusal(
        422,
        'Before its round is posted, a chaser leaves some days after the letter. Nothing was changed.',
        'Too soon',
      )
    if (chaser.rows !== null) return
    const others = (await chasersOf(db, parent.id)).filter((one) => one.id !== id && one.chaser.rows === null)
    const fault = chasersFault([...others.map((one) => one.chaser), chaser])
    if (fault !== null) throw new Refusal(409, `${fault} Nothing was changed.`, 'Same day')
  }

  handle(desk, routes.addChaser, async ({ params, body }) => {
    const parent = await roundById(db, params.round)
    if (parent.chases !== null)
      throw new Refusal(
        409,
        `“${parent.title}” is a chaser itself. Add another to the round that it follows. Nothing was begun.`,
        'A chaser already',
      )
    if (parent.endedAt !== null) throw endedAlready(parent)
    if (body.rows && parent.postedAt === null)
      throw new Refusal(409, 'Nothing has come of this round yet: it is not posted. Nothing was begun.', 'Not posted')
    const before = await chasersOf(db, parent.id)
    if (before.length >= mostChasers)
      throw new Refusal(409, `A round has at most ${mostChasers} chasers. Nothing was begun.`, 'Too many chasers')
    const now = clock.now()
    // The first is offered after five working days, each further one five later.
    const days = before.flatMap(({ chaser: { after, rows } }) => (after?.of === 'workingDays' && !rows ? after.n : 0))
    const chaser: Chaser = {
      ...usualChaser,
      after: { n: Math.min(Math.max(0, ...days) + 5, 366), of: 'workingDays' },
      ...(body.rows && {
        after: null,
        who: ['chosen'],
        rows: body.rows,
        since: { response: await lastResponse(db), at: now },
      }),
      ...body.chaser,
    }
    await mayChase(parent, chaser, null)
    const columns = parent.listId === null ? [] : (await listById(db, parent.listId)).columns
    const dear = columns.length === 0 ? [] : begunWith(greetingFor(columns, parent.nameColumns)).content.slice(0, -1)
    const letter = {
      ...emptyLetter,
      ...(parent.letter.plain && { plain: true }),
      subject: chaser.thread ? chaserSubject(parent.letter.subject) : '',
      body: {
        ...emptyLetter.body,
        content: [...dear, { type: 'paragraph' as const, content: [{ type: 'text' as const, text: begins }] }],
      },
    }
    const number = before.length === 0 ? '' : ` ${before.length + 1}`
    const id = await db.transaction(async (tx) => {
      const made = await insertChaser(
        tx,
        { id: parent.id, title: `${parent.title.slice(0, 180)}: chaser${number}`, now },
        letter,
        // At the pace of its round, on its own days.
        { ...usualDispatch, ...parent.dispatch, startAt: null, until: null, times: null },
        chaser,
      )
      await updateRound(tx, made, { tracking: parent.tracking }, now)
      return made
    })
    changed(parent.id)
    return wholeRound(parts, id)
  })

  handle(desk, routes.changeChaser, async ({ params, body }) => {
    const round = await draftById(db, params.round)
    if (round.chases === null || round.chaser === null)
      throw new Refusal(409, `“${round.title}” is no chaser. Nothing was changed.`, 'No chaser')
    const chaser = { ...round.chaser, ...body }
    const parent = await roundById(db, round.chases)
    await mayChase(parent, chaser, round.id)
    const { letter } = round
    const subject = chaser.thread ? chaserSubject(parent.letter.subject) : letter.subject
    await db.transaction(async (tx) => {
      await writeChaser(tx, round.id, chaser, clock.now())
      if (subject !== letter.subject) await updateRound(tx, round.id, { letter: { ...letter, subject } }, clock.now())
    })
    changed(round.id)
    changed(parent.id)
    return wholeRound(parts, round.id)
  })
}
