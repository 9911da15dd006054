/**
 * Values of one mesh at positions of another, through the cells that the positions lie in: shape functions for values on points, the value
 * of the cell for values on cells. What is linear in a cell is carried exactly.
 */
import type { Domain } from './Domain'
import { PartLocator } from './locate'
import type { FieldValues, PartBlocks } from './MeshBlock'

/** Positions that are located at a time: their places are held until the values of each block were looked at once. */
const AT_ONCE = 65_536
/** Positions between two looks at whether it is still wanted. */
const CHECK_EVERY = 1024

export interface Carried {
  /** (components × n) NaN where nothing is found. */
  values: Float64Array
  components: number
  /** Positions at which nothing is found. */
  nLost: number
}

/**
 * @param positions   (3 × n) in the unit of the domain; neighbours in the list that are near to each other are found quickly
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
      const byBlock = locate(locator, positions, first, end, check)
      let nFound = 0
      for (const { part, block, spots } of byBlock.values()) {
        nFound += spots.length
        const own = domain.parts[part]!
        own.within(() => {
          const of = valuesOf(own, block)
          for (const spot of spots) put(spot, of, values)
        })
      }
      nLost += end - first - nFound
    }
  } finally {
    locator.close()
  }
  return { values, components, nLost }
}

interface Spotted {
  position: number
  cell: number
  nodes: Uint32Array
  weights: Float64Array
}

function locate(locator: PartLocator, positions: ArrayLike<number>, first: number, end: number, check: () => void) {
  const byBlock = new Map<string, { part: number; block: number; spots: Spotted[] }>()
  for (let i = first; i < end; i++) {
    if (i % CHECK_EVERY === 0) check()
    const spot = locator.findExactly(positions[3 * i]!, positions[3 * i + 1]!, positions[3 * i + 2]!)
    if (!spot) continue
    const { part, block } = locator
    const key = `${part} ${block}`
    let own = byBlock.get(key)
    if (!own) byBlock.set(key, (own = { part, block, spots: [] }))
    // nodes are a view of a block that may be released before its turn comes
    own.spots.push({ position: i, cell: spot.cell, nodes: spot.nodes.slice(), weights: spot.weights })
  }
  return byBlock
}

function put({ position, cell, nodes, weights }: Spotted, { values, components, place }: FieldValues, out: Float64Array): void {
  for (let c = 0; c < components; c++) {
    let sum = 0
    if (place === 'cell') sum = values[cell * components + c]!
    else for (let k = 0; k < nodes.length; k++) sum += weights[k]! * values[nodes[k]! * components + c]!
    out[position * components + c] = sum
  }
}
