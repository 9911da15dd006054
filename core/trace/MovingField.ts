/**
 * A velocity that changes with the moments: linear in time between two of them, by shape functions in the cells of each. At most two
 * moments are held at a time, and of each a few blocks.
 */
import { BlockWindow } from '../mesh/BlockWindow'
import type { Domain } from '../mesh/Domain'
import { cellEdge } from '../mesh/boxes'
import { PartLocator } from '../mesh/locate'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'

/** The flow at one moment. */
export interface MomentFlow {
  /** In the unit of time in which velocities are lengths of the case by time. */
  time: number
  domain: Domain
  /** Three components on points. */
  vector(part: PartBlocks, block: number): FieldValues
  /** Equal for moments of the same mesh: a place is looked for once there. */
  mesh: string
}

/** Where something was last: searches go on from there. */
export interface Whereabouts {
  part: number
  block: number
  cell: number
}

/** Blocks whose values are held at a time for each moment. */
const NEAR_BLOCKS = 4

class FlowAt {
  readonly locator: PartLocator
  private readonly fields: BlockWindow<FieldValues>
  readonly velocity = new Float64Array(3)

  constructor(readonly flow: MomentFlow) {
    this.locator = new PartLocator(flow.domain)
    this.fields = new BlockWindow(flow.domain.parts, NEAR_BLOCKS, (part, block) => flow.vector(part, block))
  }

  /** @param found  the locator that has found the position, of the same mesh */
  evaluate({ part, block, cell, weights }: PartLocator): void {
    const { values } = this.fields.at(part, block)
    const { offsets, connectivity } = this.locator.locator(part, block).mesh
    const start = offsets[cell]!
    const n = offsets[cell + 1]! - start
    const { velocity } = this
    velocity.fill(0)
    for (let i = 0; i < n; i++) {
      const at = 3 * connectivity[start + i]!
      for (let d = 0; d < 3; d++) velocity[d]! += weights[i]! * values[at + d]!
    }
  }

  close(): void {
    this.locator.close()
    this.fields.close()
  }
}

/** To be closed. */
export class MovingField {
  /** At the position that was evaluated last. */
  readonly velocity = new Float64Array(3)
  /** The position that was asked for last. */
  readonly asked = new Float64Array(3)
  private before: FlowAt | undefined
  private after: FlowAt | undefined

  /** @param factor  from the values of the field to lengths of the case by unit of time; negative to go back in time */
  constructor(private readonly factor: number) {}

  /** Goes on to the time between two moments; the same one twice for a flow that stays as it is. */
  enter(before: MomentFlow, after: MomentFlow): void {
    const kept = [this.before, this.after].filter((one) => one !== undefined)
    const take = (flow: MomentFlow): FlowAt => kept.find((one) => one.flow === flow) ?? new FlowAt(flow)
    const next = [take(before), after === before ? undefined : take(after)] as const
    for (const one of kept) if (!next.includes(one)) one.close()
    ;[this.before, this.after] = next
  }

  /** Searches go on from there. */
  startFrom({ part, block, cell }: Whereabouts): void {
    for (const one of [this.before, this.after]) if (one) Object.assign(one.locator, { part, block, cell })
  }

  /** Where the last position lies. */
  get whereabouts(): Whereabouts {
    const { part, block, cell } = this.before!.locator
    return { part, block, cell }
  }

  /** Fills `velocity`; false outside the mesh of either moment. */
  evaluate(x: number, y: number, z: number, time: number): boolean {
    const { before, after, velocity, factor, asked } = this
    asked[0] = x
    asked[1] = y
    asked[2] = z
    if (!before!.locator.find(x, y, z)) return false
    before!.evaluate(before!.locator)
    if (!after) {
      for (let d = 0; d < 3; d++) velocity[d] = factor * before!.velocity[d]!
      return true
    }
    const isSame = after.flow.mesh === before!.flow.mesh
    if (!isSame && !after.locator.find(x, y, z)) return false
    after.evaluate(isSame ? before!.locator : after.locator)
    const t = (time - before!.flow.time) / (after.flow.time - before!.flow.time)
    for (let d = 0; d < 3; d++) velocity[d] = factor * ((1 - t) * before!.velocity[d]! + t * after.velocity[d]!)
    return true
  }

  /** Of the cell found last. */
  cellSize(): number {
    const { part, block, cell } = this.before!.locator
    return cellEdge(this.before!.locator.locator(part, block).mesh, cell)
  }

  close(): void {
    this.before?.close()
    this.after?.close()
  }
}
