declare module 'csv-spectrum' {
  /** Gives the set: files, and what a right reader makes of them. */
  export default function spectrum(
    done: (error: Error | null, data: { name: string; csv: Buffer; json: Buffer }[]) => void,
  ): void
}
