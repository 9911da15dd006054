/** Elements of sections of one kind each, in windows: tables, polygons, and polyhedra made of them. */
import { FormatError } from '../../errors'
import { SourceType } from '../../mesh/splitCells'
import { tableCells } from '../cellTables'
import type { CellWindow, FormatWindows } from '../Format'
import { flatRange, sizeOf } from '../hdf5/Hdf5'
import type { Hdf5Dataset } from '../hdf5/Hdf5'
import { joinCells } from '../meshParts'
import { overlaps, startsOf } from '../pieces'
import { sharedFaces } from '../sharedFaces'
import type { WholeNumbers } from '../sharedFaces'
import { NFACE, NGON, tableOf } from './elements'
import type { Section } from './elements'

/** Elements [from, to) of a section. */
type ReadSection = (from: number, to: number) => Promise<CellWindow>

/**
 * @param all  sections of the zone, among which the faces of polyhedra are
 * @returns the elements of some sections, one section after the other; undefined where one has no ranges
 */
export function sectionWindows(
  file: string,
  nPoints: number,
  points: FormatWindows['points'],
  sections: readonly Section[],
  all: readonly Section[],
): FormatWindows | undefined {
  const readers: ReadSection[] = []
  for (const section of sections) {
    const reader = readerOf(file, section, all)
    if (!reader) return undefined
    readers.push(reader)
  }
  const firsts = startsOf(sections.map(({ count }) => count))
  const cells = async (from: number, to: number): Promise<CellWindow> => {
    const lots: CellWindow[] = []
    for (const [k, start, end] of overlaps(firsts, from, to)) lots.push(await readers[k]!(start, end))
    return lots.length === 1
      ? lots[0]!
      : joinCells(
          lots,
          lots.map(() => 0),
        )
  }
  return { name: file, nPoints, nCells: firsts[sections.length]!, points, cells }
}

function readerOf(file: string, section: Section, all: readonly Section[]): ReadSection | undefined {
  if (section.code === NGON) return section.starts && polygons(file, section, section.starts)
  if (section.code === NFACE)
    return polyhedra(
      file,
      section,
      all.find(({ code }) => code === NGON),
    )
  const table = tableOf(section)
  return table && ((from, to) => tableCells([table], from, to))
}

function polygons(file: string, { name, first, dataset }: Section, starts: Hdf5Dataset): ReadSection {
  return async (from, to) => {
    const ends = flatRange(starts, from, to + 1)
    const offsets = new Uint32Array(to - from + 1)
    for (let e = 0; e < to - from; e++) {
      if (!(ends[e]! >= 0 && ends[e + 1]! >= ends[e]! && ends[e + 1]! <= sizeOf(dataset)))
        throw new FormatError(
          'bad-cell',
          `${file}: the elements “${name}” do not fit their offsets at element ${first + from + e}; the file is damaged.`,
        )
      offsets[e + 1] = ends[e + 1]! - ends[0]!
    }
    const types = Uint8Array.from({ length: to - from }, (_, e) => ({ 3: 5, 4: 9 })[offsets[e + 1]! - offsets[e]!] ?? 7)
    return { types, offsets, connectivity: wholeOf(flatRange(dataset, ends[0]!, ends[to - from]!), (p) => p - 1) }
  }
}

/** Older files have no offsets: these are read whole. */
function polyhedra(file: string, section: Section, faces: Section | undefined): ReadSection | undefined {
  if (!section.starts || !faces?.starts) return undefined
  // a negative number says that the face points inwards
  const lists = [
    endsOf(section.starts, section.count),
    listOf(section.dataset, (face) => Math.abs(face) - faces.first),
    endsOf(faces.starts, faces.count),
    listOf(faces.dataset, (p) => p - 1),
  ] as const
  const read = sharedFaces(
    lists,
    (cell, why) =>
      new FormatError(
        'bad-cell',
        `${file}, ${section.name}: ${cell === undefined ? '' : `polyhedron ${section.first + cell} `}${why}; the file is damaged.`,
      ),
  )
  return async (from, to) => {
    const types = new Uint8Array(to - from).fill(SourceType.polyhedron)
    return { types, offsets: new Uint32Array(to - from + 1), connectivity: new Uint32Array(0), polyhedra: await read(from, to, types) }
  }
}

function endsOf(starts: Hdf5Dataset, n: number): WholeNumbers {
  return { length: n, readWhole: async (from, to) => wholeOf(flatRange(starts, from + 1, to + 1), (x) => x) }
}

function listOf(dataset: Hdf5Dataset, change: (x: number) => number): WholeNumbers {
  return { length: sizeOf(dataset), readWhole: async (from, to) => wholeOf(flatRange(dataset, from, to), change) }
}

/** Invalid numbers become too large, so that the range check finds them. */
function wholeOf(values: ArrayLike<number>, change: (x: number) => number): Uint32Array {
  const out = new Uint32Array(values.length)
  for (let i = 0; i < out.length; i++) out[i] = change(values[i]!)
  return out
}
