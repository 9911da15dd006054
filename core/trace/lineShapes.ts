/** Shapes of traced and of sampled lines: positions with the weights of the cells they lie in. */
import type { PartBlocks } from '../mesh/MeshBlock'
import { PartLocator } from '../mesh/locate'
import type { Spot } from '../mesh/locate'
import type { Shape, ShapeRange } from '../steps/Shape'
import type { Ending, TracedLine } from './streamlines'

/** Streamlines as a shape with a path per line and the columns travel-time and travel-length. */
export function shapeOfLines(lines: readonly TracedLine[], parts: readonly PartBlocks[], lengthUnit: string | null): Shape {
  const volumes = parts.filter((part) => part.dimension === 3)
  const builder = new LineBuilder(volumes)
  const times: number[] = []
  for (const line of lines) {
    builder.startPath()
    for (let i = 0; i < line.times.length; i++) {
      const cell = line.cells[i]!
      const { offsets, connectivity } = volumes[line.parts[i]!]!.block(line.blocks[i]!)
      const nodes = connectivity.subarray(offsets[cell]!, offsets[cell + 1]!)
      builder.add(line.positions.slice(3 * i, 3 * i + 3), line.parts[i]!, line.blocks[i]!, { cell, nodes, weights: line.weights.slice(8 * i, 8 * i + 8) })
      times.push(line.times[i]!)
    }
  }
  const shape = builder.finish()
  shape.columns = [
    { name: 'travel-time', unit: 's', values: Float64Array.from(times) },
    { name: 'travel-length', unit: lengthUnit, values: lengths(shape) },
  ]
  shape.notes = endingNotes(lines)
  return shape
}

function endingNotes(lines: readonly TracedLine[]): string[] {
  const counts = new Map<Ending, number>()
  for (const line of lines) for (const ending of line.endings) counts.set(ending, (counts.get(ending) ?? 0) + 1)
  return [...counts].map(([ending, n]) => `${n} ${ending}`)
}

/**
 * Samples a straight line at n evenly spaced positions. Positions outside the parts have no weights: their values are
 * not-a-number and draw as gaps. The column length counts from the start.
 */
export function sampleLine(
  parts: readonly PartBlocks[],
  start: readonly number[],
  end: readonly number[],
  n: number,
  lengthUnit: string | null,
): Shape {
  const volumes = parts.filter((part) => part.dimension === 3)
  const locator = new PartLocator(volumes)
  const builder = new LineBuilder(volumes)
  builder.startPath()
  let outside = 0
  for (let i = 0; i < n; i++) {
    const t = n > 1 ? i / (n - 1) : 0.5
    const [x, y, z] = [0, 1, 2].map((d) => start[d]! * (1 - t) + end[d]! * t) as [number, number, number]
    const spot = locator.findExactly(x, y, z)
    if (spot) builder.add([x, y, z], locator.part, locator.block, spot)
    else {
      outside++
      builder.addOutside([x, y, z])
    }
  }
  const shape = builder.finish()
  shape.columns = [{ name: 'travel-length', unit: lengthUnit, values: lengths(shape) }]
  if (outside) shape.notes = [`${outside} of ${n} samples lie outside the domain and are left as gaps`]
  return shape
}

/** Distance from the start of its path at every point. */
function lengths(shape: Shape): Float64Array {
  const out = new Float64Array(shape.points.length / 3)
  const p = shape.points
  for (let k = 0; k + 1 < shape.paths!.length; k++) {
    for (let i = shape.paths![k]! + 1; i < shape.paths![k + 1]!; i++) {
      const a = 3 * i
      out[i] = out[i - 1]! + Math.hypot(p[a]! - p[a - 3]!, p[a + 1]! - p[a - 2]!, p[a + 2]! - p[a - 1]!)
    }
  }
  return out
}

class LineBuilder {
  private readonly points: number[] = []
  private readonly starts: number[] = [0]
  private readonly sources: number[] = []
  private readonly weights: number[] = []
  private readonly cells: number[] = []
  private readonly elements: number[] = []
  private readonly paths: number[] = []
  private readonly ranges: ShapeRange[] = []

  constructor(private readonly parts: readonly PartBlocks[]) {}

  startPath(): void {
    this.paths.push(this.points.length / 3)
  }

  add(position: readonly number[], part: number, block: number, { cell, nodes, weights }: Omit<Spot, 'weights'> & { weights: ArrayLike<number> }): void {
    for (let i = 0; i < nodes.length; i++) {
      if (weights[i] === 0) continue
      this.sources.push(nodes[i]!)
      this.weights.push(weights[i]!)
    }
    this.extend(this.parts[part]!.name, block)
    this.push(position, cell)
  }

  addOutside(position: readonly number[]): void {
    const last = this.ranges[this.ranges.length - 1]
    this.extend(last?.part ?? this.parts[0]?.name ?? '', last?.block ?? 0)
    this.push(position, 0)
  }

  finish(): Shape {
    this.paths.push(this.points.length / 3)
    return {
      kind: 'lines',
      points: Float64Array.from(this.points),
      elements: Uint32Array.from(this.elements),
      cells: Uint32Array.from(this.cells),
      weightStarts: Uint32Array.from(this.starts),
      sources: Uint32Array.from(this.sources),
      weights: Float64Array.from(this.weights),
      ranges: this.ranges.filter((r) => r.pointEnd > r.pointStart),
      paths: Uint32Array.from(this.paths),
    }
  }

  /** A segment joins each point to the one before it on its path; it belongs to the range of its second point. */
  private push(position: readonly number[], cell: number): void {
    const index = this.points.length / 3
    this.points.push(position[0]!, position[1]!, position[2]!)
    this.starts.push(this.sources.length)
    const range = this.ranges[this.ranges.length - 1]!
    if (index > this.paths[this.paths.length - 1]!) {
      this.elements.push(index - 1, index)
      this.cells.push(cell)
    }
    range.pointEnd = index + 1
    range.elementEnd = this.cells.length
  }

  private extend(part: string, block: number): void {
    const last = this.ranges[this.ranges.length - 1]
    if (last && last.part === part && last.block === block) return
    const point = this.points.length / 3
    const element = this.cells.length
    this.ranges.push({ part, block, pointStart: point, pointEnd: point, elementStart: element, elementEnd: element })
  }
}
