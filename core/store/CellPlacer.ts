/** Gives cells their places along the curve and gives them back in its order: the half of storing a large part that can run beside the rest. */
import type { Box } from '../mesh/MeshBlock'
import type { Cells } from '../mesh/faceMatching'
import { placesAmong } from '../mesh/numbering'
import { CellSort, partOfCells } from './cellSort'
import { PagedPoints } from './pagedPoints'
import type { PlacedCells } from './pagedPoints'
import type { ScratchFile } from './scratch'

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

export interface CellPlacer {
  /** @param from  number of the first cell. @throws FormatError for a point number out of range */
  place(from: number, cells: CellsToPlace): Promise<Pick<PlacedCells, 'nodes' | 'mirrored'>>
  /**
   * All cells, `size` at a time but for the last ones. A block is good until the next one is asked for.
   *
   * @param isNumbered  gives the points of each block numbers of its own, in the order in which the cells first use them
   */
  blocks(size: number, isNumbered: boolean): AsyncIterable<SortedBlock>
}

export class LocalPlacer implements CellPlacer {
  private readonly points: PagedPoints
  private readonly sort: CellSort

  constructor(
    private readonly task: PlacerTask,
    scratch: { points: ScratchFile; cells: ScratchFile },
  ) {
    this.points = new PagedPoints(scratch.points, task.nPoints, task.isSingle, task.pages)
    this.sort = new CellSort(scratch.cells, task.group)
  }

  async place(from: number, cells: CellsToPlace): Promise<PlacedCells> {
    const placed = this.points.place(cells, this.task.box, this.task.name)
    const { keys } = placed
    // no cell is divided between windows
    if (cells.sources) for (let c = 1; c < keys.length; c++) if (cells.sources[c] === cells.sources[c - 1]) keys[c] = keys[c - 1]!
    const numbers = keys.map((_, c) => from + c)
    this.sort.add({ ...cells, numbers, keys, nodes: placed.nodes })
    return placed
  }

  async *blocks(size: number, isNumbered: boolean): AsyncGenerator<SortedBlock> {
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
