/**
 * Coordinates kept in a scratch file and read by pages: cells of a mesh use points near each other, so few pages serve many
 * cells in a row. Pages not used for longest go when there are too many (second chance, Corbató 1968).
 */
import type { FloatArray } from '../mesh/MeshBlock'
import type { ScratchFile } from './scratch'

/** Points of one page. */
const PAGE = 1 << 15

export class PagedPoints {
  private readonly pages: (FloatArray | undefined)[] = []
  private readonly touched: Uint8Array
  private readonly loaded: number[] = []
  private hand = 0

  /** @param maxPages  pages kept in memory, of 32,768 points each */
  constructor(
    private readonly file: ScratchFile,
    private readonly nPoints: number,
    private readonly isSingle: boolean,
    private readonly maxPages: number,
  ) {
    this.touched = new Uint8Array(Math.ceil(nPoints / PAGE))
  }

  /** Coordinates of points by their numbers: (3 × n). */
  gather(numbers: Uint32Array): FloatArray {
    const out = this.isSingle ? new Float32Array(3 * numbers.length) : new Float64Array(3 * numbers.length)
    for (let i = 0, o = 0; i < numbers.length; i++) {
      const p = numbers[i]!
      const k = p >>> 15
      const page = this.pages[k] ?? this.load(k)
      this.touched[k] = 1
      const from = 3 * (p & (PAGE - 1))
      out[o++] = page[from]!
      out[o++] = page[from + 1]!
      out[o++] = page[from + 2]!
    }
    return out
  }

  private load(k: number): FloatArray {
    if (this.loaded.length >= this.maxPages) this.drop()
    const n = Math.min(PAGE, this.nPoints - k * PAGE)
    const page = this.isSingle ? new Float32Array(3 * n) : new Float64Array(3 * n)
    this.file.read(k * PAGE * 3 * page.BYTES_PER_ELEMENT, new Uint8Array(page.buffer))
    this.pages[k] = page
    this.loaded.push(k)
    return page
  }

  private drop(): void {
    for (;;) {
      this.hand %= this.loaded.length
      const k = this.loaded[this.hand]!
      if (this.touched[k]) {
        this.touched[k] = 0
        this.hand++
        continue
      }
      this.pages[k] = undefined
      this.loaded[this.hand] = this.loaded[this.loaded.length - 1]!
      this.loaded.pop()
      return
    }
  }
}
