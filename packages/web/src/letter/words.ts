import { listed } from '@hand-post/core'

/** The words of the letter and its editor. */
export const words = {
  brought: {
    isNow: (file: string) => `“${file}” is the letter now.`,
    allKept: 'Everything in it was kept.',
    changed: 'Not everything could be kept:',
    asItWas: 'As it was',
    asItIs: 'As the letter has it',
    noPicture: 'It has no looks of its own, or is too large to be shown here.',
  },
  plain: {
    asPlain: 'Send as plain text only',
    goesPlain: (lost: string[]) =>
      lost.length === 0
        ? 'This letter goes as plain text: the words alone, which every mail program shows alike.'
        : `This letter goes as plain text, without ${listed(lost)}.`,
  },
}
