import type { Block, Inline, Letter, Mark } from './document.ts'
import { parseTemplate } from './field.ts'

/** A letter to begin with. Its fields have the names that most lists use; others are offered the nearest column. */
export interface StartingLetter {
  name: string
  what: string
  letter: Letter
}

const line = (typed: string, marks?: Mark[]): Inline[] =>
  parseTemplate(typed).map((s) => ({
    ...(typeof s === 'string' ? { type: 'text' as const, text: s } : { type: 'field' as const, attrs: s }),
    ...(marks ? { marks } : {}),
  }))
const p = (...parts: (string | Inline[])[]): Block => ({
  type: 'paragraph',
  content: parts.flatMap((part) => (typeof part === 'string' ? line(part) : part)),
})
const bold = (template: string) => line(template, [{ type: 'bold' }])
const h = (typed: string): Block => ({ type: 'heading', attrs: { level: 2 }, content: line(typed) })
const band = (typed: string, color = '#0b5a5e'): Block => ({ type: 'band', attrs: { color }, content: line(typed) })
const list = (...items: string[]): Block => ({
  type: 'bulletList',
  content: items.map((item) => ({ type: 'listItem', content: [p(item)] })),
})
const table = (...rows: [string, string][]): Block => ({
  type: 'table',
  content: rows.map(([head, cell]) => ({
    type: 'tableRow',
    content: [
      { type: 'tableHeader', content: [p(head)] },
      { type: 'tableCell', content: [p(cell)] },
    ],
  })),
})
const dear = p('Dear {{First name, or "Sir or Madam"}},')
const close: Block[] = [p('Yours sincerely,'), { type: 'signature' }]
const letter = (subject: string, ...content: Block[]): Letter => ({ subject, body: { type: 'doc', content } })

/** The letters offered to those who begin with nothing. */
export const startingLetters: StartingLetter[] = [
  {
    name: 'Plain letter',
    what: 'a greeting, your words, a signature',
    letter: letter(
      'A letter for {{First name, or "you"}}',
      dear,
      p('I am writing to you about your place with us.'),
      { type: 'personalNote' },
      ...close,
    ),
  },
  {
    name: 'Notice',
    what: 'something everybody must know, with what it means for each',
    letter: letter(
      'Please note: works begin soon',
      band('Please note'),
      dear,
      p(
        'works near your place begin on {{Start date, or "the day we will tell you", as "EEEE d MMMM yyyy"}}. This is what changes:',
      ),
      list('The way in is by the north gate.', 'Deliveries are taken until noon.', 'The office is open as usual.'),
      p('Nothing else changes for you. If something is unclear, answer this letter.'),
      ...close,
    ),
  },
  {
    name: 'Dates and times',
    what: 'each person’s own day, hour and place, as a table',
    letter: letter(
      'Your appointment on {{Date, or "a day to be agreed", as "EEEE d MMMM"}}',
      dear,
      p('this is the time that is set aside for you:'),
      table(['Day', '{{Date, as "EEEE d MMMM yyyy"}}'], ['Time', '{{Time}}'], ['Place', '{{Place, or "our office"}}']),
      p('If it does not suit you, please answer this letter by the day before, and we will find another.'),
      ...close,
    ),
  },
  {
    name: 'Request for an answer',
    what: 'one clear question, and by when',
    letter: letter(
      'Please answer by {{Answer by, or "the end of the month", as "d MMMM"}}',
      dear,
      p('we need one thing from you: ', bold('do you wish to keep your place next year?')),
      p(
        'Please answer this letter with yes or no by {{Answer by, or "the end of the month", as "EEEE d MMMM yyyy"}}. Without an answer we cannot keep it for you.',
      ),
      { type: 'personalNote' },
      ...close,
    ),
  },
  {
    name: 'Reminder',
    what: 'a friendly second letter, with what is still open',
    letter: letter(
      'A reminder: {{Amount, or "your payment"}} is still open',
      dear,
      p(
        'perhaps it has slipped your mind: ',
        bold('{{Amount, or "a payment"}}'),
        ' was due on {{Due date, or "the day agreed", as "d MMMM yyyy"}}, and we have not had it yet.',
      ),
      p('If you have paid in the last few days, please take no notice of this letter.'),
      ...close,
    ),
  },
  {
    name: 'Invitation',
    what: 'to a day, with what awaits, and a button to answer',
    letter: letter(
      'You are invited, {{First name, or "and warmly"}}',
      band('You are invited', '#3a5488'),
      dear,
      p('we would be glad to see you on {{Date, or "our open day", as "EEEE d MMMM yyyy"}}.'),
      h('What awaits you'),
      {
        type: 'twoColumns',
        content: [
          { type: 'column', content: [p(bold('In the morning')), p('A walk round, and what is new.')] },
          { type: 'column', content: [p(bold('In the afternoon')), p('Tea, and time for your questions.')] },
        ],
      },
      { type: 'button', attrs: { href: 'mailto:office@brindlequay.example' }, content: line('I will come') },
      ...close,
    ),
  },
]
