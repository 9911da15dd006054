/** Opens files of a case folder, whole or their beginnings, as they are or zipped. */
import { FormatError } from '../../errors'
import type { ByteSource, SourceFolder } from '../ByteSource'
import { FoamReader, HEAD } from './FoamReader'
import type { Recent } from './Recent'

export interface FoamFiles {
  folder: SourceFolder
  /** Of all files, from the folder of the case. */
  names: ReadonlySet<string>
  /** What was written of lists that do not are stored raw in their files. */
  rawCopies: Recent
}

/** Inflated files are bounded by this ratio to their size. */
const MAX_RATIO = 1100

/** Opens a file of a case, inflated when it is stored with `.gz`; undefined when there is neither. */
export async function openFoam({ folder, names }: FoamFiles, path: string): Promise<FoamReader | undefined> {
  if (names.has(path)) return new FoamReader(await whole(await folder.open(path)), path)
  if (!names.has(`${path}.gz`)) return undefined
  const source = await folder.open(`${path}.gz`)
  const packed = await whole(source)
  try {
    return new FoamReader(await folder.decompress('gzip', packed, MAX_RATIO * packed.length + 1024), path)
  } catch {
    throw new FormatError('bad-gzip', `${path}.gz is damaged; copy it again.`)
  }
}

/** The beginning of a file, for what its header says. */
export async function openFoamHead(files: FoamFiles, path: string): Promise<FoamReader | undefined> {
  const { folder, names } = files
  const isPlain = names.has(path)
  if (!isPlain && !names.has(`${path}.gz`)) return undefined
  const source = await folder.open(isPlain ? path : `${path}.gz`)
  const bytes = await source.read(0, Math.min(HEAD, source.size))
  try {
    return new FoamReader(isPlain ? bytes : await folder.decompress('gzip-start', bytes, MAX_RATIO * bytes.length + 1024), path)
  } catch {
    return openFoam(files, path)
  }
}

/**
 * Lets a file know the entries of those that it includes. Missing ones are reported when they are used.
 *
 * @param folder  that of the file, with a slash
 */
export async function includeFiles(files: FoamFiles, reader: FoamReader, folder: string): Promise<void> {
  for (const name of reader.includes()) {
    const included = await openFoam(files, folder + name.replace(/^\.\//, ''))
    try {
      for (let key = included?.token() ?? ''; key !== ''; key = included!.token()) included!.noteEntry(key)
    } catch (error) {
      if (!(error instanceof FormatError)) throw error
    }
    for (const [key, at] of included?.macros ?? []) reader.macros.set(key, at)
  }
}

export function missingFile(path: string): FormatError {
  return new FormatError('missing-file', `${path} is missing; copy the case with all of its files.`)
}

function whole(source: ByteSource): Promise<Uint8Array> {
  return source.read(0, source.size)
}
