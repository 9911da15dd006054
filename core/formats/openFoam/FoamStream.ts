/** A file of a case read from its beginning on, as it is or inflated. Only the part that is not parsed yet is held. */
import { FormatError } from '../../errors'
import type { ByteSource } from '../ByteSource'
import { joinArrays } from '../meshParts'
import { missingFile } from './files'
import type { FoamFiles } from './files'
import { FoamReader, HEAD } from './FoamReader'

/** The first piece is as large as a header, further ones as large as all that waits, within these bounds. */
const LARGEST_PIECE = 1 << 20
/** An entry that must be in memory as a whole takes no more. */
const MOST_HELD = 256 * 2 ** 20

/** Runs `use` on a file of a case. @throws FormatError when there is none of that name */
export async function readingFoam<T>(files: FoamFiles, path: string, use: (stream: FoamStream) => Promise<T>): Promise<T> {
  const stream = await FoamStream.open(files, path)
  try {
    return await use(stream)
  } finally {
    await stream.close()
  }
}

export class FoamStream {
  private constructor(
    private readonly files: FoamFiles,
    /** Name of the file where it is zipped. */
    private readonly packed: string | undefined,
    /** The file where it is not. */
    readonly plain: ByteSource | undefined,
    private pieces: AsyncGenerator<Uint8Array>,
    public reader: FoamReader,
    /** Whether nothing follows the bytes of the reader. */
    public isAtEnd = false,
  ) {}

  static async open(files: FoamFiles, path: string): Promise<FoamStream> {
    const isPlain = files.names.has(path)
    if (!isPlain && !files.names.has(`${path}.gz`)) throw missingFile(path)
    const plain = isPlain ? await files.folder.open(path) : undefined
    const packed = plain ? undefined : `${path}.gz`
    const stream = new FoamStream(files, packed, plain, piecesOf(files, packed, plain, 0), new FoamReader(new Uint8Array(0), path, {}))
    try {
      while (stream.reader.rest.length < HEAD && !stream.isAtEnd) await stream.more()
      stream.reader = new FoamReader(stream.reader.rest, path)
      return stream
    } catch (error) {
      await stream.close()
      throw error
    }
  }

  /** What `read` finds; more bytes are fetched as long as it meets the end of those that are here, and it is tried again. */
  async entry<T>(read: (reader: FoamReader) => T): Promise<T> {
    for (;;) {
      const before = this.reader.at
      this.reader.metEnd = false
      let outcome: { result: T } | { error: unknown }
      try {
        outcome = { result: read(this.reader) }
      } catch (error) {
        outcome = { error }
      }
      if (!this.reader.metEnd || this.isAtEnd) {
        if ('error' in outcome) throw outcome.error
        return outcome.result
      }
      this.reader.at = before
      await this.more()
    }
  }

  /** Fetches the bytes that follow those that were not read yet. */
  async more(): Promise<void> {
    const { rest } = this.reader
    const pieces = [rest]
    let size = 0
    // as much again: what does not end is tried a few times only
    while (size < Math.max(rest.length, 1)) {
      const next = await this.next()
      if (!next) break
      pieces.push(next)
      size += next.length
    }
    this.isAtEnd = size === 0
    if (rest.length + size > MOST_HELD)
      throw this.reader.damaged(`what begins at byte ${this.reader.position} does not end within ${MOST_HELD / 2 ** 20} MiB`)
    if (size) this.reader = this.reader.continued(joinArrays(Uint8Array, pieces), this.reader.position)
    if (size >= LARGEST_PIECE / 4) this.files.folder.passing?.(this.reader.name, this.plain && this.reader.position / this.plain.size)
  }

  private async next(): Promise<Uint8Array | undefined> {
    try {
      const { done, value } = await this.pieces.next()
      return done ? undefined : value
    } catch (error) {
      if (this.packed && !(error instanceof FormatError)) throw new FormatError('bad-gzip', `${this.packed} is damaged; copy it again.`)
      throw error
    }
  }

  /** Goes on at a byte of the file. */
  async skipTo(position: number): Promise<void> {
    await this.close()
    this.pieces = piecesOf(this.files, this.packed, this.plain, position)
    this.reader = this.reader.continued(new Uint8Array(0), position)
    this.isAtEnd = false
  }

  async close(): Promise<void> {
    await this.pieces.return(undefined)
  }
}

/** Bytes of a file from one on. */
async function* piecesOf(
  { folder }: FoamFiles,
  packed: string | undefined,
  plain: ByteSource | undefined,
  from: number,
): AsyncGenerator<Uint8Array> {
  if (plain) {
    for (let [at, size] = [from, HEAD]; at < plain.size; at += size, size = Math.min(2 * size, LARGEST_PIECE))
      yield await plain.read(at, Math.min(at + size, plain.size))
    return
  }
  let at = 0
  for await (const piece of folder.inflated(packed!)) {
    if (at + piece.length > from) yield piece.subarray(Math.max(0, from - at))
    at += piece.length
  }
}
