/** The sheet on which letters are printed, in millimetres (ISO 216, A4). */
export const sheet = { width: 210, height: 297 } as const

/** The envelopes to choose from. */
export const envelopes = ['dl', 'c56'] as const
export type Envelope = (typeof envelopes)[number]
/** At which side of the envelope the window is, as one looks at its front. */
export const windowSides = ['left', 'right'] as const
export type WindowSide = (typeof windowSides)[number]

/** How letters are put on paper. */
export interface PaperForm {
  envelope: Envelope
  window: WindowSide
}

/** A part of a sheet or an envelope, in millimetres from its upper left corner. */
export interface Rectangle {
  left: number
  top: number
  right: number
  bottom: number
}

/**
 * The sizes of the envelopes in millimetres. DL is that of ISO 269. C5/6 is 114 × 229, from memory: trade sources agree on it.
 */
export const envelopeSizes: Record<Envelope, { width: number; height: number }> = {
  dl: { width: 220, height: 110 },
  c56: { width: 229, height: 114 },
}

/** The window: 90 × 45, 20 from its side and 15 from the lower edge, in millimetres. DIN 680, from memory. */
const window = { width: 90, height: 45, fromSide: 20, fromBelow: 15 } as const

/** Where the sheet is folded, in millimetres from its top: so its address comes to lie in the window. DIN 5008, form B, from memory. */
export const folds = [105, 210] as const

/** The window of an envelope, as it is seen on the envelope's front. */
export function windowOf({ envelope, window: side }: PaperForm): Rectangle {
  const { width, height } = envelopeSizes[envelope]
  const left = side === 'left' ? window.fromSide : width - window.fromSide - window.width
  const bottom = height - window.fromBelow
  return { left, top: bottom - window.height, right: left + window.width, bottom }
}

/** How far the folded sheet can slide in an envelope, in millimetres across and downwards. */
function playOf(envelope: Envelope): { across: number; down: number } {
  const { width, height } = envelopeSizes[envelope]
  return { across: width - sheet.width, down: height - folds[0] }
}

/** Where the window lies over the sheet when that has slid so far to the right and downwards within its envelope. */
export function windowOnSheet(form: PaperForm, slid: { right: number; down: number }): Rectangle {
  const { left, top, right, bottom } = windowOf(form)
  return { left: left - slid.right, top: top - slid.down, right: right - slid.right, bottom: bottom - slid.down }
}

/** What of the sheet is seen through the window wherever the sheet has slid to: here the address stands. */
export function alwaysSeen(form: PaperForm): Rectangle {
  const { across, down } = playOf(form.envelope)
  const unmoved = windowOnSheet(form, { right: 0, down: 0 })
  const moved = windowOnSheet(form, { right: across, down })
  return { left: unmoved.left, top: unmoved.top, right: moved.right, bottom: moved.bottom }
}

/** What of the sheet is seen through the window at some place that the sheet can slide to: nothing else may stand here. */
export function everSeen(form: PaperForm): Rectangle {
  const { across, down } = playOf(form.envelope)
  const unmoved = windowOnSheet(form, { right: 0, down: 0 })
  const moved = windowOnSheet(form, { right: across, down })
  return { left: moved.left, top: moved.top, right: unmoved.right, bottom: unmoved.bottom }
}

/** How the address is set: millimetres from one line to the next, and that stay free at the sides of the window. */
export const addressSetting = { line: 5, side: 3 } as const

/** Where the address stands: each line is `line` millimetres high, beginning at `top`. */
export function addressPlace(form: PaperForm): { left: number; top: number; width: number } {
  const seen = alwaysSeen(form)
  const height = maxPostalLines * addressSetting.line
  return {
    left: seen.left + addressSetting.side,
    top: seen.top + (seen.bottom - seen.top - height) / 2,
    width: seen.right - seen.left - 2 * addressSetting.side,
  }
}

/** How many lines a postal address has at most. Six, as in the address field of DIN 5008, from memory. */
export const maxPostalLines = 6
