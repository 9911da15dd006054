/** Lists of numbers that need not be in memory: ranges of the file where they stand raw in it, held whole where they do not. */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { ByteSource } from '../ByteSource'
import { missingFile, openFoam, openFoamHead } from './files'
import type { FoamFiles } from './files'
import { scalarTypes } from './FoamReader'
import type { FoamReader } from './FoamReader'

export interface NumberList<T extends Uint32Array | FloatArray> {
  readonly length: number
  /** Of memory that is held. */
  readonly bytes: number
  /** Items [from, to). */
  read(from: number, to: number): Promise<T>
}

export function heldList<T extends Uint32Array | FloatArray>(values: T, components = 1): NumberList<T> {
  return { length: values.length / components, bytes: values.byteLength, read: async (from, to) => values.subarray(from * components, to * components) as T }
}

/** Labels of a file. @throws FormatError when there is no such file or it is damaged */
export async function openLabels(files: FoamFiles, path: string): Promise<NumberList<Uint32Array>> {
  const raw = await openRaw(files, path)
  const list = raw && rawLabels(raw)
  return list ?? heldList((await open(files, path)).labels())
}

/** Coordinates: (3 × n). */
export async function openPoints(files: FoamFiles, path: string): Promise<NumberList<FloatArray>> {
  const raw = await openRaw(files, path)
  const list = raw && rawScalars(raw, 3)
  return list ?? heldList((await open(files, path)).scalars(3), 3)
}

export interface FaceLists {
  /** (nFaces + 1) where the points of each face begin */
  offsets: NumberList<Uint32Array>
  points: NumberList<Uint32Array>
}

export async function openFaces(files: FoamFiles, path: string): Promise<FaceLists> {
  const raw = await openRaw(files, path)
  if (raw?.reader.class === 'faceCompactList') {
    const offsets = rawLabels(raw)
    const points = offsets && rawLabels(await behind(raw))
    if (points) return { offsets, points }
  }
  const { offsets, points } = (await open(files, path)).faces()
  return { offsets: heldList(offsets), points: heldList(points) }
}

/** Inner values of a field; undefined where its file must be read whole. */
export async function openInnerValues(files: FoamFiles, path: string, components: number): Promise<NumberList<FloatArray> | undefined> {
  const raw = await openRaw(files, path)
  if (!raw || !findInnerList(raw.reader, components)) return undefined
  return rawScalars(raw, components)
}

/** A file whose lists stand raw in it, read as far as the reader is. */
interface RawFile {
  source: ByteSource
  /** Of the beginning of what is left, at byte `start` of the file. */
  reader: FoamReader
  start: number
  /** Byte at which the last list ends. */
  end: number
}

async function openRaw(files: FoamFiles, path: string): Promise<RawFile | undefined> {
  const { folder, names } = files
  if (!names.has(path)) return undefined
  const reader = await openFoamHead(files, path)
  return reader?.isBinary ? { source: await folder.open(path), reader, start: 0, end: 0 } : undefined
}

/** The same file behind its last list. */
async function behind({ source, reader, end }: RawFile): Promise<RawFile> {
  const bytes = await source.read(end, Math.min(end + 64, source.size))
  const rest = reader.continued(bytes)
  rest.expect(')')
  return { source, reader: rest, start: end, end }
}

function rawLabels(raw: RawFile): NumberList<Uint32Array> | undefined {
  return rawList(raw, raw.reader.labelBytes, (bytes) => raw.reader.labelsOf(bytes))
}

function rawScalars(raw: RawFile, components: number): NumberList<FloatArray> | undefined {
  return rawList(raw, components * raw.reader.scalarBytes, (bytes) => raw.reader.scalarsOf(bytes))
}

function rawList<T extends Uint32Array | FloatArray>(raw: RawFile, size: number, decode: (bytes: Uint8Array) => T): NumberList<T> | undefined {
  const { source, reader, start } = raw
  const n = reader.rawCount()
  if (n === undefined) return undefined
  const first = start + reader.at
  raw.end = first + n * size
  if (raw.end > source.size) throw reader.cutOff(n, first, source.size)
  return { length: n, bytes: 0, read: async (from, to) => decode(await source.read(first + from * size, first + to * size)) }
}

async function open(files: FoamFiles, path: string): Promise<FoamReader> {
  const reader = await openFoam(files, path)
  if (!reader) throw missingFile(path)
  return reader
}

/** Goes to the list of a field's inner values, of so many components each. @returns whether there is one as far as these bytes go */
function findInnerList(reader: FoamReader, components: number): boolean {
  try {
    for (let key = reader.token(); key !== ''; key = reader.token()) {
      if (key === 'internalField') return reader.token() === 'nonuniform' && scalarTypes[/^List<(\w+)>$/.exec(reader.token())?.[1] ?? ''] === components
      reader.noteEntry(key)
    }
  } catch (error) {
    // it goes on behind these bytes
    if (!(error instanceof FormatError)) throw error
  }
  return false
}
