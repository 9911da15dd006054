/** Where readers get bytes from. Files and uploads are sources of the server and the command line. */
export interface ByteSource {
  /** Name for messages: relative, as the user knows it. */
  readonly name: string
  readonly size: number
  /** Bytes [start, end); both within the source. */
  read(start: number, end: number): Promise<Uint8Array>
}

/** A folder that readers may look into. Names are relative and never leave its root. */
export interface SourceFolder {
  open(name: string): Promise<ByteSource>
  list(): Promise<string[]>
  /** Inflates one zlib stream. @throws when it is damaged or longer than `size` */
  inflate(bytes: Uint8Array, size: number): Uint8Array
}

export class MemorySource implements ByteSource {
  constructor(
    readonly name: string,
    private readonly bytes: Uint8Array,
  ) {}

  get size(): number {
    return this.bytes.length
  }

  async read(start: number, end: number): Promise<Uint8Array> {
    return this.bytes.subarray(start, end)
  }
}
