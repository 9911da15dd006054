/** Where readers get bytes from. Files and uploads are sources of the server and the command line. */
import type { ScratchFile } from '../scratch'
import type { Hdf5File } from './hdf5/Hdf5'

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
  /** Names of all files, or of those below a folder, its name with a slash at the end. */
  list(below?: string): Promise<string[]>
  /** Takes apart one compressed piece. @throws when it is damaged or longer than `size` */
  decompress(method: Compression, bytes: Uint8Array, size: number): Promise<Uint8Array>
  /** @throws FormatError when it leads out of the folder, is cut off or no HDF5 file */
  openHdf5(name: string): Promise<Hdf5File>
  /** Bytes of a gzip file as they are inflated. Fails when it is damaged, behind all that is sound. */
  inflated(name: string): AsyncIterable<Uint8Array>
  /** An empty file for unpacked copies of these. */
  scratch(): ScratchFile
  /** Called repeatedly while a long file is read; throws to stop it. @param share  of the file, unknown of zipped ones */
  passing?(name: string, share: number | undefined): void
}

/** `lz4` is one raw block, `gzip-start` the beginning of a stream, the others are whole streams. */
export type Compression = 'zlib' | 'gzip' | 'gzip-start' | 'lz4' | 'xz'

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
