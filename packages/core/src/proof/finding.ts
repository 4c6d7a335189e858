import type { SameAddress } from '../people/selection.ts'

/** How grave a finding is: a stop must be mended or set aside, an ask needs the writer's word, a note is only said. */
export type Grade = 'stop' | 'ask' | 'note'

/** What can be done about a finding on the spot. */
export type Mend =
  | { do: 'editCell'; rowId: number; columnId: string }
  | { do: 'setAside'; rowId: number }
  | { do: 'standIn'; column: string }
  | { do: 'swapField'; from: string; to: string }
  | { do: 'swapMark'; mark: string; to: string }
  | { do: 'renameInCell'; rowId: number; columnId: string; from: string; to: string }
  | { do: 'sameAddress'; way: SameAddress }
  | { do: 'match'; rowId: number; fileId: number; name: string }
  | { do: 'unmatch'; rowId: number; fileId: number; name: string }
  | { do: 'removeFile'; fileId: number; name: string }
  | { do: 'makeFiles' }
  | { do: 'noOwnFiles' }
  /** `find`: the words, the field or the link of the letter that it is about. */
  | { do: 'goTo'; stage: 'people' | 'letter' | 'enclosures' | 'dispatch'; find?: string }

/** One thing the proof found. */
export interface Finding {
  /** Stable over runs while the fault stays the same; what an acceptance is kept under. */
  key: string
  check: string
  grade: Grade
  /** The person whose message it is about, or null when it is about the round. */
  rowId: number | null
  person: string | null
  message: string
  mends: Mend[]
}
