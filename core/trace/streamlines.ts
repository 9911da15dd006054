/**
 * Streamlines by an embedded Runge–Kutta pair with error control.
 *
 * The line is followed in arc length (the field divided by its magnitude), so that the step does not depend on the speed;
 * time is integrated along as a fourth component. Velocities come from the cells' shape functions. A step is accepted
 * when its estimated error is below `tolerance` times the size of the domain; no step is longer than two cells, or a
 * thin vortex could be stepped over unseen.
 */
import { BlockWindow } from '../mesh/BlockWindow'
import type { Domain } from '../mesh/Domain'
import { PartLocator } from '../mesh/locate'
import type { FieldValues, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { cellEdge, diagonal, unionBox } from '../mesh/boxes'
import type { Vector } from '../mesh/vectors'
import { after, STILL } from '../shapes/turned'
import type { Motion } from '../shapes/turned'
import { errorWeights, stageWeights } from './dormandPrince'
import type { PeriodicSides } from './PeriodicSides'

export const lineEnds = [
  'left the domain',
  'came to rest',
  'reached the length limit',
  'reached the time limit',
  'reached the step limit',
  'seed outside',
] as const
export type LineEnd = (typeof lineEnds)[number]

export interface StreamlineOptions {
  direction: 'downstream' | 'upstream' | 'both'
  /** Relative to the diagonal of the domain. */
  tolerance: number
  /** Longest line, in the case's length unit. */
  maxLength: number
  /** Longest way by time, in the unit that the length unit over that of the field is. */
  maxTime?: number
  maxSteps: number
  /** Called now and then; throws to cancel. */
  check?: () => void
  /** Sides through which a line goes on. */
  sides?: PeriodicSides
}

/**
 * One traced line.
 *
 *   positions  (3 × n)
 *   times      (n), negative upstream, 0 at the seed
 *   parts, blocks, cells   where each position lies
 *   nodes      (8 × n) of the cell, local to the block
 *   weights    (8 × n) of the nodes; unused ones are 0
 *   copies     (n) which of `motions` takes each position to where the line really is: through periodic sides it goes on in other copies
 *   jumps      points that the line reaches through such a side, at the place where it has left
 */
export interface TracedLine {
  positions: number[]
  times: number[]
  parts: number[]
  blocks: number[]
  cells: number[]
  nodes: number[]
  weights: number[]
  copies: number[]
  motions: Motion[]
  jumps: number[]
  endings: LineEnd[]
}

/** Share of the longest time to which a line ends at it. */
const END = 1e-9
/** Speeds below this share of the largest seen count as rest. */
const REST = 1e-9
/** Smallest step as a share of the domain's diagonal: near a wall the last step is halved down to this. */
const MIN_STEP = 1e-7

/** Blocks whose values are held at a time. */
const NEAR_BLOCKS = 4

/** Traces lines of one vector field. To be closed. */
export class StreamlineTracer {
  private readonly locator: PartLocator
  private readonly parts: readonly PartBlocks[]
  private readonly size: number
  private readonly fields: BlockWindow<FieldValues>
  private mesh: MeshBlock | undefined
  private largestSpeed = 0
  /** Direction and slowness at the last evaluated position. */
  private readonly rate = new Float64Array(4)
  private readonly stages = Array.from({ length: 7 }, () => new Float64Array(4))

  /** @param vector  values of the traced field on a block: three components on points */
  constructor(domain: Domain, vector: (part: PartBlocks, block: number) => FieldValues) {
    this.parts = domain.parts
    this.locator = new PartLocator(domain)
    this.fields = new BlockWindow(this.parts, NEAR_BLOCKS, vector)
    this.size = diagonal(unionBox(this.parts.flatMap((part) => part.boxes)))
  }

  trace(x: number, y: number, z: number, options: StreamlineOptions): TracedLine {
    if (!this.evaluate(x, y, z, 1)) return { ...newLine(), endings: ['seed outside'] }
    if (options.direction === 'downstream') return this.march(x, y, z, 1, options)
    const back = this.march(x, y, z, -1, options)
    reverse(back)
    if (options.direction === 'upstream') return back
    const forth = this.march(x, y, z, 1, options)
    return joinAtSeed(back, forth)
  }

  /** Fills `rate` with the unit direction and the slowness; false outside the domain. */
  private evaluate(x: number, y: number, z: number, sign: number): boolean {
    const { locator, rate } = this
    if (!locator.find(x, y, z)) return false
    const { values } = this.enter()
    const mesh = this.mesh!
    const start = mesh.offsets[locator.cell]!
    const n = mesh.offsets[locator.cell + 1]! - start
    let u = 0,
      v = 0,
      w = 0
    for (let i = 0; i < n; i++) {
      const at = 3 * mesh.connectivity[start + i]!
      const weight = locator.weights[i]!
      u += weight * values[at]!
      v += weight * values[at + 1]!
      w += weight * values[at + 2]!
    }
    const speed = Math.sqrt(u * u + v * v + w * w)
    if (speed > this.largestSpeed) this.largestSpeed = speed
    const slowness = speed > 0 ? sign / speed : 0
    rate[0] = u * slowness
    rate[1] = v * slowness
    rate[2] = w * slowness
    rate[3] = slowness
    return true
  }

  close(): void {
    this.locator.close()
    this.fields.close()
  }

  /** Field and mesh of the block found last. */
  private enter(): FieldValues {
    const { part, block } = this.locator
    this.mesh = this.locator.locator(part, block).mesh
    return this.fields.at(part, block)
  }

  private isAtRest(): boolean {
    const slowness = Math.abs(this.rate[3]!)
    return !(slowness > 0 && slowness * REST * this.largestSpeed < 1)
  }

  /** Of the cell found last. */
  private cellSize(): number {
    return cellEdge(this.mesh!, this.locator.cell)
  }

  private march(x0: number, y0: number, z0: number, sign: number, options: StreamlineOptions): TracedLine {
    const line = newLine()
    const { rate, stages, size } = this
    const tolerance = options.tolerance * size
    const { maxTime = Infinity } = options
    const finish = (ending: LineEnd): TracedLine => {
      line.endings.push(ending)
      return line
    }
    let x = x0,
      y = y0,
      z = z0,
      time = 0,
      length = 0
    this.evaluate(x, y, z, sign)
    this.record(line, x, y, z, time)
    if (this.isAtRest()) return finish('came to rest')
    let limit = 2 * this.cellSize()
    let step = limit / 4
    let left = false
    /** Goes on behind a periodic side; false where there is none. */
    const crosses = (): boolean => {
      this.evaluate(x, y, z, sign)
      const way = [rate[0]!, rate[1]!, rate[2]!] as Vector
      const found = options.sides?.cross([x, y, z], way, (place) => this.evaluate(...place, sign))
      if (!found || line.jumps[line.jumps.length - 1] === line.times.length - 1) return false
      ;[x, y, z] = found.place
      line.motions.push(after(found.back, line.motions[line.motions.length - 1]!))
      line.jumps.push(line.times.length)
      this.evaluate(x, y, z, sign)
      this.record(line, x, y, z, time)
      limit = 2 * this.cellSize()
      step = limit / 4
      left = false
      return true
    }
    for (let accepted = 0; accepted < options.maxSteps;) {
      options.check?.()
      stages[0]!.set(rate)
      if (length + step >= options.maxLength) step = options.maxLength - length
      if (step < 1e-12 * size) return finish('reached the length limit')
      const inside = this.takeStages(x, y, z, step, sign)
      if (!inside) {
        left = true
        if (step <= MIN_STEP * size) {
          if (crosses()) continue
          return finish('left the domain')
        }
        step /= 2
        if (!this.evaluate(x, y, z, sign)) return finish('left the domain')
        continue
      }
      const late = maxTime < Infinity ? Math.abs(this.advance(x, y, z, time, step)[3]) - maxTime : 0
      if (late > END * maxTime) {
        // by the share of the step that is too much
        step *= Math.max(0.1, 1 - late / (late + maxTime - Math.abs(time)))
        this.evaluate(x, y, z, sign)
        continue
      }
      const error = this.stepError(step)
      const factor = Math.min(4, Math.max(0.2, 0.9 * (tolerance / Math.max(error, 1e-300)) ** 0.2))
      if (error > tolerance && step > MIN_STEP * size) {
        step *= factor
        this.evaluate(x, y, z, sign)
        continue
      }
      ;[x, y, z, time] = this.advance(x, y, z, time, step)
      length += step
      accepted++
      if (!this.evaluate(x, y, z, sign)) return finish('left the domain')
      this.record(line, x, y, z, time)
      if (this.isAtRest()) return finish('came to rest')
      if (Math.abs(time) >= maxTime * (1 - END)) return finish('reached the time limit')
      if (length >= options.maxLength * (1 - 1e-12)) return finish('reached the length limit')
      limit = 2 * this.cellSize()
      // once the boundary was met, creep towards it instead of growing the step again
      step = Math.min(left ? step : step * factor, limit)
    }
    return finish('reached the step limit')
  }

  /** Fills stages 1 to 6 (stage 0 is the rate at the start); false when one is outside. */
  private takeStages(x: number, y: number, z: number, step: number, sign: number): boolean {
    const { stages } = this
    for (let s = 1; s < 7; s++) {
      let dx = 0,
        dy = 0,
        dz = 0
      const row = stageWeights[s]!
      for (let j = 0; j < s; j++) {
        const a = row[j]!
        const stage = stages[j]!
        dx += a * stage[0]!
        dy += a * stage[1]!
        dz += a * stage[2]!
      }
      if (!this.evaluate(x + step * dx, y + step * dy, z + step * dz, sign)) return false
      stages[s]!.set(this.rate)
    }
    return true
  }

  private stepError(step: number): number {
    let sum = 0
    for (let d = 0; d < 3; d++) {
      let e = 0
      for (let s = 0; s < 7; s++) e += errorWeights[s]! * this.stages[s]![d]!
      sum += e * e
    }
    return step * Math.sqrt(sum)
  }

  private advance(x: number, y: number, z: number, time: number, step: number): [number, number, number, number] {
    const out: [number, number, number, number] = [x, y, z, time]
    const row = stageWeights[6]!
    for (let d = 0; d < 4; d++) for (let s = 0; s < 6; s++) out[d]! += step * row[s]! * this.stages[s]![d]!
    return out
  }

  private record(line: TracedLine, x: number, y: number, z: number, time: number): void {
    const { locator } = this
    line.positions.push(x, y, z)
    line.times.push(time)
    line.parts.push(locator.part)
    line.blocks.push(locator.block)
    line.cells.push(locator.cell)
    line.copies.push(line.motions.length - 1)
    const { offsets, connectivity } = this.mesh!
    const start = offsets[locator.cell]!
    const n = offsets[locator.cell + 1]! - start
    for (let i = 0; i < 8; i++) {
      line.nodes.push(i < n ? connectivity[start + i]! : 0)
      line.weights.push(i < n ? locator.weights[i]! : 0)
    }
  }
}

function newLine(): TracedLine {
  const points = { positions: [], times: [], parts: [], blocks: [], cells: [], nodes: [], weights: [] }
  return { ...points, copies: [], motions: [STILL], jumps: [], endings: [] }
}

function reverse(line: TracedLine): void {
  const n = line.times.length
  const rows = (list: number[], size: number): number[] => {
    const out: number[] = []
    for (let i = n - 1; i >= 0; i--) for (let k = 0; k < size; k++) out.push(list[i * size + k]!)
    return out
  }
  line.positions = rows(line.positions, 3)
  line.nodes = rows(line.nodes, 8)
  line.weights = rows(line.weights, 8)
  for (const list of [line.times, line.parts, line.blocks, line.cells, line.copies]) list.reverse()
  line.jumps = line.jumps.map((jump) => n - jump).reverse()
}

function joinAtSeed(back: TracedLine, forth: TracedLine): TracedLine {
  return {
    positions: [...back.positions, ...forth.positions.slice(3)],
    times: [...back.times, ...forth.times.slice(1)],
    parts: [...back.parts, ...forth.parts.slice(1)],
    blocks: [...back.blocks, ...forth.blocks.slice(1)],
    cells: [...back.cells, ...forth.cells.slice(1)],
    nodes: [...back.nodes, ...forth.nodes.slice(8)],
    weights: [...back.weights, ...forth.weights.slice(8)],
    // both begin in the mesh itself
    copies: [...back.copies, ...forth.copies.slice(1).map((copy) => (copy ? copy + back.motions.length - 1 : 0))],
    motions: [...back.motions, ...forth.motions.slice(1)],
    jumps: [...back.jumps, ...forth.jumps.map((jump) => jump + back.times.length - 1)],
    endings: [...back.endings, ...forth.endings],
  }
}
