/**
 * Coordinates kept in a scratch file and read by pages: cells of a mesh use points near each other, so few pages serve many
 * cells in a row. Pages not used for longest go when there are too many (second chance, Corbató 1968).
 */
import { Kernels } from '../kernels/Kernels'
import { LOT_CELLS, putOffsets } from '../mesh/cornerLots'
import { curveKeysOf } from '../mesh/curveOrder'
import type { Cells } from '../mesh/faceMatching'
import type { Box, FloatArray } from '../mesh/MeshBlock'
import { foreignPoint } from '../mesh/normaliseCells'
import type { ScratchFile } from './scratch'

/** Points of one page; `kernels/assembly/points.ts` counts them so, too. */
const PAGE = 1 << 15

/** Cells turned the right way out, with their places along the curve. */
export interface PlacedCells {
  nodes: Uint32Array
  keys: Uint32Array
  /** How many were turned. */
  mirrored: number
}

export class PagedPoints {
  private readonly kernels = new Kernels({ loadPage: (k) => this.load(k) })
  private readonly nPages: number
  /** Where the table of pages, the marks of those used, and the pages stand. */
  private readonly at: { table: number; touched: number; pages: number }
  private readonly loaded: number[] = []
  private hand = 0

  /** @param maxPages  pages kept in memory, of 32,768 points each */
  constructor(
    private readonly file: ScratchFile,
    private readonly nPoints: number,
    private readonly isSingle: boolean,
    private readonly maxPages: number,
  ) {
    this.nPages = Math.ceil(nPoints / PAGE)
    this.at = { table: this.kernels.put(new Uint32Array(this.nPages)), touched: this.kernels.put(new Uint8Array(this.nPages)), pages: this.kernels.take(Uint8Array, Math.min(this.nPages, maxPages) * this.pageBytes) }
  }

  private get pageBytes(): number {
    return 3 * PAGE * (this.isSingle ? 4 : 8)
  }

  /** Coordinates of points by their numbers: (3 × n). */
  gather(numbers: Uint32Array): FloatArray {
    const { kernels, at, isSingle } = this
    return kernels.within(() => {
      const type: typeof Float32Array | typeof Float64Array = isSingle ? Float32Array : Float64Array
      const from = kernels.put(numbers)
      const out = kernels.take(type, 3 * numbers.length)
      const gather = isSingle ? kernels.run.gatherSingle : kernels.run.gatherDouble
      gather(at.table, at.touched, this.nPoints, from, numbers.length, out)
      return kernels.view<FloatArray>(type, out, 3 * numbers.length).slice()
    })
  }

  /** @throws FormatError for a point number out of range */
  place(cells: Cells, box: Box, where: string): PlacedCells {
    const { kernels, at } = this
    const placed = { nodes: new Uint32Array(cells.connectivity.length), keys: new Uint32Array(cells.types.length), mirrored: 0 }
    const gather = this.isSingle ? kernels.run.gatherSingleAsDouble : kernels.run.gatherDouble
    for (let from = 0; from < cells.types.length; from += LOT_CELLS) {
      const to = Math.min(from + LOT_CELLS, cells.types.length)
      kernels.within(() => {
        const own = cells.connectivity.subarray(cells.offsets[from], cells.offsets[to])
        const nodes = kernels.put(own)
        const offsets = putOffsets(kernels, cells.offsets, from, to)
        const corners = kernels.take(Float64Array, 3 * own.length)
        const good = gather(at.table, at.touched, this.nPoints, nodes, own.length, corners) >>> 0
        if (good < own.length) throw foreignPoint(own[good]!, this.nPoints, where)
        placed.mirrored += kernels.run.orientCells(kernels.put(cells.types.subarray(from, to)), offsets, corners, nodes, to - from)
        const keys = curveKeysOf(kernels, { offsets, corners, n: to - from }, box)
        placed.keys.set(kernels.view(Uint32Array, keys, to - from), from)
        placed.nodes.set(kernels.view(Uint32Array, nodes, own.length), cells.offsets[from])
      })
    }
    return placed
  }

  private load(k: number): number {
    const slot = this.loaded.length < this.maxPages ? this.loaded.push(k) - 1 : this.exchange(k)
    const bytes = 3 * Math.min(PAGE, this.nPoints - k * PAGE) * (this.isSingle ? 4 : 8)
    const page = this.at.pages + slot * this.pageBytes
    this.file.read(k * this.pageBytes, this.kernels.view(Uint8Array, page, bytes))
    this.kernels.view(Uint32Array, this.at.table, this.nPages)[k] = page
    return page
  }

  /** Puts page k in the place of one not used since the hand last passed. @returns its slot */
  private exchange(k: number): number {
    const touched = this.kernels.view(Uint8Array, this.at.touched, this.nPages)
    for (;; this.hand++) {
      this.hand %= this.loaded.length
      const old = this.loaded[this.hand]!
      if (touched[old]) {
        touched[old] = 0
        continue
      }
      this.kernels.view(Uint32Array, this.at.table, this.nPages)[old] = 0
      this.loaded[this.hand] = k
      return this.hand++
    }
  }
}
