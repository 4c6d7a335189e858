import { type CallInput, type Round, type Route, routes } from '@hand-post/contract'
import type { z } from 'zod'
import { rulesPdf } from './documents.ts'
import { inspectionCsv } from './tables.ts'
import { type Holder, sheetFile } from './world.ts'

const day = 24 * 60 * 60 * 1000

/** Calls the desk. */
export type AskDesk = <R extends Route>(route: R, input?: CallInput<R>) => Promise<z.output<R['answer']>>

/**
 * Starts the draft with faults: every fault that one letter can have at a time.
 * @param mailboxId a mailbox that may write to 20 recipients a day.
 */
export async function startFaultyRound(
  ask: AskDesk,
  {
    mailboxId,
    people,
    sheetOf,
    now,
  }: { mailboxId: number; people: Holder[]; sheetOf: (h: Holder) => Uint8Array; now: number },
): Promise<Round> {
  const { id } = await ask(routes.startRound, { body: { title: 'Mooring inspections', mailboxId } })
  const params = { round: id }
  await ask(routes.refuseAddress, {
    body: { address: 'piers.oldfield@tidewater.example', reason: 'Gave up the mooring, asked by telephone' },
  })
  const reading = await ask(routes.readFile, {
    query: { name: 'Mooring inspections.csv' },
    file: Buffer.from(inspectionCsv(people, now)),
  })
  const list = await ask(routes.makeList, { body: { reading: reading.id } })
  const wrongDay = wrongWeekday(now + 14 * day)
  const round = await ask(routes.changeRound, {
    params,
    body: {
      listId: list.id,
      letterHtml: {
        subject:
          'Mooring {{Mooring}}: what the diver found, what it means for the winter, and what we ask you to have done about it',
        html: `<p>Dear {{First name}},</p><p>Your mooring {{Mooring}} was looked at on {{Inspected, as "d MMMM yyyy"}}. The sheet goes with this letter. Please have the work done by {{Work due}}, or tell us by [date].</p><p>Ground chain of your&nbsp; tackle: {{Ground chain}}. The fee is {{Fee}}. The diver is on XXX, and comes again on ${wrongDay}.</p><img src="data:image/png;base64,${buoyPicture}"><p>The <a href="http://brindlequay.example/moorings">mooring rules</a> hold.</p><p>Kind regards to {{Frist name}} and family,<br>Brindle Quay Harbour Office</p>`,
      },
      cc: ['{{Copies to}}'],
    },
  })
  const addFile = (name: string, file: Uint8Array, role: 'own' | 'common' = 'own', folder = '') =>
    ask(routes.addFile, { params, query: { name, role, folder }, file })
  const sheet = (i: number) => sheetOf(people[i])
  for (const [i, h] of people.slice(0, 22).entries()) {
    // Two sheets were exchanged under their names, and one was scanned far too large.
    const content =
      i === 9
        ? sheet(10)
        : i === 10
          ? sheet(9)
          : i === 6
            ? Buffer.concat([sheet(6), Buffer.alloc(24_000_000, ' ')])
            : sheet(i)
    if (i !== 20) await addFile(sheetFile(h), content)
  }
  const words = (text: string) => Buffer.from(text)
  await addFile(
    `note ${people[20].last}.txt`,
    words(`Diver's note for ${people[20].last}: see what ${people[17].first} ${people[17].last} wrote of the riser.`),
  )
  await addFile('mooring plan.pdf', sheet(40), 'own', 'plans north')
  await addFile('mooring plan.pdf', sheet(41), 'own', 'plans south')
  await addFile('buoy photographs.pdf', await rulesPdf())
  await addFile('inspection-Z01.pdf', sheet(45))
  await addFile('tide table.docm', words('not a document'))
  await addFile(
    `Letter to ${people[5].first} ${people[5].last}.txt`,
    words(`For ${people[5].first} ${people[5].last}, ${people[5].permit}`),
    'common',
  )
  await addFile('depth reader.exe', words('MZ'), 'common')
  return round
}

/** A buoy, 24 pixels square, as PNG in base64. */
export const buoyPicture =
  'iVBORw0KGgoAAAANSUhEUgAAABgAAAAYCAIAAABvFaqvAAAAXklEQVR42mP4jxeIqmjDEX6VDKMGDQKD5ilrYEWkGYTLFDxmMZBqCi6zGMgwBatZtDGIeFMwzaKNQciphhg0hAwiySwC0U81g4g0i9i8Rqop+HI/SaYQLo+IB4PPIADvyazD5MbAqgAAAABJRU5ErkJggg=='

/** A date in words with the weekday before its own. */
function wrongWeekday(at: number): string {
  const words = (time: number, options: Intl.DateTimeFormatOptions) =>
    new Date(time).toLocaleDateString('en-GB', { ...options, timeZone: 'UTC' })
  return `${words(at - day, { weekday: 'long' })} ${words(at, { day: 'numeric', month: 'long', year: 'numeric' })}`
}
