/** What becomes of a letter on paper once it is posted: it is to be printed, it was, or it was withdrawn before. */
export const paperStates = ['toPrint', 'printed', 'withdrawn'] as const
export type PaperState = (typeof paperStates)[number]

/** From which state a letter on paper may pass into another. What is withdrawn stays so; what was printed can be printed again. */
export const paperMayBecome: Record<PaperState, readonly PaperState[]> = {
  printed: ['toPrint'],
  toPrint: ['printed'],
  withdrawn: ['toPrint'],
}
