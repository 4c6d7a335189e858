import { Sigma } from 'lucide-react'
import { derivedMark as say } from './words.ts'
/** The mark of a derived column. */
export const DerivedMark = () => (
  <Sigma role="img" aria-label={say.workedOut} size={13} className="shrink-0 text-ink-2" />
)
