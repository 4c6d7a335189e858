import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { expect, test } from 'vitest'
import { random } from './fuzz.ts'
import { endProgram, programEnv, startProgram } from './program.ts'
import { askAt, fastMailbox, postRound, slowPractice } from './programRound.ts'
import { composed, office } from './world.ts'

/** Which moments are tried; the seed is printed, and by it they come again. */
const seed = Number(process.env.KILL_SEED ?? Date.now() % 1_000_000)
const chance = random(seed)
const people = 200
const kills = Number(process.env.KILLS ?? 4)
const chasedPeople = 60

test(`killed ${kills} times while ${people} messages leave, everybody has exactly one; and at most one chaser, killed twice more`, async () => {
  const folder = await mkdtemp(join(tmpdir(), 'hand-post-kill-'))
  const practice = await slowPractice(join(folder, 'practice'), people, 300, chance)
  const env = programEnv(folder, practice)
  let program = await startProgram(env)
  const ask = askAt(() => program.address)
  try {
    await fastMailbox(ask)
    const id = await postRound(ask, 0, people)
    const params = { round: id }

    let doubted = 0
    const settleDoubts = async () => {
      for (const m of await ask(routes.messages, { params })) {
        if (!m.asksWriter) continue
        doubted++
        // The writer asks the person, who looks into their inbox.
        const inbox = await practice.store.box(m.address, 'INBOX')
        await ask(routes.settleDoubt, { params: { message: m.id }, body: { went: inbox.messages.length > 0 } })
      }
    }
    // Asked of what answers at once: a computing thread that is still starting would let many letters leave meanwhile.
    const states = async () => (await ask(routes.rounds)).find((r) => r.id === id)!.states
    /** With chasers on: killed while they leave, and while some answer, nobody has two, and nobody who was heard has one. */
    const chased = async () => {
      const rows = (await ask(routes.messages, { params })).slice(0, chasedPeople)
      const begun = await ask(routes.addChaser, { params, body: { rows: rows.map((m) => m.rowId) } })
      const chaser = { round: begun.id }
      await ask(routes.changeRound, { params: chaser, body: { dispatch: { perMinute: 100_000 } } })
      await ask(routes.post, { params: chaser, body: { messages: chasedPeople } })
      const answer = async (address: string) => {
        const [first] = (await practice.store.box(address, 'INBOX')).messages
        const { messageId } = await simpleParser(await practice.store.read(first))
        const mail = await composed({
          from: address,
          to: office,
          subject: 'Re: Berth',
          text: 'Yes.',
          inReplyTo: messageId,
        })
        await practice.store.add(office, 'INBOX', mail, new Date())
      }
      const stateOf = async () => (await ask(routes.round, { params: chaser })).states
      const open = ({ waiting, sending, retrying, inDoubt }: Awaited<ReturnType<typeof stateOf>>) =>
        waiting + sending + retrying + inDoubt
      // The last of them answer, one after another, while the first are written to.
      const answering = rows.slice(-chasedPeople / 3).map((m) => m.address)
      for (let i = 0; i < 2; i++) {
        const enough = (i + 1) * 8
        while ((await stateOf()).sent < enough && open(await stateOf()) > 0) {
          const next = answering.pop()
          if (next) await answer(next)
          await sleep(20)
        }
        await sleep(chance() * 100)
        await endProgram(program)
        program = await startProgram(env)
      }
      const settle = async () => {
        for (const m of await ask(routes.messages, { params: chaser })) {
          if (!m.asksWriter) continue
          const inbox = await practice.store.box(m.address, 'INBOX')
          await ask(routes.settleDoubt, { params: { message: m.id }, body: { went: inbox.messages.length > 1 } })
        }
      }
      while (open(await stateOf()) > 0) {
        await settle()
        await sleep(100)
      }
      const ends = await ask(routes.messages, { params: chaser })
      expect(new Set(ends.map((m) => m.state))).toEqual(new Set(['sent', 'setAside']))
      for (const m of ends) {
        const inbox = await practice.store.box(m.address, 'INBOX')
        expect(inbox.messages, `${m.person}, ${m.state}`).toHaveLength(m.state === 'sent' ? 2 : 1)
        if (m.state === 'setAside') expect(m.reason).toContain('They have answered')
      }
    }
    for (let i = 0; i < kills; i++) {
      // At a random moment while letters are leaving, never only while the program is starting; and so that there are some
      // left for every kill to come, however slow the machine is.
      const { sent } = await states()
      expect(sent, 'some are left for every kill').toBeLessThan(people)
      const enough = sent + 1 + chance() * Math.max(0, (people - sent) / (kills - i + 1) - 8)
      while ((await states()).sent < enough) {
        await settleDoubts()
        await sleep(20)
      }
      await sleep(chance() * 100)
      await endProgram(program)
      program = await startProgram(env)
      await settleDoubts()
    }
    const left = async () => {
      const { waiting, sending, retrying, inDoubt } = await states()
      return waiting + sending + retrying + inDoubt
    }
    while ((await left()) > 0) {
      await settleDoubts()
      await sleep(100)
    }
    expect(await states()).toMatchObject({ sent: people, waiting: 0, sending: 0, inDoubt: 0, refused: 0 })
    const ids = new Set<string>()
    for (let i = 0; i < people; i++) {
      const inbox = await practice.store.box(`person${i}@village.example`, 'INBOX')
      expect(inbox.messages, `messages of person ${i}`).toHaveLength(1)
      const mail = await simpleParser(await practice.store.read(inbox.messages[0]))
      expect(mail.subject).toBe(`Berth B${String(i).padStart(3, '0')}`)
      ids.add(mail.messageId!)
    }
    expect(ids.size).toBe(people)
    // At most what five lines had in hand can be in doubt at each kill.
    expect(doubted).toBeLessThanOrEqual(kills * 5)
    // Sent has each of them once, too, however often the filing was cut off.
    const sentOnce = async () => (await practice.store.box(office, 'Sent')).messages.length
    while ((await sentOnce()) < people) await sleep(200)
    const sent = await practice.store.box(office, 'Sent')
    expect(new Set(sent.messages.map((m) => /^Message-ID: (.*)$/im.exec(m.head)?.[1]))).toEqual(ids)
    expect(sent.messages).toHaveLength(people)
    console.log(`seed ${seed}: ${kills} kills, ${doubted} messages put to the writer`)
    await chased()
  } finally {
    await endProgram(program)
    await practice.close()
    await rm(folder, { recursive: true, force: true })
  }
})
