/**
 * Lists of numbers that need not be in memory: ranges of their file if they are stored raw in it, else of a raw copy: written
 * to a scratch file when the list is opened, and again where that was dropped for others.
 */
import { Growing } from '../../mesh/growing'
import type { FloatArray } from '../../mesh/MeshBlock'
import type { ScratchFile } from '../../scratch'
import type { FoamFiles } from './files'
import type { ListHead, ListType } from './FoamReader'
import { readingFoam } from './FoamStream'
import type { FoamStream } from './FoamStream'

type Numbers = Uint32Array | FloatArray
type ArrayType<T extends Numbers> = new (n: number) => T

/** Items that are copied at a time. */
const ITEMS = 1 << 15

export interface NumberList<T extends Numbers> {
  readonly length: number
  /** Items [from, to). */
  read(from: number, to: number): Promise<T>
}

/** Labels of a file. @throws FormatError when there is no such file or it is damaged */
export function openLabels(files: FoamFiles, path: string): Promise<NumberList<Uint32Array>> {
  return readingFoam(files, path, (stream) => labelsIn(files, path, stream))
}

/** Coordinates: (3 × n). */
export function openPoints(files: FoamFiles, path: string): Promise<NumberList<FloatArray>> {
  return readingFoam(files, path, (stream) => scalarsIn(files, path, stream, 3))
}

export interface FaceLists {
  /** (nFaces + 1) where the points of each face begin */
  offsets: NumberList<Uint32Array>
  points: NumberList<Uint32Array>
}

export function openFaces(files: FoamFiles, path: string): Promise<FaceLists> {
  return readingFoam(files, path, async (stream) => {
    if (stream.reader.class === 'faceCompactList')
      return { offsets: await labelsIn(files, path, stream), points: await labelsIn(files, path, stream) }
    const { n, form } = await stream.entry((reader) => reader.listHead(true))
    if (form === 'none') return { offsets: heldList(new Uint32Array(0)), points: heldList(new Uint32Array(0)) }
    const get = await rawCopy(files, path, stream, (from, scratch) => writeFaces(from, n, [scratch(), scratch()]))
    const [offsets, points] = (await get()).sizes
    return { offsets: writtenList(get, 0, offsets! / 4, Uint32Array), points: writtenList(get, 1, points! / 4, Uint32Array) }
  })
}

/** The list of labels at the position of a file, which is then behind it. */
function labelsIn(files: FoamFiles, path: string, stream: FoamStream): Promise<NumberList<Uint32Array>> {
  return listIn(files, path, stream, { type: 'label', components: 1 }) as Promise<NumberList<Uint32Array>>
}

/** The list of scalars, or of tuples of them, at the position of a file, which is then behind it. */
export function scalarsIn(files: FoamFiles, path: string, stream: FoamStream, components: number): Promise<NumberList<FloatArray>> {
  return listIn(files, path, stream, { type: 'scalar', components }) as Promise<NumberList<FloatArray>>
}

interface Items {
  type: ListType
  components: number
}

async function listIn(files: FoamFiles, path: string, stream: FoamStream, items: Items): Promise<NumberList<Numbers>> {
  const { type, components } = items
  const head = await stream.entry((reader) => reader.listHead())
  const { n, form } = head
  const isSingle = form === 'raw' && type === 'scalar' && stream.reader.itemBytes(type) === 4
  const arrayType: ArrayType<Numbers> = type === 'label' ? Uint32Array : isSingle ? Float32Array : Float64Array
  if (form === 'none') return heldList(new arrayType(0))
  if (form === 'uniform') return equalList(n, await stream.entry((reader) => reader.uniformItem(components)), arrayType)
  if (form === 'raw' && stream.plain) return rawList(stream, n, items)
  const get = await rawCopy(files, path, stream, (from, scratch) => writeItems(from, head, items, scratch()))
  return writtenList(get, 0, n, arrayType, components)
}

export function heldList<T extends Numbers>(values: T, components = 1): NumberList<T> {
  return { length: values.length / components, read: async (from, to) => values.subarray(from * components, to * components) as T }
}

function equalList<T extends Numbers>(n: number, one: readonly number[], arrayType: ArrayType<T>): NumberList<T> {
  return { length: n, read: async (from, to) => new arrayType((to - from) * one.length).map((_, i) => one[i % one.length]!) as T }
}

async function rawList(stream: FoamStream, n: number, { type, components }: Items): Promise<NumberList<Numbers>> {
  const source = stream.plain!
  const first = stream.reader.position
  const size = components * stream.reader.itemBytes(type)
  const end = first + n * size
  if (end > source.size) throw stream.reader.cutOff(n, first, source.size)
  await stream.skipTo(end)
  await stream.entry((reader) => reader.expect(')'))
  const decoder = stream.reader.continued(new Uint8Array(0), 0)
  return {
    length: n,
    read: async (from, to) => {
      const bytes = await source.read(first + from * size, first + to * size)
      return type === 'label' ? decoder.labelsOf(bytes) : decoder.scalarsOf(bytes)
    },
  }
}

