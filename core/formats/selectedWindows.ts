/** Some cells of a mesh that is read in windows: its volumes or surfaces where it has both, or those that are no copies of others. */
import { foreignPoint } from '../mesh/normaliseCells'
import { sortedPlaces } from '../mesh/numbering'
import { pickCells } from '../mesh/selectCells'
import type { SelectedMesh } from '../mesh/selectCells'
import type { CellWindow, FormatWindows } from './Format'
import { gatherItems } from './gatherItems'
import { joinCells } from './meshParts'

/** Cells of the source that are looked through at a time. */
const WINDOW = 1 << 16

/** @param keep  numbers of the cells to keep, ascending */
export function selectedWindows(source: FormatWindows, keep: Uint32Array): FormatWindows {
  const cells = async (from: number, to: number): Promise<CellWindow> => {
    const lots: CellWindow[] = []
    // those that are kept may be far from each other
    for (let start = from; start < to;) {
      const first = keep[start]!
      let end = start + 1
      while (end < to && keep[end]! < first + WINDOW) end++
      const all = await source.cells(first, keep[end - 1]! + 1)
      lots.push(
        pickCells(
          all,
          keep.subarray(start, end).map((c) => c - first),
        ),
      )
      start = end
    }
    return lots.length === 1
      ? lots[0]!
      : joinCells(
          lots,
          lots.map(() => 0),
        )
  }
  return { ...source, nCells: keep.length, cellNumbers: keep, memory: (source.memory ?? 0) + keep.byteLength, cells }
}

/** The cells that are kept, in memory, with the points that they use. @throws FormatError for a point that is not there */
export async function selectedMesh(source: FormatWindows, keep: Uint32Array): Promise<SelectedMesh> {
  const cells = await selectedWindows(source, keep).cells(0, keep.length)
  const { places, different } = sortedPlaces(cells.connectivity)
  const last = different[different.length - 1]
  if (last !== undefined && last >= source.nPoints) throw foreignPoint(last, source.nPoints, source.name)
  const points = await gatherItems({ length: source.nPoints, read: (from, to) => source.points(from, to) }, different, 3)
  return { ...cells, points, connectivity: places, cellNumbers: keep, pointSources: different, nPoints: different.length }
}
