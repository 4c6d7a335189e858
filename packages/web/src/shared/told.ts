import { routes } from '@hand-post/contract'
import { toast } from 'sonner'
import { ask } from '../api.ts'
import { told as say } from './words.ts'

const kept = 'notify'

/** Says something that must not be missed: it stays until it is put away. */
export const tellLasting = (words: string): void => void toast(words, { duration: Number.POSITIVE_INFINITY })

/** How it stands with this browser's notifications: wanted and allowed, not wanted, not allowed, or unknown to this browser. */
export type Notifying = 'yes' | 'no' | 'notAllowed' | 'cannot'

/** Whether this browser shows notifications of what the writer is told. */
export function notifying(): Notifying {
  if (!('Notification' in globalThis)) return 'cannot'
  if (Notification.permission === 'denied') return 'notAllowed'
  return localStorage.getItem(kept) === 'yes' && Notification.permission === 'granted' ? 'yes' : 'no'
}

/** Has this browser show notifications, or not any more; asks for its leave where it must. */
export async function setNotifying(wanted: boolean): Promise<Notifying> {
  localStorage.setItem(kept, wanted ? 'yes' : 'no')
  if (wanted && notifying() === 'no') await Notification.requestPermission()
  return notifying()
}

/**
 * Shows what the writer is told: in the page, and by the browser where that is wanted and the page is not looked at.
 * @param id the notice that has just been made.
 * @param open goes to a page of the desk.
 */
export async function tellNotice(id: number, open: (path: string) => void): Promise<void> {
  for (const notice of await ask(routes.notices, { query: { after: id - 1 } })) {
    const see = () => open(`/rounds/${notice.roundId}/dispatch`)
    toast(notice.subject, {
      id: `notice ${notice.id}`,
      description: notice.words.split('\n\n')[0],
      duration: Number.POSITIVE_INFINITY,
      action: { label: say.seeIt, onClick: see },
    })
    if (notifying() !== 'yes' || (document.visibilityState === 'visible' && document.hasFocus())) continue
    // Of several windows with the desk one notification is enough.
    const shown = new Notification(notice.subject, { body: notice.words, tag: `hand-post-${notice.id}` })
    shown.onclick = () => {
      window.focus()
      see()
    }
  }
}
