/**
 * Values of one mesh at positions of another, through the cells that the positions lie in: shape functions for values on points, the value
 * of the cell for values on cells. What is linear in a cell is carried exactly.
 */
import { boxOfPoints } from './boxes'
import { curveOrderOfPoints } from './curveOrder'
import type { Domain } from './Domain'
import { PartLocator } from './locate'
import type { Spot } from './locate'
import type { FieldValues, MeshBlock, PartBlocks } from './MeshBlock'

/** Positions that are located at a time: their places are held until the values of each block were looked at once. */
const AT_ONCE = 1 << 18
/** Positions between two looks at whether it is still wanted. */
const CHECK_EVERY = 1024
/** Of a linear cell at most. */
const NODES = 8

export interface Carried {
  /** (components × n) NaN where nothing is found. */
  values: Float64Array
  components: number
  /** Positions at which nothing is found. */
  nLost: number
}

/**
 * @param positions   (3 × n) in the unit of the domain, in any order: they are looked for along a curve that fills space
 * @param components  of the values
 * @param valuesOf    on a block of a part
 */
export function carryByCells(
  domain: Domain,
  positions: ArrayLike<number>,
  components: number,
  valuesOf: (part: PartBlocks, block: number) => FieldValues,
  check: () => void,
): Carried {
  const n = positions.length / 3
  const values = new Float64Array(components * n).fill(NaN)
  let nLost = 0
  const locator = new PartLocator(domain)
  try {
    for (let first = 0; first < n; first += AT_ONCE) {
      const end = Math.min(n, first + AT_ONCE)
      const places = locate(locator, positions, first, end, check)
      for (const { part, block, runs } of places.byBlock.values()) {
        const own = domain.parts[part]!
        own.within(() => {
          const of = valuesOf(own, block)
          const mesh = own.block(block)
          for (const [from, to] of runs) for (let i = from; i < to; i++) places.put(i, of, mesh, values)
        })
      }
      nLost += end - first - places.nFound
    }
  } finally {
    locator.close()
  }
  return { values, components, nLost }
}

/** Runs of found positions that lie in one block: first and last but one. */
interface InBlock {
  part: number
  block: number
  runs: [number, number][]
}

/** Where positions lie, in the order in which they were found. */
class Places {
  readonly byBlock = new Map<string, InBlock>()
  nFound = 0
  private readonly positions: Uint32Array
  private readonly cells: Uint32Array
  private readonly weights: Float64Array
  /** Of quadratic cells. */
  private readonly spots = new Map<number, Spot>()
  private run: [number, number] | undefined
  private latest: InBlock | undefined

  constructor(most: number) {
    this.positions = new Uint32Array(most)
    this.cells = new Uint32Array(most)
    this.weights = new Float64Array(NODES * most)
  }

  /** @param spot  undefined in a linear cell: what the locator has found is taken */
  add(position: number, { part, block, cell, weights }: PartLocator, spot: Spot | undefined): void {
    const at = this.nFound++
    if (this.latest?.part !== part || this.latest.block !== block) this.begin(part, block, at)
    this.run![1] = at + 1
    this.positions[at] = position
    this.cells[at] = spot?.cell ?? cell
    // nodes are a view of a block that may be released before its turn comes
    if (spot) this.spots.set(at, { ...spot, nodes: spot.nodes.slice() })
    else for (let k = 0; k < NODES; k++) this.weights[NODES * at + k] = weights[k]!
  }

  private begin(part: number, block: number, at: number): void {
    const key = `${part} ${block}`
    this.latest = this.byBlock.get(key)
    if (!this.latest) this.byBlock.set(key, (this.latest = { part, block, runs: [] }))
    this.run = [at, at]
    this.latest.runs.push(this.run)
  }

  put(at: number, { values, components, place }: FieldValues, { offsets, connectivity }: MeshBlock, out: Float64Array): void {
    const cell = this.cells[at]!
    const to = components * this.positions[at]!
    const spot = this.spots.get(at)
    const first = offsets[cell]!
    const nNodes = spot ? spot.nodes.length : offsets[cell + 1]! - first
    for (let c = 0; c < components; c++) {
      let sum = 0
      if (place === 'cell') sum = values[cell * components + c]!
      else if (spot) for (let k = 0; k < nNodes; k++) sum += spot.weights[k]! * values[spot.nodes[k]! * components + c]!
      else for (let k = 0; k < nNodes; k++) sum += this.weights[NODES * at + k]! * values[connectivity[first + k]! * components + c]!
      out[to + c] = sum
    }
  }
}

/** Neighbours one after the other: each is looked for from the cell of the last one. */
function locate(locator: PartLocator, positions: ArrayLike<number>, first: number, end: number, check: () => void): Places {
  const known = new Uint32Array(end - first)
  const all = new Float64Array(3 * (end - first))
  let n = 0
  for (let i = first; i < end; i++) {
    const x = positions[3 * i]!
    const y = positions[3 * i + 1]!
    const z = positions[3 * i + 2]!
    if (!Number.isFinite(x + y + z)) continue
    all[3 * n] = x
    all[3 * n + 1] = y
    all[3 * n + 2] = z
    known[n++] = i
  }
  const points = all.subarray(0, 3 * n)
  const places = new Places(n)
  curveOrderOfPoints(points, boxOfPoints(points)).forEach((p, i) => {
    if (i % CHECK_EVERY === 0) check()
    const x = points[3 * p]!
    const y = points[3 * p + 1]!
    const z = points[3 * p + 2]!
    const isFound = locator.find(x, y, z)
    const isPlain = isFound && locator.isPlain
    const spot = isPlain ? undefined : isFound ? locator.exactly(x, y, z) : locator.findCurved(x, y, z)
    if (isPlain || spot) places.add(known[p]!, locator, spot)
  })
  return places
}
