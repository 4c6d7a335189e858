import { useSyncExternalStore } from 'react'

/** The parts of the tour: a beginning, the six stages in their order, and the keys. */
export const tourParts = [
  'beginning',
  'people',
  'letter',
  'enclosures',
  'proof',
  'dispatch',
  'responses',
  'keys',
] as const
export type TourPart = (typeof tourParts)[number]

const offeredKey = 'tour-offered'
let open: TourPart | null = null
let offered = localStorage.getItem(offeredKey) !== null
const hearers = new Set<() => void>()
const hear = (hearer: () => void) => {
  hearers.add(hearer)
  return () => void hearers.delete(hearer)
}
const tell = () => {
  for (const hearer of hearers) hearer()
}

/** Notes that the tour was offered once: it is not offered again on this machine, and can be called at any time. */
export function noteTourOffered(): void {
  offered = true
  localStorage.setItem(offeredKey, 'yes')
  tell()
}

/** Opens the tour at one of its parts; null closes it. */
export function openTour(part: TourPart | null): void {
  open = part
  if (part !== null) noteTourOffered()
  tell()
}

/** The part at which the tour is open, or null; and whether it was offered on this machine. */
export const useTour = (): TourPart | null => useSyncExternalStore(hear, () => open)
export const useTourOffered = (): boolean => useSyncExternalStore(hear, () => offered)