/** What was written of a list. */
export interface RawCopy {
  files: ScratchFile[]
  /** Bytes of each. */
  sizes: number[]
  /** Byte of its file behind the list. */
  end: number
}

/** Bytes of raw copies that are kept, how many of them, and how many whatever their size. */
const KEPT_BYTES = 4 * 2 ** 30
const MOST_KEPT = 256
const LEAST_KEPT = 16

export const rawCopyLimits = {
  limit: KEPT_BYTES,
  least: LEAST_KEPT,
  drop: (value: unknown): void => {
    for (const file of (value as RawCopy).files) file.close()
  },
}

type Write = (from: FoamStream, scratch: () => ScratchFile) => Promise<number[]>

/**
 * Writes the list whose first item is at the position of a file, which is then behind it.
 *
 * @param write  gives the bytes it wrote to each file
 * @returns what gives the files
 */
async function rawCopy(files: FoamFiles, path: string, stream: FoamStream, write: Write): Promise<() => Promise<RawCopy>> {
  const { position } = stream.reader
  const make = async (from: FoamStream): Promise<RawCopy> => {
    const own: ScratchFile[] = []
    const scratch = (): ScratchFile => own[own.push(files.folder.scratch()) - 1]!
    try {
      return { sizes: await write(from, scratch), files: own, end: from.reader.position }
    } catch (error) {
      for (const file of own) file.close()
      throw error
    }
  }
  const again = (): Promise<RawCopy> =>
    readingFoam(files, path, async (from) => {
      await from.skipTo(position)
      return make(from)
    })
  const bytesOf = ({ sizes }: RawCopy): number =>
    Math.max(
      KEPT_BYTES / MOST_KEPT,
      sizes.reduce((a, b) => a + b, 0),
    )
  const get = (how: () => Promise<RawCopy>): Promise<RawCopy> => files.rawCopies.get(`${path} ${position}`, how, bytesOf)
  const { end } = await get(() => make(stream))
  if (stream.reader.position !== end) await stream.skipTo(end)
  return () => get(again)
}

function writtenList<T extends Numbers>(
  get: () => Promise<RawCopy>,
  file: number,
  n: number,
  arrayType: ArrayType<T>,
  components = 1,
): NumberList<T> {
  return {
    length: n,
    read: async (from, to) => {
      const values = new arrayType((to - from) * components)
      ;(await get()).files[file]!.read(from * components * values.BYTES_PER_ELEMENT, new Uint8Array(values.buffer))
      return values
    },
  }
}

async function writeItems(stream: FoamStream, { n, form }: ListHead, { type, components }: Items, file: ScratchFile): Promise<number[]> {
  const start = stream.reader.position
  let size = 0
  for (let done = 0; done < n;) {
    const most = Math.min(n - done, ITEMS)
    const items = form === 'raw' ? stream.reader.rawItems(type, components, most) : textItems(stream, type, components, most)
    if (items.length) {
      file.append(new Uint8Array(items.buffer, items.byteOffset, items.byteLength))
      size += items.byteLength
      done += items.length / components
    } else if (stream.isAtEnd) throw stream.reader.cutOff(n, start, stream.reader.position)
    else await stream.more()
  }
  await stream.entry((reader) => reader.expect(')'))
  return [size]
}

function textItems({ reader, isAtEnd }: FoamStream, type: ListType, components: number, most: number): Numbers {
  const values = new Float64Array(most * components)
  const found = values.subarray(0, components * reader.textItems(values, components, isAtEnd))
  return type === 'label' ? new Uint32Array(found) : found
}

async function writeFaces(stream: FoamStream, n: number, [offsets, points]: [ScratchFile, ScratchFile]): Promise<number[]> {
  const start = stream.reader.position
  let nPoints = 0
  offsets.append(new Uint8Array(4))
  for (let done = 0; done < n;) {
    const [own, ends] = [new Growing(Uint32Array), new Growing(Uint32Array)]
    const found = stream.reader.faces(own, ends, Math.min(n - done, ITEMS), stream.isAtEnd)
    if (found) {
      offsets.append(new Uint8Array(ends.finish().map((end) => nPoints + end).buffer))
      points.append(new Uint8Array(own.finish().buffer))
      nPoints += own.length
      done += found
    } else if (stream.isAtEnd) throw stream.reader.cutOff(n, start, stream.reader.position)
    else await stream.more()
  }
  await stream.entry((reader) => reader.expect(')'))
  return [4 * (n + 1), 4 * nPoints]
}
