/**
 * Faces of the polyhedra of a piece, by windows of its cells. Older files have one stream of counts and points, in which each
 * polyhedron's end is known; newer ones keep faces once and name them by number.
 */
import { FormatError } from '../../errors'
import { sharedFaces } from '../sharedFaces'
import type { ReadPolyhedra, WholeNumbers, WrongPolyhedron } from '../sharedFaces'
import { childrenNamed } from '../xmlTree'
import type { XmlElement } from '../xmlTree'
import { ArrayWindows } from './arrayWindows'
import { readDataArray } from './dataArray'
import type { FileContext, NumberArray } from './dataArray'

/** An array by ranges, or held where it has none. */
interface Numbers extends WholeNumbers {
  read(from: number, to: number): Promise<NumberArray>
}

/** Cells that are looked through for the end of the last polyhedron before a window. */
const LOOK_BACK = 1 << 12

/**
 * @param isWindowed  whether only what has ranges will do: undefined then where an array has none
 * @throws FormatError for arrays that are missing or have a wrong length
 */
export async function openPolyhedra(
  file: FileContext,
  cells: XmlElement | undefined,
  nCells: number,
  isWindowed: boolean,
): Promise<ReadPolyhedra | undefined> {
  const listed = childrenNamed(cells, 'DataArray')
  const named = (name: string): XmlElement | undefined => listed.find((array) => array.attributes['Name'] === name)
  const isShared = named('face_connectivity') !== undefined
  const names = isShared
    ? (['polyhedron_offsets', 'polyhedron_to_faces', 'face_offsets', 'face_connectivity'] as const)
    : (['faceoffsets', 'faces'] as const)
  const arrays: Numbers[] = []
  for (const [i, name] of names.entries()) {
    const element = named(name)
    if (!element)
      throw new FormatError(
        'missing-array',
        `${file.source.name} has polyhedra but no array “${name}”; the file is inconsistent, write it again.`,
      )
    const expected = i === 0 ? nCells : undefined
    const array =
      (await ArrayWindows.open(file, element, expected)) ?? (isWindowed ? undefined : held(await readDataArray(file, element, expected)))
    if (!array) return undefined
    arrays.push(array)
  }
  const wrong: WrongPolyhedron = (cell, why) =>
    new FormatError('bad-cell', `${file.source.name}: ${cell === undefined ? '' : `polyhedron ${cell} `}${why}; the file is damaged.`)
  return isShared ? sharedFaces(arrays as [Numbers, Numbers, Numbers, Numbers], wrong) : streams(arrays as [Numbers, Numbers], wrong)
}

function held(values: NumberArray): Numbers {
  return {
    length: values.length,
    read: async (from, to) => values.subarray(from, to),
    readWhole: async (from, to) => Uint32Array.from(values.subarray(from, to)),
  }
}

function streams([ends, faces]: [Numbers, Numbers], wrong: WrongPolyhedron): ReadPolyhedra {
  let known: { cell: number; end: number } | undefined
  /** Where the first polyhedron from a cell on begins. */
  const startAt = async (cell: number): Promise<number> => {
    if (known?.cell === cell) return known.end
    for (let to = cell; to > 0; to -= LOOK_BACK) {
      const before = await ends.read(Math.max(0, to - LOOK_BACK), to)
      for (let i = before.length - 1; i >= 0; i--) if (before[i]! >= 0) return before[i]!
    }
    return 0
  }
  return async (from, to) => {
    const own = await ends.read(from, to)
    const first = await startAt(from)
    const starts = new Float64Array(to - from).fill(-1)
    let end = first
    for (let c = 0; c < own.length; c++) {
      // other cells have none
      if (own[c]! < 0) continue
      if (!(own[c]! >= end && own[c]! <= faces.length))
        throw wrong(from + c, `ends at number ${own[c]} of the list of faces, which does not follow`)
      starts[c] = end - first
      end = own[c]!
    }
    known = { cell: to, end }
    return { starts, stream: await faces.readWhole(first, end) }
  }
}
