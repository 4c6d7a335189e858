import { type ChildProcess, spawn } from 'node:child_process'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { type CallInput, call, type Route, routes, type TrayMark, type Wish } from '@hand-post/contract'
import { ImapFlow } from 'imapflow'
import { createTransport } from 'nodemailer'
import type { z } from 'zod'
import { inspectionPdf, permitPdf, rulesPdf } from './documents.ts'
import { buoyPicture, startFaultyRound } from './faulty.ts'
import { boathousesCsv, committeeCards, holdersWorkbook, inspectionCsv, liftOutCsv, wardensCsv } from './tables.ts'
import { type Holder, harbourMaster, holders, manners, newer, password, permitFile, sheetFile } from './world.ts'

const minute = 60_000
const hour = 60 * minute
const day = 24 * hour

/** A program of ours that takes its time from here. */
class Clocked {
  private constructor(private readonly child: ChildProcess) {}

  static start(file: string, env: Record<string, string>): Promise<Clocked> {
    const child = spawn(process.execPath, ['--import', 'tsx', file], {
      env: { ...process.env, ...env },
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    })
    return new Promise((resolve, reject) => {
      child.once('exit', (code) => reject(new Error(`${file} ended with ${code}.`)))
      child.on('message', (message: { ready?: boolean }) => message.ready && resolve(new Clocked(child)))
    })
  }

  /** Moves its clock, and waits until everything due by then has been done. */
  to(clock: number): Promise<void> {
    return new Promise((resolve) => {
      const hear = (message: { settled?: number }) => {
        if (message.settled !== clock) return
        this.child.off('message', hear)
        resolve()
      }
      this.child.on('message', hear)
      this.child.send({ clock })
    })
  }

  end(): Promise<void> {
    return new Promise((resolve) => {
      this.child.once('exit', () => resolve())
      this.child.disconnect()
    })
  }
}

export interface DemoPlaces {
  /** Where the tables and documents for trying out are put. */
  files: string
  mannersFile: string
  deskPort: number
  root: string
}

const isoDay = (at: number) => new Date(at).toISOString().slice(0, 10)

/**
 * Lives through a week of a year ago and the last twelve days at the harbour office with the programs themselves, at a clock set from
 * here: nothing of the history is written by hand.
 * @param say told what is being done, for people who wait.
 */
