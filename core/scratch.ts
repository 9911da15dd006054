/** A file for what does not fit into memory; reads and writes at once, since it is used inside plain loops. */
export interface ScratchFile {
  /** @returns where the bytes were put */
  append(bytes: Uint8Array): number
  write(at: number, bytes: Uint8Array): void
  /** Fills `into`. */
  read(at: number, into: Uint8Array): void
  close(): void
}
