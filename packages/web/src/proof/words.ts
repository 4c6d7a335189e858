/** The words of the proof. */
export const words = {
  /** Of what a search has found, only that is accepted. */
  acceptAll: (n: number, searched: boolean) => (searched ? `Accept these ${n}` : `Accept all ${n}`),
}
