import { type Cell, type Column, findNameColumns, type Row, type SheetCells, shown } from '@hand-post/core'
import ICAL from 'ical.js'

/** What a card's properties become as columns, in this order (RFC 6350, section 6). */
const headings = [
  'Name',
  'First name',
  'Last name',
  'Email',
  'Email 2',
  'Telephone',
  'Telephone 2',
  'Organisation',
  'Job title',
  'Street',
  'Town',
  'County',
  'Postcode',
  'Country',
  'Birthday',
  'Web',
  'Groups',
  'Note',
]

/**
 * Where a long line was broken without the space or tab that RFC 6350, section 3.2, wants: the next line is no property, for it
 * has no name before a colon; nor is the rest of a web address one.
 */
const brokenFold = /\n(?=[^ \t\n])(?!(?!https?:\/\/)(?:[a-z0-9-]{1,100}\.)?[a-z0-9-]{1,100}(?:;[^:\n]{0,20000})?:)/gi

/** How many cards that were left out are named one by one. */
const maxSaid = 20
/** How many cards are read of one file, how long a card may be, and one of its lines (characters), with what is folded to it. */
const maxCards = 100_000
const longestCard = 1_000_000
const longestLine = 20_000
/** What is not kept of a card, and may be large: pictures, sounds, keys (RFC 6350, sections 6.2.4, 6.6.3, 6.7.5, 6.8.1). */
const passedOver = /^(?:[a-z0-9-]{1,50}\.)?(?:photo|logo|sound|key)[;:]/i

/** The cards of a text, each with its lines; and how many have no end. One pass over its lines. */
function cardsOf(text: string): { cards: string[][]; unended: number } {
  const cards: string[][] = []
  let open: string[] | null = null
  let unended = 0
  let passing = false
  for (const line of text.split(/\r\n?|\n/)) {
    const mark = /^(BEGIN|END):VCARD[ \t]{0,20}$/i.exec(line.slice(0, 40))?.[1].toUpperCase()
    if (mark === 'BEGIN') {
      if (open) unended++
      open = [line.trim()]
      passing = false
    } else if (open && mark === 'END') {
      cards.push([...open, line.trim()])
      open = null
    } else if (open) {
      const goesOn = /^[ \t]/.test(line)
      if (!goesOn) passing = passedOver.test(line.slice(0, 200))
      if (!passing) open.push(line)
    }
  }
  return { cards, unended: unended + (open ? 1 : 0) }
}

/** Why a card is not read: it is too long, or a line of it is. */
function cardFault(lines: string[]): string | null {
  let whole = 0
  let line = 0
  for (const part of lines) {
    whole += part.length
    line = /^[ \t]/.test(part) ? line + part.length : part.length
    if (whole > longestCard) return 'it is longer than any card'
    if (line > longestLine) return 'a line of it is longer than any card has'
  }
  return null
}

/**
 * Reads vCards of version 3 (RFC 2426) and 4 (RFC 6350) as a sheet: headings, then a row for each card. A card that cannot be
 * read is passed over, and said.
 */
export function readCards(text: string): { rows: SheetCells[]; said: string[] } {
  const said: string[] = []
  const rows: Record<string, string>[] = []
  const { cards, unended } = cardsOf(text)
  let n = 0
  let mended = 0
  let leftOut = 0
  const leaveOut = (lines: string[], why: string) => {
    const called = lines.find((line) => /^FN[;:]/i.test(line))?.slice(0, 300)
    const name = called
      ?.slice(called.indexOf(':') + 1)
      .trim()
      .slice(0, 100)
    if (++leftOut <= maxSaid) said.push(`Card ${n}${name ? ` (${name})` : ''} was left out: ${why}.`)
  }
  for (const lines of cards) {
    n++
    if (n > maxCards) break
    const fault = cardFault(lines)
    if (fault !== null) {
      leaveOut(lines, fault)
      continue
    }
    const card = lines.join('\n').replace(brokenFold, () => {
      mended++
      return ''
    })
    try {
      const component = new ICAL.Component(ICAL.parse(card.replace(/\n/g, '\r\n')) as unknown[])
      const values = (name: string) => component.getAllProperties(name).map((p) => p.getValues())
      const texts = (name: string) => values(name).map((v) => v.flat().map(String).filter(Boolean).join(', '))
      const part = (name: string, i: number) => String((values(name)[0]?.[0] as string[] | undefined)?.[i] ?? '')
      const [email, email2] = preferredFirst(component, 'email')
      const [telephone, telephone2] = preferredFirst(component, 'tel')
      rows.push({
        Name: texts('fn')[0] ?? '',
        'First name': part('n', 1),
        'Last name': part('n', 0),
        Email: email ?? '',
        'Email 2': email2 ?? '',
        Telephone: telephone ?? '',
        'Telephone 2': telephone2 ?? '',
        Organisation: texts('org')[0] ?? '',
        'Job title': texts('title')[0] ?? '',
        Street: part('adr', 2),
        Town: part('adr', 3),
        County: part('adr', 4),
        Postcode: part('adr', 5),
        Country: part('adr', 6),
        Birthday: texts('bday')[0] ?? '',
        Web: texts('url')[0] ?? '',
        Groups: texts('categories').join(', '),
        Note: texts('note').join('\n'),
      })
    } catch {
      leaveOut(lines, 'it is not written as contact cards are')
    }
  }
  if (leftOut > maxSaid) said.push(`${leftOut - maxSaid} more cards were left out in the same way.`)
  if (cards.length > maxCards)
    said.push(
      `The file has ${cards.length.toLocaleString('en-GB')} cards, and ${maxCards.toLocaleString('en-GB')} are read at once: the rest was left out. Bring them in as a second file.`,
    )
  if (mended > 0)
    said.push(
      `${mended} long ${mended === 1 ? 'line was' : 'lines were'} broken without the space that the rest must begin with. The rest was put back to what stands before it; look at those cards.`,
    )
  if (unended > 0) said.push(`${unended} ${unended === 1 ? 'card has' : 'cards have'} no end, and could not be read.`)
  const used = headings.filter((h) => rows.some((row) => row[h] !== ''))
  return { rows: [used, ...rows.map((row) => used.map((h) => row[h] || undefined))], said }
}

