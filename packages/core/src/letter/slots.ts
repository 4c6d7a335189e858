import type { Cell, Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { cellIn } from '../people/packed.ts'
import { inCase } from '../people/recipes.ts'
import { compileSelection, isRule, ruleFault, rulesOf, ruleWords, type Selection } from '../people/rules.ts'
import { closeUp, type Piece } from './blanks.ts'
import { escapeHtml, htmlLines } from './escape.ts'
import { type Field, parseTemplate, type Segment, serializeField } from './field.ts'
import { cellWriter } from './format.ts'
import { fill } from './run.ts'

// A header is one line whatever a cell holds: line breaks would add another (RFC 5322, section 2.2).
const oneLine = (text: string) => (/[\r\n\t]/.test(text) ? text.replace(/[\r\n\t]+/g, ' ') : text)
/** Which schemes a link of a letter may have; anything else is written as plain words. */
export function isSafeLink(href: string): boolean {
  return /^(https?:\/\/|mailto:|tel:)/i.test(href.trim())
}

/** A field of the letter, and the place that its value has. */
interface Slot {
  field: Field
  place: number
  columnId: string | null
  write: (cell: Cell | undefined) => string
}

/** The places of a letter that are filled anew for each person: its fields, the addresses with fields in them, its passages. */
export interface Slots {
  /** The person in hand, with the rows that go with the message and the person's own words. */
  hand: { row: Row; rows: Row[]; note: string }
  /** What each place holds for the person in hand, as text and as html. */
  asText: readonly string[]
  asHtml: readonly string[]
  /** Fills every place for the person in hand. */
  fillAll: () => void
  /** A line's words and fields as pieces: fixed text, or the number of a place. */
  piece: (segment: Segment) => string | number
  /** The pieces as they are for the person in hand, closed up around what is blank; null when the line goes. */
  closed: (line: (string | number)[]) => (string | number)[] | null
  /** A template that makes one line of words, for a header or an attribute. */
  templateLine: (template: string) => () => string
  /** The place of an address with fields in it, ready for an attribute; empty when it comes out as no safe link. */
  addressPlace: (template: string) => number
  /** The place of an address as text shows it behind the words of its link. */
  linkPlace: (address: number) => number
  /** The column of a place; null when the field matches none. */
  columnOf: (place: number) => string | null
  /** What keeps rules of passages from being followed, in words. */
  ruleFaults: ReadonlySet<string>
  /** The column that is called so, noted as used; undefined, noted as unknown, when there is none. */
  use: (name: string) => Column | undefined
  /**
   * Opens a passage: what `inside` and `outside` make of the letter is shown to those who fit the selection, or to the others.
   * @returns whether the person in hand fits, and what both have made.
   */
  passage: <T>(selection: Selection, inside: () => T, outside: () => T) => { fits: () => boolean; yes: T; no: T }
  /** The fields that are shown to a person and blank, without a stand-in: each column's name once. */
  blanks: (person: Row) => string[]
  /** For each passage, in reading order, whether a person sees it. */
  passages: (person: Row) => boolean[]
  /** Fields, and columns of rules, that match no column. */
  unknown: ReadonlySet<string>
  /** Ids of the columns that are used. */
  used: ReadonlySet<string>
}

/**
 * Finds the places of a letter as its parts ask for them.
 * @param today the day that rules of passages reckon from, as ISO text.
 * @param asWritten whether fields stand in their template form, and every passage is shown.
 */
export function openSlots(columns: Column[], { today, asWritten }: { today: string; asWritten: boolean }): Slots {
  const exact = new Map(columns.map((c) => [c.name, c]))
  const folded = new Map(columns.map((c) => [c.name.trim().toLowerCase(), c]))
  const columnNamed = (name: string) => exact.get(name) ?? folded.get(name.trim().toLowerCase())
  const unknown = new Set<string>()
  const used = new Set<string>()
  const ruleFaults = new Set<string>()
  const use = (name: string): Column | undefined => {
    const column = columnNamed(name)
    if (column) used.add(column.id)
    else unknown.add(name)
    return column
  }

  const hand: Slots['hand'] = { row: { id: 0, position: '', cells: {} }, rows: [], note: '' }
  const asText: string[] = []
  const asHtml: string[] = []
  /** Fills each place anew, in order: fields first come before the addresses that they stand in. */
  const places: (() => void)[] = []

  const slots: Slot[] = []
  const written = (slot: Slot) => slot.write(slot.columnId === null ? undefined : cellIn(hand.row, slot.columnId))
  const slotOf = (field: Field): number => {
    const template = serializeField(field)
    const same = slots.find((s) => serializeField(s.field) === template)
    if (same) return same.place
    const column = asWritten ? undefined : use(field.column)
    const cased = column && field.letterCase ? field.letterCase : null
    const plain = column ? cellWriter(column, field.format) : () => template
    const slot: Slot = {
      field,
      place: places.length,
      columnId: column?.id ?? null,
      write: cased ? (cell) => inCase(plain(cell), cased) : plain,
    }
    places.push(() => {
      const value = written(slot)
      const text = value === '' ? (field.standIn ?? '') : value
      asText[slot.place] = text
      asHtml[slot.place] = htmlLines(text)
    })
    slots.push(slot)
    return slot.place
  }

  /** Which fields are shown to whom: the slot, and the passages around it with the side of each that it stands on. */
  const shownWhere: { slot: Slot; within: [number, boolean][] }[] = []
  let within: [number, boolean][] = []
  const passageTests: ((row: Row) => boolean)[] = []

  /** A line's words and fields as pieces: fixed text, or the number of a place. */
  const piece = (segment: Segment): string | number => {
    if (typeof segment === 'string') return segment
    const place = slotOf(segment)
    shownWhere.push({ slot: slots.find((s) => s.place === place)!, within })
    return place
  }
  /** The pieces as they are for the person in hand, closed up around what is blank; null when the line goes. */
  const closed = (line: (string | number)[]): (string | number)[] | null => {
    if (!line.some((p) => typeof p === 'number' && asText[p] === '')) return line
    const pieces = line.map((p): Piece => {
      return typeof p === 'number' ? { text: asText[p], field: true } : { text: p, field: false }
    })
    return closeUp(pieces)?.map((text, i) => (typeof line[i] === 'number' && text !== '' ? line[i] : text)) ?? null
  }
  const templateLine = (template: string): (() => string) => {
    const line = parseTemplate(template).map(piece)
    return () => oneLine(fill(closed(line) ?? [], asText)).trim()
  }

  /**
   * An address with fields in it: a place for it, ready for an attribute; nothing when it comes out as no safe link.
   * A field at its very start is the address itself; elsewhere its value is encoded (RFC 3986, section 2.1).
   */
  const addressOf = (template: string): { place: number } => {
    const line = parseTemplate(template.trim()).map(piece)
    const inMail = typeof line[0] === 'string' && /^(mailto|tel):/i.test(line[0])
    const place = places.length
    const make = () => {
      const address = line
        .map((part, i) => {
          if (typeof part === 'string') return part
          const value = asText[part].trim()
          if (i === 0) return isSafeLink(value) || !/^[\w-]+(\.[\w-]+)+/.test(value) ? value : `https://${value}`
          const encoded = encodeURIComponent(value.replace(/\p{Surrogate}/gu, '\ufffd'))
          return inMail ? encoded.replace(/%40/g, '@').replace(/%2B/g, '+') : encoded
        })
        .join('')
      return isSafeLink(address) ? address.trim().replace(/\s/g, '%20') : ''
    }
    const fixed = line.every((part) => typeof part === 'string') ? make() : null
    places.push(() => {
      asText[place] = fixed ?? make()
      asHtml[place] = asText[place] === '' ? '' : ` href="${escapeHtml(asText[place])}"`
    })
    return { place }
  }
  const addresses = new Map<string, { place: number }>()
  const addressPlace = (template: string) => {
    let known = addresses.get(template)
    if (!known) {
      known = addressOf(template)
      addresses.set(template, known)
    }
    return known.place
  }

  /** The place of an address as text shows it behind the words of its link. */
  const linkPlaces = new Map<number, number>()
  const linkPlace = (address: number): number => {
    let place = linkPlaces.get(address)
    if (place === undefined) {
      place = places.length
      linkPlaces.set(address, place)
      const own = place
      places.push(() => {
        const href = asText[address].replace(/^mailto:/, '')
        asText[own] = href === '' ? '' : ` (${href})`
      })
    }
    return place
  }

  /** A rule of a passage with the ids of the columns that it names. */
  const byId = (selection: Selection): Selection => ({
    ...selection,
    rules: selection.rules.map((rule) =>
      isRule(rule) ? { ...rule, column: asWritten ? '' : (use(rule.column)?.id ?? '') } : byId(rule),
    ),
  })

  return {
    hand,
    asText,
    asHtml,
    fillAll() {
      for (const fillPlace of places) fillPlace()
    },
    piece,
    closed,
    templateLine,
    addressPlace,
    linkPlace,
    columnOf: (place) => slots.find((s) => s.place === place)?.columnId ?? null,
    use,
    passage(selection, inside, outside) {
      const named = byId(selection)
      // A column that is gone is said as one that the letter names.
      for (const rule of asWritten ? [] : rulesOf(named)) {
        const fault = ruleFault(rule, columns)
        if (fault && fault.why !== 'columnGone') ruleFaults.add(`${ruleWords(rule, columns)}: ${fault.words}`)
      }
      const test = compileSelection(named, columns, { today })
      const number = passageTests.length
      passageTests.push(asWritten ? () => true : test)
      const around = within
      const side = <T>(make: () => T, isIn: boolean): T => {
        within = [...around, [number, isIn]]
        const made = make()
        within = around
        return made
      }
      const [yes, no] = [side(inside, true), side(outside, false)]
      return { fits: () => passageTests[number](hand.row), yes, no }
    },
    blanks(person) {
      hand.row = person
      const names = new Set<string>()
      for (const { slot, within: around } of shownWhere)
        if (
          slot.columnId !== null &&
          slot.field.standIn === null &&
          written(slot) === '' &&
          around.every(([n, isIn]) => passageTests[n](person) === isIn)
        )
          names.add(slot.field.column)
      return [...names]
    },
    passages: (person) => passageTests.map((test) => test(person)),
    unknown,
    used,
    ruleFaults,
  }
}
