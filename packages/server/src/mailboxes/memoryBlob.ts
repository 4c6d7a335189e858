/**
 * What a reader of mail needs of a Blob: pieces put together, and given back as one. Node's own goes through its store of blobs for each,
 * which takes longer than all the rest of reading a message; here the pieces lie in memory, and stay there.
 */
class MemoryBlob {
  private readonly whole: Buffer

  constructor(pieces: readonly (string | ArrayBuffer | Uint8Array)[] = []) {
    this.whole = Buffer.concat(
      pieces.map((piece) => (piece instanceof Uint8Array ? piece : Buffer.from(piece as string & ArrayBuffer))),
    )
  }

  async arrayBuffer(): Promise<ArrayBuffer> {
    const { buffer, byteOffset, length } = this.whole
    return (buffer as ArrayBuffer).slice(byteOffset, byteOffset + length)
  }
}

/** Has the mail that is read in this thread put together in memory. */
export function keepBlobsInMemory(): void {
  globalThis.Blob = MemoryBlob as unknown as typeof Blob
}