/** The values of a property, the preferred one first: PREF=1 of version 4, TYPE=pref of version 3. */
function preferredFirst(component: ICAL.Component, name: string): string[] {
  const rank = (p: ICAL.Property) => {
    const pref = Number(p.getParameter('pref'))
    if (pref > 0) return pref
    return [p.getParameter('type')].flat().some((t) => String(t).toLowerCase() === 'pref') ? 0 : 101
  }
  return component
    .getAllProperties(name)
    .sort((a, b) => rank(a) - rank(b))
    .map((p) => String(p.getFirstValue()).replace(/^(mailto|tel):/i, ''))
}

const propertyOf: [RegExp, string][] = [
  [/^e-?mail|^address$/i, 'email'],
  [/^(tele)?phone|^tel\b|^mobile/i, 'tel'],
  [/^organisation$|^company$/i, 'org'],
  [/^job title$/i, 'title'],
  [/^birthday$/i, 'bday'],
  [/^web|^url$/i, 'url'],
  [/^groups$|^categories$/i, 'categories'],
  [/^note/i, 'note'],
]
const placeOf = new Map([
  ['street', 2],
  ['town', 3],
  ['county', 4],
  ['postcode', 5],
  ['country', 6],
])

/**
 * Writes rows as vCards of version 4 (RFC 6350). Columns that no property is made for stand in the note, with their names, so
 * that nothing is lost.
 */
export function writeCards(columns: Column[], rows: Row[]): string {
  const names = findNameColumns(columns)
  const part = (pattern: RegExp) => columns.find((c) => pattern.test(c.name))
  const first = part(/^(first|given|fore)[\s-]*name/i)
  const last = part(/^(last|family|sur)[\s-]*name/i)
  return rows
    .map((row) => {
      const text = (column: Column | undefined) =>
        column ? shown(row.cells[column.id] as Cell | undefined).trim() : ''
      const card = new ICAL.Component(['vcard', [], []])
      const add = (name: string, value: string | string[]) => {
        const property = new ICAL.Property(name, card)
        property.setValue(value as string)
        card.addProperty(property)
      }
      add('version', '4.0')
      const address = columns.filter((c) => c.kind === 'address').map(text)
      const called = names
        .map((id) => text(columns.find((c) => c.id === id)))
        .filter(Boolean)
        .join(' ')
      add('fn', called || address.find(Boolean) || 'Without a name')
      if (text(first) || text(last)) add('n', [text(last), text(first), '', '', ''])
      const place = ['', '', '', '', '', '', '']
      const rest: string[] = []
      for (const column of columns) {
        const value = text(column)
        if (value === '' || column === first || column === last || names.includes(column.id)) continue
        const known =
          column.kind === 'address' ? 'email' : propertyOf.find(([pattern]) => pattern.test(column.name))?.[1]
        const at = placeOf.get(column.name.toLowerCase())
        if (known === 'note') rest.unshift(value)
        else if (known === 'categories') add(known, value)
        else if (known) add(known, value)
        else if (at !== undefined) place[at] = value
        else rest.push(`${column.name}: ${value}`)
      }
      if (place.some(Boolean)) add('adr', place)
      if (rest.length > 0) add('note', rest.join('\n'))
      return `${card.toString()}\r\n`
    })
    .join('')
}
