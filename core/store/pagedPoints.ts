/**
 * Coordinates kept in a scratch file and read by pages: cells of a mesh use points near each other, so few pages serve many
 * cells in a row. Pages not used for longest go when there are too many (second chance, Corbató 1968).
 */
import { Kernels } from '../kernels/Kernels'
import type { CellLot } from '../mesh/cornerLots'
import type { CurveAt } from '../mesh/curveOrder'
import type { FloatArray } from '../mesh/MeshBlock'
import type { ScratchFile } from '../scratch'

/** Points of one page; `kernels/assembly/points.ts` counts them so, too. */
const PAGE = 1 << 15

export class PagedPoints {
  private readonly nPages: number
  /** Addresses of the table of pages, of the marks of those used, and of the pages. */
  private readonly at: { table: number; touched: number; pages: number }
  private readonly loaded: number[] = []
  private hand = 0

  /**
   * @param maxPages  pages kept in memory, of 32,768 points each
   * @param kernels   with this as their `loadPage`
   */
  constructor(
    private readonly file: ScratchFile,
    private readonly nPoints: number,
    private readonly isSingle: boolean,
    private readonly maxPages: number,
    private readonly kernels: Kernels = new Kernels({ loadPage: (k) => this.load(k) }),
  ) {
    this.nPages = Math.ceil(nPoints / PAGE)
    this.at = {
      table: this.kernels.put(new Uint32Array(this.nPages)),
      touched: this.kernels.put(new Uint8Array(this.nPages)),
      pages: this.kernels.take(Uint8Array, Math.min(this.nPages, maxPages) * this.pageBytes),
    }
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

  /**
   * Turns the cells of a lot the right way out and gives them their places along the curve.
   *
   * @param turned  where those that were turned are counted
   * @returns address of the places, and how many cells have one: the next one is no volume cell, or has a point out of range
   */
  place({ types, offsets, nodes, n }: CellLot, curve: CurveAt, turned: number): { keys: number; placed: number } {
    const { kernels, at } = this
    const keys = kernels.take(Uint32Array, n)
    const place = this.isSingle ? kernels.run.placeSingle : kernels.run.placeDouble
    return {
      keys,
      placed: place(at.table, at.touched, this.nPoints, types, offsets, nodes, n, curve.corner, curve.steps, keys, turned) >>> 0,
    }
  }

  /** Loads page k. @returns its address */
  load(k: number): number {
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
    for (; ; this.hand++) {
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
