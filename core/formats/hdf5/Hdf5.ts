/** What readers see of an HDF5 file. The library is in `server/cases/hdf5.ts`. */
import { FormatError } from '../../errors'
import type { FloatArray } from '../../mesh/MeshBlock'

export type Hdf5Value = number | string | ArrayLike<number> | string[]

interface Hdf5Item {
  /** Absolute, for messages. */
  path: string
  attribute(name: string): Hdf5Value | undefined
}

export interface Hdf5Group extends Hdf5Item {
  kind: 'group'
  names(): string[]
  /** A child, or what a relative path leads to; undefined when there is nothing or a link leads nowhere. */
  get(path: string): Hdf5Group | Hdf5Dataset | undefined
}

export interface Hdf5Dataset extends Hdf5Item {
  kind: 'dataset'
  shape: number[]
  numberType: string
  /**
   * Numbers in file order; a part of them by [start, end) along each axis.
   * @throws FormatError when they cannot be read
   */
  numbers(ranges?: [number, number][]): FloatArray
  texts(): string[]
}

export interface Hdf5File {
  root: Hdf5Group
  close(): void
}

const SIGNATURE = [0x89, 0x48, 0x44, 0x46, 0x0d, 0x0a, 0x1a, 0x0a]

export function isHdf5(head: Uint8Array): boolean {
  return SIGNATURE.every((byte, i) => head[i] === byte)
}

export function groupAt(group: Hdf5Group, path: string): Hdf5Group | undefined {
  const found = group.get(path)
  return found?.kind === 'group' ? found : undefined
}

export function datasetAt(group: Hdf5Group | undefined, path: string): Hdf5Dataset | undefined {
  const found = group?.get(path)
  return found?.kind === 'dataset' ? found : undefined
}

/** @throws FormatError naming what is missing */
export function requireDataset(group: Hdf5Group, path: string, file: string): Hdf5Dataset {
  const found = datasetAt(group, path)
  if (!found)
    throw new FormatError(
      'missing-array',
      `${file} has no ${group.path === '/' ? '' : group.path}/${path}; the file is inconsistent, write it again.`,
    )
  return found
}

/** Values [from, to) of all in file order: the rows that hold them are read. */
export function flatRange(dataset: Hdf5Dataset, from: number, to: number): FloatArray {
  const [rows = 1, ...inner] = dataset.shape
  const row = inner.reduce((n, size) => n * size, 1)
  const [first, last] = [Math.floor(from / row), Math.min(Math.ceil(to / row), rows)]
  return dataset.numbers([[first, last], ...inner.map((n): [number, number] => [0, n])]).subarray(from - first * row, to - first * row)
}

/** How many values it has. */
export function sizeOf({ shape }: Hdf5Dataset): number {
  return shape.reduce((n, size) => n * size, 1)
}

/** An attribute as one text, without padding. */
export function textOf(item: Hdf5Item, name: string): string {
  const value = item.attribute(name)
  const text = typeof value === 'string' ? value : Array.isArray(value) ? String(value[0] ?? '') : ''
  return text.split('\0')[0]!.trim()
}

/** An attribute as one number; NaN when there is none. */
export function numberOf(item: Hdf5Item, name: string): number {
  const value = item.attribute(name)
  if (typeof value === 'number') return value
  return typeof value === 'object' && value.length ? Number(value[0]) : NaN
}

/** Characters stored as numbers, in rows of `width`. */
export function textRows(codes: ArrayLike<number>, width: number): string[] {
  const rows: string[] = []
  if (!(width >= 1)) return rows
  for (let at = 0; at + width <= codes.length; at += width) {
    let text = ''
    for (let i = 0; i < width && codes[at + i] !== 0; i++) text += String.fromCharCode(codes[at + i]! & 255)
    rows.push(text.trim())
  }
  return rows
}
