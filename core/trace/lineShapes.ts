/** Pieces of traced and of sampled lines: positions with the weights of the cells they lie in. */
import type { Domain } from '../mesh/Domain'
import type { PartBlocks } from '../mesh/MeshBlock'
import { PartLocator } from '../mesh/locate'
import type { Vector } from '../mesh/vectors'
import { chainSegments } from '../shapes/chainSegments'
import { NO_CELL } from '../shapes/Shape'
import type { Piece, ShapeRange } from '../shapes/Shape'
import { movedPiece } from '../shapes/turned'
import type { Motion } from '../shapes/turned'
import type { TracedLine } from './streamlines'

/** Paths of lines that lie in one copy of the mesh, with three columns. */
class Stretches {
  readonly builder: LineBuilder
  readonly times: number[] = []
  readonly lengths: number[] = []
  readonly lines: number[] = []

  constructor(
    parts: readonly PartBlocks[],
    readonly motion: Motion,
  ) {
    this.builder = new LineBuilder(parts)
  }

  piece(): Piece {
    const columns = [this.times, this.lengths, this.lines].map((values) => Float64Array.from(values))
    const piece = { ...this.builder.finish(), columns }
    return movedPiece('lines', piece, this.motion)
  }
}

/**
 * Streamlines as pieces with a path per line and three columns: time and length along the line, and its number. What has gone on
 * through periodic sides lies in a piece for each copy, a path for each stretch.
 *
 * @param timeFactor  from the case's length unit over the unit of the traced vector to the unit of time that is stated
 */
export function piecesOfLines(lines: readonly TracedLine[], parts: readonly PartBlocks[], timeFactor: number): Piece[] {
  const byMotion = new Map<string, Stretches>()
  for (const [number, line] of lines.entries()) {
    const { times, cells, nodes, weights, positions, jumps, copies, motions } = line
    const starts = new Set([0, ...jumps])
    let own: Stretches | undefined
    let way = 0
    for (let i = 0; i < times.length; i++) {
      if (starts.has(i)) {
        const motion = motions[copies[i]!]!
        // copies of different lines differ by rounding
        const key = motion.map((x) => Math.round(1e6 * x)).join()
        own = byMotion.get(key) ?? new Stretches(parts, motion)
        byMotion.set(key, own)
        own.builder.startPath()
      } else way += apart(positions.slice(3 * i - 3, 3 * i) as Vector, positions.slice(3 * i, 3 * i + 3) as Vector)
      const spot = { cell: cells[i]!, nodes: nodes.slice(8 * i, 8 * i + 8), weights: weights.slice(8 * i, 8 * i + 8) }
      own!.builder.add(positions.slice(3 * i, 3 * i + 3), line.parts[i]!, line.blocks[i]!, spot)
      own!.times.push(times[i]! * timeFactor)
      own!.lengths.push(way)
      own!.lines.push(number)
    }
  }
  return [...byMotion.values()].map((stretches) => stretches.piece())
}

export interface SampledLine {
  /** A point per sample; samples outside the domain have no weights and no cell, so that they have no value. */
  piece: Piece
  outside: number
}

export const spacings = ['even', 'start', 'end', 'ends'] as const
/** Where samples stand closer. */
export type Spacing = (typeof spacings)[number]

/** Distances of closer samples grow in the ratio of a half cosine: at the close end they go to 0 with the square of the number. */
function shareOf(t: number, spacing: Spacing): number {
  if (spacing === 'start') return 1 - Math.cos((t * Math.PI) / 2)
  if (spacing === 'end') return Math.sin((t * Math.PI) / 2)
  return spacing === 'ends' ? (1 - Math.cos(t * Math.PI)) / 2 : t
}

/** Shares of a line, from 0 to 1, of n samples. */
export function sharesOf(n: number, spacing: Spacing): number[] {
  return Array.from({ length: n }, (_, i) => (n > 1 ? shareOf(i / (n - 1), spacing) : 0.5))
}

/**
 * A drawn line as segments that lie in a domain, each between two samples; corners of the line are samples.
 *
 * @param count  about how many samples there are on all of it
 */
export function sampleLines(domain: Domain, drawn: Piece, count: number): SampledLine {
  const locator = new PartLocator(domain)
  const builder = new LineBuilder(domain.parts)
  const lines = chainSegments(drawn).map(({ points }) =>
    points.map((p): Vector => [0, 1, 2].map((d) => drawn.points[3 * p + d]!) as Vector),
  )
  const total = lines.reduce((sum, line) => sum + line.slice(1).reduce((own, at, i) => own + apart(line[i]!, at), 0), 0)
  let outside = 0
  try {
    for (const line of lines) {
      let isOpen = false
      for (const position of samplesOf(line, total / count)) {
        const spot = locator.findExactly(...position)
        if (!spot) outside++
        else {
          if (!isOpen) builder.startPath()
          builder.add(position, locator.part, locator.block, spot)
        }
        isOpen = spot !== undefined
      }
    }
  } finally {
    locator.close()
  }
  return { piece: builder.finish(), outside }
}

/** Corners of a line, and places between them at most so far apart. */
function samplesOf(line: readonly Vector[], step: number): Vector[] {
  return line.flatMap((end, i) => {
    const start = line[i - 1]
    if (!start) return [end]
    const n = Math.max(1, Math.ceil(apart(start, end) / step - 1e-9))
    return Array.from({ length: n }, (_, k): Vector => {
      const t = (k + 1) / n
      return [0, 1, 2].map((d) => start[d]! * (1 - t) + end[d]! * t) as Vector
    })
  })
}

