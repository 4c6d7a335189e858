/** The states of one message. */
export const messageStates = [
  'waiting',
  'sending',
  'sent',
  'retrying',
  'refused',
  'inDoubt',
  'setAside',
  'withdrawn',
] as const
export type MessageState = (typeof messageStates)[number]

/** How each state is called in the interface, with its mark: never colour alone. */
export const stateWords: Record<MessageState, string> = {
  waiting: 'waiting',
  sending: 'sending',
  sent: 'sent',
  retrying: 'retrying',
  refused: 'refused',
  inDoubt: 'in doubt',
  setAside: 'set aside',
  withdrawn: 'withdrawn',
}

/**
 * Which state may follow which. Nothing follows `sent`: a message that has gone is never sent again.
 * `inDoubt → waiting` happens only by the writer's own word.
 */
const next: Record<MessageState, readonly MessageState[]> = {
  waiting: ['sending', 'withdrawn', 'setAside'],
  sending: ['sent', 'retrying', 'refused', 'inDoubt', 'waiting'],
  sent: [],
  retrying: ['sending', 'withdrawn', 'setAside'],
  refused: [],
  inDoubt: ['sent', 'waiting', 'withdrawn'],
  setAside: [],
  withdrawn: [],
}

/** The states from which a message may pass into `to`; what every state-changing statement is guarded by. */
export function mayBecome(to: MessageState): MessageState[] {
  return messageStates.filter((from) => next[from].includes(to))
}

/**
 * Whether a message in this state still has something to come from the dispatcher.
 * @example isUnderWay('retrying') // true
 */
export function isUnderWay(state: MessageState): boolean {
  return state === 'waiting' || state === 'sending' || state === 'retrying'
}

/** Minutes before each further try after a temporary answer. Common practice, no source: greylisting asks for about five. */
const retryMinutes = [5, 15, 60, 180, 360, 720]

/**
 * When a message that has been tried `attempts` times is tried again (ms since 1970), or null when it has been tried enough.
 * @param asked in how many minutes the host asked for it; it is never tried sooner.
 */
export function nextTry(now: number, attempts: number, asked: number | null = null): number | null {
  const minutes = retryMinutes[attempts - 1]
  return minutes === undefined ? null : now + Math.max(minutes, asked ?? 0) * 60_000
}
