/** Files as byte sources: ranges of a file, and a folder that is never left. */
import { createReadStream } from 'node:fs'
import { open, readdir, realpath, stat } from 'node:fs/promises'
import type { FileHandle } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { basename, dirname, join, resolve, sep } from 'node:path'
import { FormatError } from '../../core/errors'
import type { ByteSource, Compression, SourceFolder } from '../../core/formats/ByteSource'
import type { Hdf5File } from '../../core/formats/hdf5/Hdf5'
import { decompress, inflateStream } from './decompress'
import { openHdf5 } from './hdf5'
import { DiskScratch } from './scratchFile'
import { isUnchanged, stampOf } from './stamps'
import type { Stamp, Stamps } from './stamps'

/** Code of the error that a file has changed. */
export const CHANGED = 'changed'

/** Reads ranges of one file. Close it when done. */
export class FileSource implements ByteSource {
  private constructor(
    readonly name: string,
    readonly size: number,
    private readonly path: string,
    private handle: FileHandle | undefined,
    private readonly onRead: () => void,
  ) {}

  /** @param onRead  called for every read. @throws FormatError when it cannot be read or is no file */
  static async open(path: string, name: string, onRead: () => void = () => undefined): Promise<FileSource> {
    let handle: FileHandle | undefined
    try {
      handle = await open(path, 'r')
      const { size, isFile } = await handle.stat().then((s) => ({ size: s.size, isFile: s.isFile() }))
      if (isFile) return new FileSource(name, size, path, handle, onRead)
      await handle.close()
    } catch (error) {
      await handle?.close()
      const { code } = error as NodeJS.ErrnoException
      const reason =
        code === 'ENOENT' ? 'there is no such file' : code === 'EACCES' ? 'permission is denied' : `it cannot be read (${code})`
      throw new FormatError('no-file', `${name}: ${reason}; check the name and the rights.`)
    }
    throw new FormatError('no-file', `${name} is no file; name a result file.`)
  }

  async read(start: number, end: number): Promise<Uint8Array> {
    this.onRead()
    const buffer = new Uint8Array(end - start)
    this.handle ??= await open(this.path, 'r')
    const { handle } = this
    let at = 0
    while (at < buffer.length) {
      const { bytesRead } = await handle.read(buffer, at, Math.min(buffer.length - at, 1 << 30), start + at)
      if (bytesRead === 0)
        throw new FormatError('cut-off', `${this.name} became shorter while it was read; bring it in again when its writer is done.`)
      at += bytesRead
    }
    return buffer
  }

  /** It is opened again when it is read again. */
  async close(): Promise<void> {
    const { handle } = this
    this.handle = undefined
    await handle?.close()
  }
}

/** Files of a folder that stay open. */
const KEPT_OPEN = 256

/** The files below one folder. Names are relative to it; links and `..` cannot lead out of it. */
export class DiskFolder implements SourceFolder {
  private readonly opened: FileSource[] = []
  private readonly openedHdf5: Hdf5File[] = []
  private readonly scratchFiles: DiskScratch[] = []
  private realRoot: Promise<string> | undefined
  /** Files as they were when they were opened, by name. */
  private readonly known = new Map<string, { path: string; stamp: Stamp }>()
  /** Those that were read since `startUse`. */
  private readonly used = new Set<string>()
  private readonly alwaysUsed = new Set<string>()
  passing?: SourceFolder['passing']

  /** @param scratchFolder  where scratch files are put */
  constructor(
    readonly root: string,
    private readonly scratchFolder = tmpdir(),
  ) {}

  async open(name: string): Promise<FileSource> {
    const path = await this.inside(name)
    const source = await FileSource.open(path, name, () => this.used.add(name))
    await this.remember(name, path)
    this.opened.push(source)
    // a long series has thousands of files: those opened long ago are opened again when they are read again
    await this.opened[this.opened.length - 1 - KEPT_OPEN]?.close()
    return source
  }

