import { eachBlock, type Letter } from './document.ts'
import { escapeHtml } from './escape.ts'
import { accent, paragraphStyle } from './frame.ts'
import type { Out, Write } from './run.ts'

/** How many choices stand together. */
export const fewestChoices = 2
export const mostChoices = 6
/** Characters of a choice. */
export const longestChoice = 80
/** How many choices a letter has in all, each with a number of its own; the proof stops at more. */
export const mostNumbered = 60

const host = 'choice.invalid'
/** What stands in a merged letter for the address by which its reader answers with a choice, until the message has its own. */
const placeOf = (n: number): string => `https://${host}/${n}`
const places = /https:\/\/choice\.invalid\/(\d{1,3})(?!\d)/g

/** The choices of a letter that are written: as they stand in it, without the empty ones. */
export const writtenChoices = (choices: readonly string[]): string[] =>
  choices.map((choice) => choice.trim()).filter((choice) => choice !== '')

/**
 * The sets of choices of a letter, in reading order. Choices are numbered through all of them, from 0: so a number tells which is meant,
 * whichever passage it stands in.
 */
export function choiceSets(letter: Pick<Letter, 'body'>): string[][] {
  const sets: string[][] = []
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'choices') sets.push(writtenChoices(part.attrs.choices))
  })
  return sets
}

/** The set that a numbered choice stands in, and its words; null where there is none of that number. */
export function choiceOf(sets: readonly string[][], n: number): { set: number; choice: string } | null {
  let first = 0
  for (const [set, choices] of sets.entries()) {
    if (n < first + choices.length) return { set, choice: choices[n - first] }
    first += choices.length
  }
  return null
}

/** The numbers of the choices of a set. */
export function numbersOf(sets: readonly string[][], set: number): number[] {
  const first = sets.slice(0, set).reduce((sum, choices) => sum + choices.length, 0)
  return (sets[set] ?? []).map((_, i) => first + i)
}

/** The numbers of the choices that a merged letter offers. */
export const offeredChoices = (html: string): number[] => [...html.matchAll(places)].map(([, n]) => Number(n))

/**
 * A merged letter's html and text with an address for each of its choices.
 * @param addressOf gives the address of a choice by its number.
 */
export function withChoices(merged: Out, addressOf: (n: number) => string): Out {
  return {
    html: merged.html.replace(places, (_, n) => escapeHtml(addressOf(Number(n)))),
    text: merged.text.replace(places, (_, n) => addressOf(Number(n))),
  }
}

/** Characters of the letter's subject that a prepared answer has. */
const longestSubject = 150

/** What is known of a letter whose choices are prepared answers. */
export interface PreparedFor {
  /** Where answers go. */
  to: string
  subject: string
}

/**
 * The address of a prepared answer (RFC 6068): a message to whoever wrote, whose subject and text are written already.
 * @param token what tells which letter and which choice it is, from any mail program; null where the answer may only be read by a person.
 */
export function preparedAnswer({ to, subject }: PreparedFor, choice: string, token: string | null): string {
  // Cut between characters: half of one could not be encoded.
  const about = [...subject.replace(/\s+/g, ' ').trim()].slice(0, longestSubject).join('')
  const line = `Re: ${about}: ${choice}${token === null ? '' : ` [${token}]`}`
  // RFC 6068, section 2: the address keeps its at sign, and everything else is encoded; lines end with CRLF (section 5).
  const address = encodeURIComponent(to).replace('%40', '@')
  return `mailto:${address}?subject=${encodeURIComponent(line)}&body=${encodeURIComponent(`${choice}\r\n`)}`
}

/** Writes a set of choices: buttons one below the other, and in plain text a line and an address each. */
export function choicesWriter(choices: readonly string[], first: number, lead: string): Write {
  const html = choices
    .map(
      (choice, i) =>
        `<tr><td style="padding:0 0 10px 0"><a class="choice" href="${placeOf(first + i)}" style="display:block;padding:10px 18px;border:2px solid ${accent};border-radius:3px;color:${accent};font-weight:bold;text-decoration:none">${escapeHtml(choice)}</a></td></tr>`,
    )
    .join('')
  const text = choices.map((choice, i) => `${lead}${choice}:\n${placeOf(first + i)}\n\n`).join('')
  return (out) => {
    out.html += `<table role="presentation" cellpadding="0" cellspacing="0" style="margin:0 0 8px 0">${html}</table>`
    out.text += text
  }
}

/** The same for paper: a box to be ticked before each. */
export function boxesWriter(choices: readonly string[], lead: string): Write {
  const lines = choices.map((choice) => `[  ] ${choice}`)
  return (out) => {
    for (const line of lines) {
      out.html += `<p style="${paragraphStyle}">${escapeHtml(line)}</p>`
      out.text += `${lead}${line}\n\n`
    }
  }
}