function apart(a: Vector, b: Vector): number {
  return Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2])
}

/** @param keepsOutside  whether positions outside the domain become points without a value, or none */
export function samplePlaces(domain: Domain, positions: Iterable<Vector>, keepsOutside: boolean): SampledLine {
  const locator = new PartLocator(domain)
  const builder = new LineBuilder(domain.parts)
  builder.startPath()
  let outside = 0
  try {
    for (const position of positions) {
      const spot = locator.findExactly(...position)
      if (spot) builder.add(position, locator.part, locator.block, spot)
      else {
        outside++
        if (keepsOutside) builder.addOutside(position)
      }
    }
  } finally {
    locator.close()
  }
  return { piece: builder.finishPoints(), outside }
}

/**
 * Lines from place to place, at each of which a domain has values; places outside it have none.
 *
 * @param paths  first place of each line, and the end of the last (n + 1)
 */
export function linesThrough(domain: Domain, positions: Float64Array, paths: Uint32Array, check: () => void): Piece {
  const locator = new PartLocator(domain)
  const builder = new LineBuilder(domain.parts)
  try {
    for (let k = 0; k + 1 < paths.length; k++) {
      builder.startPath()
      check()
      for (let p = paths[k]!; p < paths[k + 1]!; p++) {
        const [x, y, z] = positions.subarray(3 * p, 3 * p + 3) as unknown as Vector
        const spot = locator.findExactly(x, y, z)
        if (spot) builder.add([x, y, z], locator.part, locator.block, spot)
        else builder.addOutside([x, y, z])
      }
    }
  } finally {
    locator.close()
  }
  return builder.finish()
}

/** A position in a cell: the nodes and weights that values there are made of. */
interface Place {
  cell: number
  nodes: ArrayLike<number>
  weights: ArrayLike<number>
}

export class LineBuilder {
  private readonly points: number[] = []
  private readonly starts: number[] = [0]
  private readonly sources: number[] = []
  private readonly weights: number[] = []
  private readonly cells: number[] = []
  private readonly paths: number[] = []
  private readonly ranges: { part: string; block: number; start: number; end: number }[] = []

  /** @param parts  those that places are in, by their numbers */
  constructor(private readonly parts: readonly { name: string }[]) {}

  startPath(): void {
    this.paths.push(this.cells.length)
  }

  add(position: readonly number[], part: number, block: number, { cell, nodes, weights }: Place): void {
    for (let i = 0; i < nodes.length; i++) {
      if (weights[i] === 0) continue
      this.sources.push(nodes[i]!)
      this.weights.push(weights[i]!)
    }
    this.push(position, this.parts[part]!.name, block, cell)
  }

  addOutside(position: readonly number[]): void {
    const last = this.ranges[this.ranges.length - 1]
    this.push(position, last?.part ?? this.parts[0]?.name ?? '', last?.block ?? 0, NO_CELL)
  }

  /** As lines: a segment joins each point to the one before it on its path; it belongs to the range of its second point. */
  finish(): Piece {
    const { pointsOfPaths, paths } = this.closed()
    const elements: number[] = []
    const cells: number[] = []
    const isFirst = new Set(this.paths)
    const ranges: ShapeRange[] = []
    for (const { part, block, start, end } of this.ranges) {
      const elementStart = cells.length
      for (let p = start; p < end; p++) {
        if (isFirst.has(p)) continue
        elements.push(p - 1, p)
        cells.push(this.cells[p]!)
      }
      ranges.push({ part, block, pointStart: start, pointEnd: end, elementStart, elementEnd: cells.length })
    }
    const pointCells = Uint32Array.from(this.cells)
    return { ...pointsOfPaths, elements: Uint32Array.from(elements), cells: Uint32Array.from(cells), ranges, paths, pointCells }
  }

  /** As points: each is an element of its own. */
  finishPoints(): Piece {
    const { pointsOfPaths, paths } = this.closed()
    const ranges = this.ranges.map(({ part, block, start, end }): ShapeRange => {
      return { part, block, pointStart: start, pointEnd: end, elementStart: start, elementEnd: end }
    })
    const cells = Uint32Array.from(this.cells)
    return { ...pointsOfPaths, elements: cells.map((_, p) => p), cells, ranges, paths, pointCells: cells }
  }

  private closed(): { pointsOfPaths: Pick<Piece, 'points' | 'weightStarts' | 'sources' | 'weights'>; paths: Uint32Array } {
    return {
      pointsOfPaths: {
        points: Float64Array.from(this.points),
        weightStarts: Uint32Array.from(this.starts),
        sources: Uint32Array.from(this.sources),
        weights: Float64Array.from(this.weights),
      },
      paths: Uint32Array.of(...this.paths, this.cells.length),
    }
  }

  private push(position: readonly number[], part: string, block: number, cell: number): void {
    const point = this.cells.length
    this.points.push(position[0]!, position[1]!, position[2]!)
    this.starts.push(this.sources.length)
    this.cells.push(cell)
    const last = this.ranges[this.ranges.length - 1]
    if (last && last.part === part && last.block === block) last.end = point + 1
    else this.ranges.push({ part, block, start: point, end: point + 1 })
  }
}
