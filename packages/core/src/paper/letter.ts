import type { MergeOptions } from '../letter/merge.ts'

/** How a letter is made that goes on paper: what can only be done on a screen is left out of it. */
export const onPaper = (making: MergeOptions): MergeOptions => ({ ...making, optOut: false })
