/**
 * Faces that cells name by number, read by pages: cells that follow each other have faces near each other in most files, or in a few
 * places, so few pages serve many cells.
 */

/** Faces that follow one another. */
export interface Faces {
  /** (n + 1) */
  offsets: Uint32Array
  points: Uint32Array
}

const PAGE_BITS = 13
const PAGE = 1 << PAGE_BITS
/** Bytes of faces that are kept for the next window. */
export const KEPT_FACES = 64 * 2 ** 20

export class FacePages {
  private readonly pages = new Map<number, Faces>()
  private kept = 0
  private last: Promise<unknown> = Promise.resolve()

  /** @param read  faces [from, to), their points beginning at 0 */
  constructor(
    private readonly nFaces: number,
    private readonly read: (from: number, to: number) => Promise<Faces>,
  ) {}

  /** Pages that hold the points of some faces. Those asked for together are read in turn: they share pages. */
  of(faces: Uint32Array): Promise<NeededPages> {
    const pages = this.last.then(() => this.needed(faces))
    // an error is thrown where the pages are waited for
    this.last = pages.catch(() => undefined)
    return pages
  }

  private async needed(faces: Uint32Array): Promise<NeededPages> {
    const out: Faces[] = []
    for (let i = 0; i < faces.length; i++) {
      const k = faces[i]! >>> PAGE_BITS
      if (!out[k]) out[k] = await this.page(k)
    }
    for (const [k, page] of this.pages) {
      if (this.kept <= KEPT_FACES) break
      if (out[k]) continue
      this.pages.delete(k)
      this.kept -= bytesOf(page)
    }
    return new NeededPages(out)
  }

  private async page(k: number): Promise<Faces> {
    let page = this.pages.get(k)
    if (page) this.pages.delete(k)
    else {
      page = await this.read(k * PAGE, Math.min((k + 1) * PAGE, this.nFaces))
      this.kept += bytesOf(page)
    }
    // those used last go last
    this.pages.set(k, page)
    return page
  }
}

/** Pages by number, of which those that were asked for are there. */
export class NeededPages {
  constructor(private readonly pages: readonly Faces[]) {}

  lengthOf(face: number): number {
    const { offsets } = this.pages[face >>> PAGE_BITS]!
    const f = face & (PAGE - 1)
    return offsets[f + 1]! - offsets[f]!
  }

  /** Writes a face as its number of points and the points. @returns where the next one goes */
  write(face: number, stream: Uint32Array, at: number): number {
    const { offsets, points } = this.pages[face >>> PAGE_BITS]!
    const f = face & (PAGE - 1)
    stream[at++] = offsets[f + 1]! - offsets[f]!
    for (let i = offsets[f]!; i < offsets[f + 1]!; i++) stream[at++] = points[i]!
    return at
  }
}

function bytesOf({ offsets, points }: Faces): number {
  return offsets.byteLength + points.byteLength
}
