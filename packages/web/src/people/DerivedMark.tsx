import { Sigma } from 'lucide-react'
/** The mark of a derived column. */
export const DerivedMark = () => <Sigma role="img" aria-label="worked out" size={13} className="shrink-0 text-ink-2" />
