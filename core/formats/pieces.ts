/** Windows of a mesh that is divided into pieces, which share points where they touch. */
import { FormatError } from '../errors'
import { SeamTable } from '../mesh/joinSeams'
import type { FloatArray } from '../mesh/MeshBlock'
import type { CellWindow, FormatWindows } from './Format'
import { joinCells, joinFloats, moveFaces } from './meshParts'

export interface Pieces {
  name: string
  sizes: readonly { points: number; cells: number }[]
  /** Coordinates of points [from, to) of piece k: (3 × n). */
  points(k: number, from: number, to: number): Promise<FloatArray>
  /** Cells [from, to) of piece k, by its own points. */
  cells(k: number, from: number, to: number): Promise<CellWindow>
  /** Points of piece k that others may share: their numbers in it, and where they are. */
  outside(k: number): Promise<{ numbers: Uint32Array; points: FloatArray }>
  /** Of reading, in bytes. */
  memory?: number
  /** Disk that reading takes, in bytes. */
  scratch?: number
}

export function windowsOfPieces(pieces: Pieces): FormatWindows {
  const { name, sizes, memory, scratch } = pieces
  const [firstPoints, firstCells] = [startsOf(sizes.map((size) => size.points)), startsOf(sizes.map((size) => size.cells))]
  const seams = new Seams(pieces, firstPoints)
  return {
    ...{ name, nPoints: firstPoints[sizes.length]!, nCells: firstCells[sizes.length]! },
    ...(memory && { memory }),
    ...(scratch && { scratch }),
    joined: () => seams.joined,
    points: async (from, to) => {
      const found: FloatArray[] = []
      for (const [k, start, end] of overlaps(firstPoints, from, to)) {
        found.push(await pieces.points(k, start, end))
        const n = found[found.length - 1]!.length / 3
        if (n !== end - start)
          throw new FormatError(
            'wrong-length',
            `${name}: piece ${k + 1} has not the ${sizes[k]!.points} points it states; the case is inconsistent.`,
          )
      }
      return joinFloats(found)
    },
    cells: async (from, to) => {
      // the numbers of the only piece are those of the whole
      if (sizes.length === 1) return pieces.cells(0, from, to)
      const found: CellWindow[] = []
      for (const [k, start, end] of overlaps(firstCells, from, to))
        found.push(renumbered(await pieces.cells(k, start, end), await seams.numbersOf(k)))
      return found.length === 1
        ? found[0]!
        : joinCells(
            found,
            found.map(() => 0),
          )
    },
  }
}

/** Where each piece begins, and the end of the last. */
export function startsOf(sizes: readonly number[]): number[] {
  const out = [0]
  for (const size of sizes) out.push(out[out.length - 1]! + size)
  return out
}

/** Pieces that have some of [from, to), and which of their own these are. */
export function* overlaps(firsts: readonly number[], from: number, to: number): Generator<[k: number, start: number, end: number]> {
  for (let k = 0; k + 1 < firsts.length; k++) {
    const [start, end] = [Math.max(from, firsts[k]!), Math.min(to, firsts[k + 1]!)]
    if (start < end) yield [k, start - firsts[k]!, end - firsts[k]!]
  }
}

/** Numbers in the whole of the points of each piece. */
class Seams {
  private found: Promise<{ numbers: Uint32Array; targets: Uint32Array }[]> | undefined
  private last: { k: number; numbers: Promise<Uint32Array> } | undefined
  joined = 0

  constructor(
    private readonly pieces: Pieces,
    private readonly firsts: readonly number[],
  ) {}

  /** (nPoints of piece k) */
  numbersOf(k: number): Promise<Uint32Array> {
    if (this.last?.k !== k) this.last = { k, numbers: this.allOf(k) }
    return this.last.numbers
  }

  private async allOf(k: number): Promise<Uint32Array> {
    const first = this.firsts[k]!
    const all = Uint32Array.from({ length: this.pieces.sizes[k]!.points }, (_, p) => first + p)
    const { numbers, targets } = (await (this.found ??= this.find()))[k]!
    for (let i = 0; i < numbers.length; i++) all[numbers[i]!] = targets[i]!
    return all
  }

  private async find(): Promise<{ numbers: Uint32Array; targets: Uint32Array }[]> {
    const table = new SeamTable()
    const found: { numbers: Uint32Array; targets: Uint32Array }[] = []
    for (const [k, first] of this.firsts.slice(0, -1).entries()) {
      const { numbers, points } = await this.pieces.outside(k)
      found.push({
        numbers,
        targets: table.join(
          points,
          numbers.map((p) => first + p),
        ),
      })
    }
    this.joined = table.joined
    return found
  }
}

function renumbered({ types, offsets, connectivity, polyhedra }: CellWindow, numbers: Uint32Array): CellWindow {
  // one that is out of range stays so, for the check of cells to name
  const number = (p: number): number => numbers[p] ?? 0xffffffff
  const cells = { types, offsets, connectivity: connectivity.map(number) }
  return polyhedra ? { ...cells, polyhedra: moveFaces(types, polyhedra, number) } : cells
}
