import type { Kind } from '@hand-post/core'

/** How the kinds of columns are called. */
export const kindWords: Record<Kind, string> = {
  text: 'text',
  number: 'number',
  amount: 'amount',
  date: 'date',
  dateTime: 'date and time',
  time: 'time of day',
  duration: 'hours and minutes',
  yesNo: 'yes or no',
  address: 'address',
  files: 'files',
}
