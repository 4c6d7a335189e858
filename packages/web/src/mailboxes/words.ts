import { times } from '@hand-post/core'

/** The words of mailboxes. */
export const words = {
  practice: {
    mark: 'practice',
    more: 'A practice mailbox: nothing that it sends reaches a real person.',
    explained:
      'A mail host on this machine with made-up people behind it. They open, answer, are away, or do not exist. Nothing that you send by it reaches a real person.',
    /** Beside an address in a list to choose from. */
    inList: (name: string) => `${name}, practice`,
    hosts: 'Its hosts are on this machine and stay as they are: rehearsals and first tries need them.',
  },
  changeSettings: 'Change its settings',
  use: {
    counting: 'Counting what has left…',
    sentence: (gone: number, planned: number) =>
      `${gone === 0 ? 'Nobody was' : `${times(gone, 'recipient')} ${gone === 1 ? 'was' : 'were'}`} written to in the last 24 hours; ${planned === 0 ? 'nothing is planned for the next 24.' : `${times(planned, 'recipient')} planned for the next 24.`}`,
    chart: 'Recipients by the hour; the figures stand in the table below.',
    most: (n: number) => `${n.toLocaleString('en-GB')} an hour`,
    now: 'now',
    asTable: 'As a table',
    hour: 'Hour from',
    gone: 'Written to',
    planned: 'Planned',
  },
}