export async function makeDemo(places: DemoPlaces, say: (words: string) => void): Promise<void> {
  const now = Date.now()
  const season = new Date(now).getUTCFullYear() + 1
  const people = holders(now)
  say('Writing the tables and the documents')
  const documents = await writeFiles(places.files, people, season, now)
  await writeFile(places.mannersFile, JSON.stringify(manners(people)))

  say('Living through twelve days at the harbour office')
  // Office hours: the permits left at ten twelve days ago, the lift-out dates at ten the day before today.
  const today = Math.floor(now / day) * day
  const permitsAt = today - 12 * day + 10 * hour
  const yearBefore = permitsAt - 52 * 7 * day
  const liftOutAt = today - (now - today > 11 * hour ? 1 : 2) * day + 10 * hour
  let clock = yearBefore - hour
  const practice = await Clocked.start(join(places.root, 'packages/practice/src/main.ts'), {
    PRACTICE_CLOCK: 'set',
    PRACTICE_CLOCK_START: String(clock),
    PRACTICE_SPEED: '1',
  })
  const server = await Clocked.start(join(places.root, 'packages/server/src/main.ts'), {
    HAND_POST_CLOCK: 'set',
    HAND_POST_BEING_FILLED: 'yes',
    HAND_POST_CLOCK_START: String(clock),
    // What the history is lived through with signs in nowhere; the desk asks as soon as the demo is there.
    HAND_POST_PASSWORD: '',
  })
  const ask = <R extends Route>(route: R, input: CallInput<R> = {}): Promise<z.output<R['answer']>> =>
    call(`http://127.0.0.1:${places.deskPort}`, route, input)
  /** Lets time go by in steps. */
  const pass = async (until: number, step: number) => {
    while (clock < until) {
      clock = Math.min(until, clock + step)
      await server.to(clock)
      await practice.to(clock)
    }
    await server.to(clock)
  }
  /** Accepts what the proof asks of addresses from which letters came back before. */
  const acceptDead = async (round: number) => {
    const { findings } = await ask(routes.proof, { params: { round }, query: { wait: 'yes' } })
    const dead = findings.filter((f) => f.check === 'deadAddress').map((f) => f.key)
    if (dead.length > 0)
      await ask(routes.accept, {
        params: { round },
        body: { keys: dead, reason: 'Asked at the gate: the address is right, the mailbox was being moved.' },
      })
  }
  const bringIn = async (name: string, file: Uint8Array) => {
    const reading = await ask(routes.readFile, { query: { name }, file })
    return ask(routes.makeList, { body: { reading: reading.id } })
  }

  const [first] = await ask(routes.mailboxes)
  const { id, practice: _, allowance: __, pausedUntil, stopped, pauseReason, readingFault, ...settings } = first
  const london = { ...settings, timeZone: 'Europe/London' }
  await ask(routes.changeMailbox, {
    params: { mailbox: id },
    body: { ...london, name: 'Harbour office', senderName: 'Brindle Quay Harbour Office' },
  })
  const master = await ask(routes.addMailbox, {
    body: {
      ...london,
      name: 'Harbour master',
      senderName: 'Harbour Master, Brindle Quay',
      address: harbourMaster,
      user: harbourMaster,
      password,
      perDay: 20,
      perMinute: 1,
      // A harbour is open at weekends too, so that the round goes on whenever the demo is made.
      hours: {
        week: Array.from({ length: 7 }, (_, i) => [
          i < 5 ? { from: 9 * 60, to: 17 * 60 } : { from: 9.5 * 60, to: 12 * 60 },
        ]),
        off: [{ from: isoDay(now + 2 * day), to: isoDay(now + 2 * day), name: 'Crane inspection' }],
        holidays: null,
      },
      // New when the lift-out dates were sent.
      gentleStart: { wanted: true, days: [12, 18] },
    },
  })
  await pass(clock + minute, minute)

  // A year before, a letter went to the same list. What was kept of its people is forgotten; the counts can be compared.
  const holdersList = await bringIn('Berth holders.xlsx', documents.workbook)
  const before = await ask(routes.startRound, { body: { title: `Season permits ${season - 1}`, mailboxId: id } })
  await ask(routes.changeRound, {
    params: { round: before.id },
    body: {
      listId: holdersList.id,
      filesColumn: null,
      letterHtml: {
        subject: `Your permit for {{Boat}}, season ${season - 1}`,
        html: `<p>Dear {{First name}},</p><p>Your permit for <i>{{Boat}}</i> lies at the office. The fee for the season is due on <b>31 January ${season - 1}</b>.</p><p>Please answer if anything about your boat has changed.</p><p>With good wishes from the quay,<br>Brindle Quay Harbour Office</p>`,
      },
      dispatch: { perMinute: 30, brake: null },
      tracking: { opens: true, clicks: false, receipts: false },
    },
  })
  await ask(routes.setAside, { params: { round: before.id, row: 15 }, body: { reason: 'new on the list' } })
  await ask(routes.post, { params: { round: before.id }, body: { messages: people.length - 1 } })
  await pass(clock + 3 * minute, minute)
  await pass(clock + 6 * hour, hour)
  await pass(clock + 9 * day, 12 * hour)
  const { lines: came } = await ask(routes.inTray)
  await ask(routes.markTray, { body: { marks: came.map(({ id: response }) => ({ response, done: true })) } })
  await ask(routes.forgetNow, { params: { round: before.id }, body: { sure: true } })
  clock = permitsAt - hour
  await server.to(clock)
  await practice.to(clock)

  // The finished round: season permits, twelve days ago.
  const permits = await ask(routes.startRound, { body: { title: `Season permits ${season}`, mailboxId: id } })
  await ask(routes.changeRound, {
    params: { round: permits.id },
    body: {
      listId: holdersList.id,
      letterHtml: {
        subject: `Your permit for {{Boat}}, season ${season}`,
        html: `<p>Dear {{First name}},</p><p>Here is permit <b>{{Permit no}}</b> for <i>{{Boat}}</i> at berth {{Berth}}. The fee for the season is <mark>{{Fee}}</mark>; it is due on <b>31 January ${season}</b>.</p><p>What we need from you:</p><ul><li>a copy of your insurance, if you have not shown it yet</li><li>a telephone number at which you can be reached in a gale</li></ul><p>The <a href="https://brindlequay.example/rules">harbour rules</a> go with this letter. Please answer if anything about your boat has changed.</p><p>With good wishes from the quay,<br>Brindle Quay Harbour Office</p>`,
      },
      // In a list that nobody has looked after for a year, some addresses are dead: they all go.
      dispatch: { perMinute: 10, brake: null },
      tracking: { opens: true, clicks: true, receipts: true },
    },
  })
  for (const h of people)
    await ask(routes.addFile, {
      params: { round: permits.id },
      query: { name: permitFile(h), role: 'own' },
      file: documents.permits.get(h.permit)!,
    })
  await ask(routes.addFile, {
    params: { round: permits.id },
    query: { name: 'Harbour rules.pdf', role: 'common' },
    file: documents.rules,
  })
  for (const [row, reason] of [
    [15, 'gives up the berth'],
    [47, 'has the permit already'],
  ] as const)
    await ask(routes.setAside, { params: { round: permits.id, row }, body: { reason } })
  // Whoever has not answered after five working days is written to again.
  const chaser = await ask(routes.addChaser, { params: { round: permits.id }, body: {} })
  await ask(routes.changeRound, {
    params: { round: chaser.id },
    body: {
      letterHtml: {
        subject: '',
        html: '<p>Dear {{First name}},</p><p>A week ago we sent you permit <b>{{Permit no}}</b> for <i>{{Boat}}</i>, and have not had your insurance yet. Please send us a copy, or tell us if anything is in the way. If your answer has crossed with this letter, thank you.</p><p>Brindle Quay Harbour Office</p>',
      },
    },
  })
  for (const { id: round } of [permits, chaser]) await acceptDead(round)
  await ask(routes.post, { params: { round: permits.id }, body: { messages: people.length - 2 } })
  await pass(clock + 8 * minute, 6000)
  await pass(clock + 2 * hour, 5 * minute)
  await pass(clock + day, hour)

  // Answers come in over the days. Minute by minute while chasers leave; then some answers are looked at and done.
  const [{ from: chasedAt }] = (await ask(routes.round, { params: { round: permits.id } })).chasers
  await pass(chasedAt! - hour, 4 * hour)
  await pass(chasedAt! + 12 * minute, minute)
  await pass(liftOutAt, 4 * hour)
  const { lines: entries } = await ask(routes.inTray)
  const certain = entries.filter((entry) => entry.pile !== 'perhaps')
  const mark = (some: typeof entries, what: Omit<TrayMark, 'response'>) =>
    ask(routes.markTray, { body: { marks: some.map(({ id: response }) => ({ response, ...what })) } })
  await mark(certain.slice(Math.ceil(certain.length / 2)), { done: true })
  // Of those that are left, some were given a word; one comes back today, and one in a week.
  await ask(routes.saveAnswer, {
    body: {
      name: 'By the end of January',
      text: 'Dear {{First name}},\n\nby 31 January, please, for {{Boat}} at berth {{Berth}}.',
    },
  })
  await ask(routes.saveAnswer, {
    body: {
      name: 'To the office',
      text: 'Dear {{First name}},\n\nplease ask for Mrs Tamblyn at the office, on any morning.',
    },
  })
  const words = ['insured', 'no insurance yet', 'gives up']
  await ask(routes.setOutcomeWords, { params: { round: permits.id }, body: { words } })
  const answered = certain.filter((entry) => entry.kind === 'reply')
  await ask(routes.giveWords, {
    params: { round: permits.id },
    body: {
      given: answered.map(({ rowId: row }, i) => ({ row, word: words[i % 5 === 0 ? 1 : i % 11 === 0 ? 2 : 0] })),
    },
  })
  const [forToday, forLater] = answered.filter((entry) => entry.pile !== 'thanks')
  await mark([forToday], { back: { at: now - 2 * hour, when: null } })
  await mark([forLater], { back: { at: now + 7 * day, when: null } })
  await ask(routes.addReminder, { params: { round: permits.id }, body: { rows: null, at: now - hour } })

  // Nobody is waited for any more: the round is finished, and its record goes into the file.
  const [{ id: chased }] = (await ask(routes.round, { params: { round: permits.id } })).chasers
  await ask(routes.withdraw, { params: { round: chased } })
  await ask(routes.makePostingRecord, { params: { round: permits.id } })

  // Some have no mailbox: their letters were printed the same day, but for one that came back from the printer.
  const rentsList = await bringIn('Boathouse tenants.csv', documents.boathouses)
  const rents = await ask(routes.startRound, { body: { title: `Boathouse rents ${season}`, mailboxId: id } })
  const line = (name: string) => ({ column: rentsList.columns.find((c) => c.name === name)!.id, sameLine: false })
  await ask(routes.changeRound, {
    params: { round: rents.id },
    body: {
      listId: rentsList.id,
      nameColumns: [line('Tenant').column],
      letterHtml: {
        subject: `Boathouse {{Boathouse}}: rent for ${season}`,
        html: `<p>Dear {{Tenant}},</p><p>The rent of boathouse {{Boathouse}} for ${season} is <b>{{Rent}}</b>. It is due on 31 January ${season}, at the office or by transfer.</p><p>The harbour rules go with this letter. They are <a href="https://brindlequay.example/rules">on our page</a>, too.</p><p>With good wishes from the quay,<br>Brindle Quay Harbour Office</p>`,
      },
      paper: { who: 'withoutAddress', columns: ['Tenant', 'Street', 'Town', 'Postcode'].map(line) },
    },
  })
  await ask(routes.addFile, {
    params: { round: rents.id },
    query: { name: 'Harbour rules.pdf', role: 'common' },
    file: documents.rules,
  })
  await ask(routes.proof, { params: { round: rents.id }, query: { wait: 'yes' } })
  await ask(routes.post, { params: { round: rents.id }, body: { messages: 4, paper: 4 } })
  const onPaper = await ask(routes.paperLetters, { params: { round: rents.id } })
  await ask(routes.markPaper, {
    params: { round: rents.id },
    body: { letters: onPaper.slice(0, 3).map((letter) => letter.id), to: 'printed' },
  })

  // The round under way: 12 recipients on the new mailbox's first day, 18 on the second, then 20, and a day off: it takes five days.
  const liftOut = await ask(routes.startRound, { body: { title: 'Winter lift-out dates', mailboxId: master.id } })
  const liftOutList = await bringIn('Winter lift-out.csv', documents.liftOut)
  await ask(routes.changeRound, {
    params: { round: liftOut.id },
    body: {
      listId: liftOutList.id,
      letterHtml: {
        subject: 'Lift-out of {{Boat}} on {{Lift-out, as "d MMMM"}}',
        html: `<p>Dear {{Name}},</p><p><b>{{Boat}}</b> is to be lifted out on <b>{{Lift-out, as "EEEE d MMMM yyyy"}}</b>. Please have her at the hoist by eight in the morning, with the mast down and the batteries off.</p><p>Does the day suit you? Please choose one of these within a week:</p><p>The Harbour Master</p>`,
      },
      dispatch: { perMinute: 1, brake: 30 },
    },
  })
  const { letter } = await ask(routes.round, { params: { round: liftOut.id } })
  const choices: (typeof letter.body.content)[number] = {
    type: 'choices',
    attrs: { choices: ['The day suits me', 'Please find me another day', 'She stays afloat this winter'] },
  }
  const content = [...letter.body.content.slice(0, -1), choices, letter.body.content.at(-1)!]
  await ask(routes.changeRound, {
    params: { round: liftOut.id },
    body: { letter: { ...letter, body: { type: 'doc', content } } },
  })
  // Some of their permits came back: the proof asks about each such address.
  await acceptDead(liftOut.id)
  await ask(routes.post, { params: { round: liftOut.id }, body: { messages: people.length } })
  await pass(clock + 25 * minute, minute)
  // Minute by minute from before the mailbox opens: what is due then leaves then.
  await pass(liftOutAt + day - 65 * minute, 2 * hour)
  await pass(liftOutAt + day + 25 * minute, minute)
  await pass(now, 20 * minute)

  const inspections = await startFaultyRound(ask, {
    mailboxId: master.id,
    people,
    sheetOf: (h) => documents.sheets.get(h.berth)!,
    now,
  })
  const inspectionList = inspections.list!

  // More that were begun: a reminder that some have had, a notice that is a picture, one to nobody, one without addresses,
  // and one that was to go as drafts, until its letter was changed.
  const draft = async (title: string, body: CallInput<typeof routes.changeRound>['body']) => {
    const round = await ask(routes.startRound, { body: { title, mailboxId: id } })
    return ask(routes.changeRound, { params: { round: round.id }, body })
  }
  const [groupColumn] = holdersList.columns.filter((c) => c.name === 'Group')
  await draft('Permits once more', {
    listId: holdersList.id,
    letterHtml: {
      subject: `Your permit for {{Boat}}, season ${season}`,
      html: '<p>Dear {{First name}},</p><p>Your permit is attached once more.</p>',
    },
    selection: { match: 'all', rules: [{ column: groupColumn.id, comparison: 'is', value: 'Swinging mooring' }] },
    filesColumn: null,
  })
  await draft('Pontoon A closed', {
    listId: holdersList.id,
    letterHtml: {
      subject: '{{Group}} is closed on Friday',
      html: `<p><img src="data:image/png;base64,${buoyPicture}"></p>`,
    },
    selection: { match: 'all', rules: [{ column: groupColumn.id, comparison: 'is', value: 'Pontoon A' }] },
    filesColumn: null,
  })

  await draft('Pontoon D opens', {
    listId: holdersList.id,
    letterHtml: { subject: 'Pontoon D opens', html: '<p>Dear {{First name}},</p><p>Pontoon D opens in April.</p>' },
    selection: { match: 'all', rules: [{ column: groupColumn.id, comparison: 'is', value: 'Pontoon D' }] },
    filesColumn: null,
  })
  const diver = await draft('The diver comes again', {
    mailboxId: master.id,
    listId: inspectionList.id,
    letterHtml: {
      subject: 'The diver comes again',
      html: '<p>Dear {{First name}},</p><p>Please clear your mooring.</p>',
    },
    selection: {
      match: 'all',
      rules: [{ column: 'c4', comparison: 'isOneOf', value: `${people[7].berth}; ${people[12].berth}` }],
    },
    filesColumn: null,
  })
  await ask(routes.putDrafts, { params: { round: diver.id } })
  await sendFirstDraft()
  await ask(routes.drafts, { params: { round: diver.id }, query: { look: 'yes' } })
  await ask(routes.changeRound, {
    params: { round: diver.id },
    body: {
      letterHtml: { subject: '{{Copies to}}', html: '<p>Dear {{First name}},</p><p>Please clear your mooring.</p>' },
      made: { of: 'letter', name: 'Notice for {{Mooring}}' },
    },
  })

  // Columns of that list which are worked out: the name to write to, and the day by which the work is wanted.
  const column = (name: string, recipe: NonNullable<(Wish & { do: 'addColumn' })['column']['recipe']>): Wish => ({
    do: 'addColumn',
    column: { name, kind: 'text', recipe },
  })
  await ask(routes.editList, {
    params: { list: inspectionList.id },
    body: {
      words: 'Add worked-out columns',
      wishes: [
        column('Full name', { do: 'joined', parts: [{ column: 'c1' }, { column: 'c2' }], between: ' ' }),
        column('Work wanted by', { do: 'dateMoved', column: 'c5', by: 10, unit: 'workingDays', daysOff: [] }),
      ],
    },
  })
  const wardens = await bringIn('Pontoon wardens.csv', documents.wardens)
  await draft('Open day', { listId: wardens.id })

  // The address book, its groups, and who asked not to be written to.
  for (const group of ['Pontoon A', 'Pontoon B', 'Swinging mooring'])
    await ask(routes.addToBook, {
      body: {
        people: people
          .filter((h) => h.group === group)
          .map((h) => ({ name: `${h.first} ${h.last}`, address: h.email })),
        group: group === 'Swinging mooring' ? 'Swinging moorings' : group,
      },
    })
  await ask(routes.addToBook, {
    body: {
      people: [people[2], people[17], people[33], people[51]].map((h) => ({
        name: `${h.first} ${h.last}`,
        address: h.email,
      })),
      group: 'Harbour committee',
    },
  })
  await ask(routes.refuseAddress, {
    body: { address: people[22].email, reason: 'Writes that all post is to go to the boatyard' },
  })

  await server.end()
  await practice.end()
}

