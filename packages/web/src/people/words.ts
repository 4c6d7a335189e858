import { times } from '@hand-post/core'

/** The words of lists, the address book and the do-not-write list. */
export const words = {
  lists: {
    title: 'Lists',
    notShown: 'The lists cannot be shown',
    none: 'No lists yet',
    noneMore: 'A list is a table of people: bring one in, and every round can use it.',
    noneShows: [
      'Its name, and the file it came from',
      'Its columns',
      'How many people',
      'Rounds that use it',
      'When it was brought in',
    ],
    bringIn: 'Bring in a list',
    list: 'List',
    columns: 'Columns',
    people: 'People',
    rounds: 'Rounds',
    broughtIn: 'Brought in',
    actions: 'Actions',
    rows: (n: number) => times(n, 'row'),
    from: (file: string, sheet: string | null) => (sheet === null ? `From ${file}` : `From ${file}, sheet “${sheet}”`),
    typed: 'Typed here',
    fromGroups: 'From groups of the address book',
    moreColumns: (n: number) => `and ${n} more`,
    moreRounds: (n: number) => `and ${times(n, 'earlier one')}`,
    noRound: 'none',
    copy: 'Copy',
    copyThe: (name: string) => `Copy “${name}”`,
    removeThe: (name: string) => `Delete “${name}”`,
    copyOf: (name: string) => `${name}, copy`.slice(0, 200),
    remove: 'Delete',
    used: 'A round uses it.',
    removed: (name: string) => `“${name}” was deleted.`,
  },
}
