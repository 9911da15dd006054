/** Some cells of a mesh that is read in windows: its volumes or surfaces where it has both, or those that are no copies of others. */
import type { FloatArray } from '../mesh/MeshBlock'
import { foreignPoint } from '../mesh/normaliseCells'
import { placesAmong } from '../mesh/numbering'
import { pickCells } from '../mesh/selectCells'
import type { SelectedMesh } from '../mesh/selectCells'
import type { CellWindow, FormatWindows } from './Format'
import { joinCells } from './meshParts'

/** Cells and points of the source that are looked through at a time. */
const WINDOW = 1 << 16

/** @param keep  numbers of the cells to keep, ascending */
export function selectedWindows(source: FormatWindows, keep: Uint32Array): FormatWindows {
  const cells = async (from: number, to: number): Promise<CellWindow> => {
    const lots: CellWindow[] = []
    // those that are kept may be far from each other
    for (let start = from; start < to; ) {
      const first = keep[start]!
      let end = start + 1
      while (end < to && keep[end]! < first + WINDOW) end++
      const all = await source.cells(first, keep[end - 1]! + 1)
      lots.push(pickCells(all, keep.subarray(start, end).map((c) => c - first)))
      start = end
    }
    return lots.length === 1 ? lots[0]! : joinCells(lots, lots.map(() => 0))
  }
  return { ...source, nCells: keep.length, cellNumbers: keep, memory: (source.memory ?? 0) + keep.byteLength, cells }
}

/** The cells that are kept, in memory, with the points that they use. @throws FormatError for a point that is not there */
export async function selectedMesh(source: FormatWindows, keep: Uint32Array): Promise<SelectedMesh> {
  const cells = await selectedWindows(source, keep).cells(0, keep.length)
  const { places, different } = placesAmong(cells.connectivity)
  const pointSources = different.slice().sort()
  const last = pointSources[pointSources.length - 1]
  if (last !== undefined && last >= source.nPoints) throw foreignPoint(last, source.nPoints, source.name)
  let points: FloatArray = new Float64Array(0)
  for (let from = 0, i = 0; i < pointSources.length; from += WINDOW) {
    const to = Math.min(from + WINDOW, source.nPoints)
    if (pointSources[i]! >= to) continue
    const window = await source.points(from, to)
    if (i === 0) points = window instanceof Float32Array ? new Float32Array(3 * pointSources.length) : new Float64Array(3 * pointSources.length)
    for (; i < pointSources.length && pointSources[i]! < to; i++) for (let d = 0; d < 3; d++) points[3 * i + d] = window[3 * (pointSources[i]! - from) + d]!
  }
  const order = new Map(Array.from(pointSources, (p, i) => [p, i]))
  const ranks = different.map((p) => order.get(p)!)
  return { ...cells, points, connectivity: places.map((place) => ranks[place]!), cellNumbers: keep, pointSources, nPoints: pointSources.length }
}
