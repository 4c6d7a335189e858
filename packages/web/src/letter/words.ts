import { listed } from '@hand-post/core'

/** The words of the letter and its editor. */
export const words = {
  plain: {
    asPlain: 'Send as plain text only',
    goesPlain: (lost: string[]) =>
      lost.length === 0
        ? 'This letter goes as plain text: the words alone, which every mail program shows alike.'
        : `This letter goes as plain text, without ${listed(lost)}.`,
  },
}
