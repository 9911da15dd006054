/**
 * Places cells along the curve and returns them in its order: the half of storing a large part that can run in parallel to
 * the rest.
 */
import type { FormatError } from '../errors'
import type { Box } from '../mesh/MeshBlock'
import { Kernels } from '../kernels/Kernels'
import { cellDimension } from '../mesh/cellTypes'
import { LOT_CELLS, putCells } from '../mesh/cornerLots'
import { putCurve } from '../mesh/curveOrder'
import type { CurveAt } from '../mesh/curveOrder'
import type { Cells } from '../mesh/faceMatching'
import { foreignCell, foreignPoint, wrongNodes } from '../mesh/normaliseCells'
import { placesAmong } from '../mesh/numbering'
import { CellSort, partOfCells } from './cellSort'
import { PagedPoints } from './pagedPoints'
import type { ScratchFile } from '../scratch'

/** Points in a scratch file, and how much of everything is held at a time. */
export interface PlacerTask {
  /** Names file and part in errors. */
  name: string
  nPoints: number
  isSingle: boolean
  box: Box
  /** Pages of points kept. */
  pages: number
  /** Cells sorted at a time. */
  group: number
}

/** Cells, and where they are pieces the numbers of what they are pieces of: those of one stay together. */
export interface CellsToPlace extends Cells {
  sources?: Uint32Array
}

/** Cells that follow one another along the curve. */
export interface SortedBlock {
  numbers: Uint32Array
  types: Uint8Array
  offsets: Uint32Array
  /** Numbers of points in the part, or their places in `pointNumbers`. */
  nodes: Uint32Array
  pointNumbers?: Uint32Array
}

/** Cells turned the right way out. */
export interface PlacedCells {
  nodes: Uint32Array
  /** How many were turned. */
  mirrored: number
}

export interface CellPlacer {
  /** @param from  number of the first cell. @throws FormatError for an incomplete or non-volume cell, or a point number out of range */
  place(from: number, cells: CellsToPlace): Promise<PlacedCells>
  /**
   * All cells, `size` at a time but for the last ones. The buffers of a block are reused by the next one.
   *
   * @param isNumbered  gives the points of each block numbers of its own, in the order in which the cells first use them
   */
  blocks(size: number, isNumbered: boolean): AsyncIterable<SortedBlock>
}

/** Memory that is released once all cells have their places. */
interface Placing {
  kernels: Kernels
  points: PagedPoints
  curve: CurveAt
  /** Where the cells that were turned are counted. */
  turned: number
}

export class LocalPlacer implements CellPlacer {
  private readonly sort: CellSort
  private placing: Placing | undefined
  /** Of the last cell placed, where cells are pieces. */
  private last: { source: number; key: number } | undefined

  constructor(
    private readonly task: PlacerTask,
    scratch: { points: ScratchFile; cells: ScratchFile },
  ) {
    const kernels: Kernels = new Kernels({ loadPage: (k) => points.load(k), flush: (bin) => this.sort.flush(bin) })
    const points = new PagedPoints(scratch.points, task.nPoints, task.isSingle, task.pages, kernels)
    this.placing = { kernels, points, curve: putCurve(kernels, task.box), turned: kernels.put(Uint32Array.of(0)) }
    this.sort = new CellSort(scratch.cells, task.group, kernels)
  }

  async place(from: number, cells: CellsToPlace): Promise<PlacedCells> {
    const { kernels, turned } = this.placing!
    const nodes = new Uint32Array(cells.connectivity.length)
    kernels.view(Uint32Array, turned, 1)[0] = 0
    for (let first = 0; first < cells.types.length; first += LOT_CELLS) {
      kernels.within(() => this.placeLot(from, cells, first, Math.min(first + LOT_CELLS, cells.types.length), nodes))
    }
    return { nodes, mirrored: kernels.view(Uint32Array, turned, 1)[0]! }
  }

  private placeLot(number: number, cells: CellsToPlace, from: number, to: number, nodes: Uint32Array): void {
    const { kernels, points, curve, turned } = this.placing!
    const lot = putCells(kernels, cells, from, to)
    const { keys, placed } = points.place(lot, curve, turned)
    if (placed < lot.n) throw wrongCell(cells, from + placed, number, this.task)
    if (cells.sources) this.keepTogether(cells.sources.subarray(from, to), kernels.view(Uint32Array, keys, lot.n))
    this.sort.add({ ...lot, keys, numbers: { first: number + from } })
    const [start, end] = [cells.offsets[from]!, cells.offsets[to]!]
    nodes.set(kernels.view(Uint32Array, lot.nodes + 4 * start, end - start), start)
  }

  /** Pieces of one cell follow one another, though never from one window to the next. */
  private keepTogether(sources: Uint32Array, keys: Uint32Array): void {
    for (let c = 0; c < keys.length; c++) {
      if (this.last?.source === sources[c]) keys[c] = this.last!.key
      else this.last = { source: sources[c]!, key: keys[c]! }
    }
  }

  async *blocks(size: number, isNumbered: boolean): AsyncGenerator<SortedBlock> {
    this.placing = undefined
    for (const group of this.sort.groups(size)) {
      for (let from = 0; from < group.numbers.length; from += size) {
        const { numbers, types, offsets, nodes } = partOfCells(group, from, Math.min(from + size, group.numbers.length))
        if (isNumbered) {
          const { places, different } = placesAmong(nodes)
          yield { numbers, types, offsets, nodes: places, pointNumbers: different }
        } else yield { numbers, types, offsets, nodes }
      }
    }
  }
}

/** The error of a cell. @param first  number of the first of the cells */
function wrongCell(cells: CellsToPlace, c: number, first: number, { name, nPoints }: PlacerTask): FormatError {
  const type = cells.types[c]!
  if (cellDimension(type) !== 3) return foreignCell(type, name)
  const own = cells.connectivity.subarray(cells.offsets[c], cells.offsets[c + 1])
  return (
    wrongNodes(type, own.length, first + c, name) ??
    foreignPoint(
      own.find((p) => p >= nPoints)!,
      nPoints,
      name,
    )
  )
}
