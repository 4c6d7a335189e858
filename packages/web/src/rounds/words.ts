import type { Life } from '@hand-post/contract'
import { times } from '@hand-post/core'
import { sum } from 'd3-array'
import { daySpan } from '../shared/moment.ts'

/** The words of the round that is open, and of rounds as they are listed. */
export const words = {
  life: ({ from, to, gone, toGo, answered }: Life): string => {
    const [went, left, came] = [sum(gone), sum(toGo), sum(answered)]
    const parts = [
      `${times(went, 'letter')} sent`,
      left > 0 && `${left.toLocaleString('en-GB')} to go`,
      `${times(came, 'person has answered', 'people have answered')}`,
    ]
    return `${daySpan(from, to)}: ${parts.filter(Boolean).join(', ')}`
  },
}