/** Sends the first draft of the harbour master's by hand, as a mail program does. */
async function sendFirstDraft(): Promise<void> {
  const [smtp, imap] = [
    process.env.HAND_POST_PRACTICE_SMTP_PORT ?? 4725,
    process.env.HAND_POST_PRACTICE_IMAP_PORT ?? 4743,
  ]
  const client = new ImapFlow({
    host: '127.0.0.1',
    port: Number(imap),
    secure: false,
    doSTARTTLS: false,
    auth: { user: harbourMaster, pass: password },
    logger: false,
  })
  await client.connect()
  const lock = await client.getMailboxLock('Drafts')
  try {
    const draft = await client.fetchOne('1', { source: true, envelope: true })
    const raw = draft ? draft.source : undefined
    if (!draft || !raw) throw new Error('There is no draft to send.')
    const to = (draft.envelope?.to ?? []).flatMap((a) => (a.address ? [a.address] : []))
    await createTransport({
      host: '127.0.0.1',
      port: Number(smtp),
      ignoreTLS: true,
      auth: { user: harbourMaster, pass: password },
    }).sendMail({
      envelope: { from: harbourMaster, to },
      raw,
    })
    await client.append('Sent', raw, ['\\Seen'])
    await client.messageDelete('1')
  } finally {
    lock.release()
    await client.logout()
  }
}