  /** Absolute path of a name. @throws FormatError when it leads out of the folder or nowhere */
  async inside(name: string): Promise<string> {
    const escaped = (): FormatError => new FormatError('outside', `“${name}” leads out of its folder; only files inside it are read.`)
    if (name.includes('\0') || resolve(this.root, name) === resolve(this.root)) throw escaped()
    this.realRoot ??= realpath(this.root)
    const root = await this.realRoot
    const path = resolve(root, name)
    const prefix = root.endsWith(sep) ? root : root + sep
    if (!path.startsWith(prefix)) throw escaped()
    const real = await realpath(path).catch(() => undefined)
    if (real === undefined)
      throw new FormatError('no-file', `${name}: there is no such file; check the name or copy the missing part beside it.`)
    if (!real.startsWith(prefix)) throw escaped()
    return real
  }

  async list(below = ''): Promise<string[]> {
    const names: string[] = []
    const visit = async (prefix: string, depth: number): Promise<void> => {
      const entries = await readdir(join(this.root, prefix), { withFileTypes: true }).catch(() => [])
      for (const entry of entries) if (entry.isFile()) names.push(prefix + entry.name)
      if (depth < 6)
        await Promise.all(entries.filter((entry) => entry.isDirectory()).map((entry) => visit(`${prefix}${entry.name}/`, depth + 1)))
    }
    if (below) await this.inside(below)
    await visit(below, 0)
    return names.sort()
  }

  private async remember(name: string, path: string): Promise<void> {
    if (!this.known.has(name)) this.known.set(name, { path, stamp: await stampOf(path) })
  }

  /** From now on the files that are read are counted. */
  startUse(): void {
    this.used.clear()
    for (const name of this.alwaysUsed) this.used.add(name)
  }

  /** Stamps of the files that were read since. @throws FormatError when one of them has changed since it was opened */
  async usedStamps(): Promise<Stamps> {
    const stamps: Stamps = {}
    for (const name of this.used) {
      const { path, stamp } = this.known.get(name)!
      if (!(await isUnchanged(path, stamp)))
        throw new FormatError(CHANGED, `${name} was written to while it was read; the case is read anew.`)
      stamps[name] = stamp
    }
    return stamps
  }

  /** Size and time of files: other ones mean that they were written since. */
  async stamps(names: readonly string[]): Promise<[number, number][]> {
    const stamps: [number, number][] = []
    for (const name of names) {
      const { size, mtimeMs } = await stat(await this.inside(name))
      stamps.push([size, mtimeMs])
    }
    return stamps
  }

  decompress(method: Compression, bytes: Uint8Array, size: number): Promise<Uint8Array> {
    return decompress(method, bytes, size)
  }

  async *inflated(name: string): AsyncGenerator<Uint8Array> {
    const path = await this.inside(name)
    await this.remember(name, path)
    this.used.add(name)
    yield* inflateStream(createReadStream(path))
  }

  scratch(): DiskScratch {
    const file = DiskScratch.unnamed(this.scratchFolder)
    this.scratchFiles.push(file)
    return file
  }

  async openHdf5(name: string): Promise<Hdf5File> {
    const path = await this.inside(name)
    await this.remember(name, path)
    // its library reads by itself
    this.alwaysUsed.add(name)
    this.used.add(name)
    const file = await openHdf5(path, name)
    this.openedHdf5.push(file)
    return file
  }

  /** Closes every file opened through it. */
  async close(): Promise<void> {
    for (const file of [...this.openedHdf5.splice(0), ...this.scratchFiles.splice(0)]) file.close()
    await Promise.all(this.opened.splice(0).map((source) => source.close()))
  }
}

/** Folder and name of a path on the command line; a folder has an empty name. */
export async function folderOf(path: string): Promise<{ folder: DiskFolder; name: string }> {
  const info = await stat(path).catch(() => undefined)
  if (info?.isDirectory()) return { folder: new DiskFolder(resolve(path)), name: '' }
  return { folder: new DiskFolder(dirname(resolve(path))), name: basename(path) }
}