/** Writes what a newcomer can try out: tables, permits, sheets and rules. Gives their contents. */
async function writeFiles(folder: string, people: Holder[], season: number, now: number) {
  await mkdir(join(folder, 'permits'), { recursive: true })
  await mkdir(join(folder, 'inspection sheets'), { recursive: true })
  const workbook = holdersWorkbook(people, season)
  const liftOut = Buffer.from(liftOutCsv(people))
  const wardens = Buffer.from(wardensCsv())
  const boathouses = Buffer.from(boathousesCsv())
  const rules = await rulesPdf()
  const permits = new Map<string, Buffer>()
  const sheets = new Map<string, Buffer>()
  for (const h of people) {
    permits.set(h.permit, await permitPdf(h, season))
    sheets.set(h.berth, await inspectionPdf(h))
  }
  await writeFile(join(folder, 'Berth holders.xlsx'), workbook)
  await writeFile(join(folder, 'Winter lift-out.csv'), liftOut)
  await writeFile(join(folder, 'Mooring inspections.csv'), inspectionCsv(people, now))
  await writeFile(join(folder, 'Pontoon wardens.csv'), wardens)
  await writeFile(join(folder, 'Boathouse tenants.csv'), boathouses)
  await writeFile(join(folder, 'Berth holders, newer.xlsx'), holdersWorkbook(newer(people), season))
  await writeFile(join(folder, 'Moorings committee.vcf'), committeeCards(people))
  await writeFile(join(folder, 'Harbour rules.pdf'), rules)
  for (const h of newer(people).filter((n) => !permits.has(n.permit))) permits.set(h.permit, await permitPdf(h, season))
  for (const [permit, pdf] of permits) await writeFile(join(folder, 'permits', permitFile({ permit } as Holder)), pdf)
  for (const h of people) {
    await writeFile(join(folder, 'inspection sheets', sheetFile(h)), sheets.get(h.berth)!)
  }
  return { workbook, liftOut, boathouses, wardens, rules, permits, sheets }
}
