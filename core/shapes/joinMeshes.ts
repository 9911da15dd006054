/** Puts parts of one block that do not overlap together, group by group. Cut faces that two of them share are no longer on the outside. */
import { isPartial, SkinFrom } from '../mesh/Domain'
import type { DomainMesh, PartialBlock } from '../mesh/Domain'
import { Growing } from '../mesh/growing'
import { wholesOf } from '../mesh/MeshBlock'
import type { BlockWholes } from '../mesh/MeshBlock'
import { KeyCounts, positionKeys } from './positionKeys'

/** @returns undefined for no parts */
export function joinMeshes(list: readonly (DomainMesh | undefined)[]): DomainMesh | undefined {
  const parts = list.filter((part): part is DomainMesh => part !== undefined)
  if (parts.length < 2) return parts[0]
  // a block that is kept whole leaves nothing to others
  const whole = parts.find((part) => !isPartial(part))
  return whole ?? joinPartials(parts as PartialBlock[])
}

function joinPartials(parts: readonly PartialBlock[]): PartialBlock {
  const pointStarts = startsOf(parts.map(({ pointNumbers }) => pointNumbers.length))
  const weightStarts = startsOf(parts.map(({ weights }) => weights.length))
  return {
    points: all(Float64Array, parts, ({ points }) => points),
    pointNumbers: all(Uint32Array, parts, ({ pointNumbers }) => pointNumbers),
    weightStarts: all(Uint32Array, parts, (part, i) => shifted(part.weightStarts.subarray(i ? 1 : 0), weightStarts[i]!)),
    sources: all(Uint32Array, parts, ({ sources }) => sources),
    weights: all(Float64Array, parts, ({ weights }) => weights),
    skin: new Uint32Array(0),
    groupStarts: new Uint32Array(0),
    groupNodes: new Uint32Array(0),
    ...joinCells(parts, pointStarts),
    ...joinSkins(parts, pointStarts),
  }
}

function joinCells(
  parts: readonly PartialBlock[],
  pointStarts: readonly number[],
): Pick<PartialBlock, 'types' | 'offsets' | 'connectivity' | 'cellSources' | 'cellNumbers' | 'groupCells' | 'groups'> &
  Partial<BlockWholes> {
  const nCells = parts.reduce((n, { types }) => n + types.length, 0)
  const types = new Uint8Array(nCells)
  const offsets = new Uint32Array(nCells + 1)
  const connectivity = new Uint32Array(parts.reduce((n, part) => n + part.connectivity.length, 0))
  const cellSources = new Uint32Array(nCells)
  const cellNumbers = new Uint32Array(nCells)
  const wholes = joinWholes(parts, pointStarts, nCells)
  const nGroups = parts[0]!.groupCells.length - 1
  const groupCells = new Uint32Array(nGroups + 1)
  const groups = new Float32Array(6 * nGroups)
  let at = 0
  let node = 0
  for (let g = 0; g < nGroups; g++) {
    eachInOrder(parts, g, (part, i, c) => {
      for (let n = part.offsets[c]!; n < part.offsets[c + 1]!; n++) connectivity[node++] = part.connectivity[n]! + pointStarts[i]!
      types[at] = part.types[c]!
      cellSources[at] = part.cellSources[c]!
      cellNumbers[at] = part.cellNumbers[c]!
      wholes?.put(at, i, c)
      offsets[++at] = node
    })
    groupCells[g + 1] = at
    for (let d = 0; d < 6; d++) groups[6 * g + d] = (d % 2 ? Math.max : Math.min)(...parts.map((part) => part.groups[6 * g + d]!))
  }
  return { types, offsets, connectivity, cellSources, cellNumbers, groupCells, groups, ...wholes?.joined }
}

/** Quadratic cells of all parts. `put` says which cell of a part a cell is. */
function joinWholes(
  parts: readonly PartialBlock[],
  pointStarts: readonly number[],
  nCells: number,
): { joined: BlockWholes; put(at: number, part: number, cell: number): void } | undefined {
  const lists = parts.map((part) => wholesOf(part))
  const own = lists.flatMap((wholes, i) => (wholes ? [{ ...wholes, pointStart: pointStarts[i]! }] : []))
  if (!own.length) return undefined
  const starts = startsOf(lists.map((wholes) => wholes?.wholeTypes.length ?? 0))
  const nodeStarts = startsOf(own.map(({ wholeNodes }) => wholeNodes.length))
  const joined: BlockWholes = {
    wholeOf: new Int32Array(nCells).fill(-1),
    wholeLeads: new Uint8Array(nCells),
    wholeTypes: all(Uint8Array, own, ({ wholeTypes }) => wholeTypes),
    wholeOffsets: all(Uint32Array, own, ({ wholeOffsets }, i) => shifted(wholeOffsets.subarray(i ? 1 : 0), nodeStarts[i]!)),
    wholeNodes: all(Uint32Array, own, ({ wholeNodes, pointStart }) => shifted(wholeNodes, pointStart)),
  }
  return {
    joined,
    put(at, part, cell) {
      const q = lists[part]?.wholeOf[cell] ?? -1
      if (q < 0) return
      joined.wholeOf[at] = q + starts[part]!
      joined.wholeLeads[at] = lists[part]!.wholeLeads[cell]!
    },
  }
}

/** Cells of a group in the order of those of the case that they come from. */
function eachInOrder(parts: readonly PartialBlock[], group: number, work: (part: PartialBlock, i: number, c: number) => void): void {
  const next = parts.map(({ groupCells }) => groupCells[group]!)
  const ends = parts.map(({ groupCells }) => groupCells[group + 1]!)
  for (;;) {
    let first = -1
    let source = Infinity
    for (let i = 0; i < parts.length; i++) {
      if (next[i]! >= ends[i]! || parts[i]!.cellSources[next[i]!]! >= source) continue
      first = i
      source = parts[i]!.cellSources[next[i]!]!
    }
    if (first < 0) return
    work(parts[first]!, first, next[first]!++)
  }
}

function joinSkins(
  parts: readonly PartialBlock[],
  pointStarts: readonly number[],
): Pick<PartialBlock, 'skinTriangles' | 'skinCells' | 'skinFrom'> {
  const keys = parts.map(({ points, skinTriangles }) => positionKeys(points, skinTriangles))
  const counts = new KeyCounts(keys)
  const triangles = new Growing(Uint32Array)
  const cells = new Growing(Uint32Array)
  const from = new Growing(Uint8Array)
  parts.forEach((part, i) => {
    for (let t = 0; t < part.skinCells.length; t++) {
      if (part.skinFrom[t] === SkinFrom.cut && !counts.isSingle(keys[i]![t]!)) continue
      for (let n = 0; n < 3; n++) triangles.push(part.skinTriangles[3 * t + n]! + pointStarts[i]!)
      cells.push(part.skinCells[t]!)
      from.push(part.skinFrom[t]!)
    }
  })
  return { skinTriangles: triangles.finish(), skinCells: cells.finish(), skinFrom: from.finish() }
}

function startsOf(sizes: readonly number[]): number[] {
  let at = 0
  return sizes.map((size) => (at += size) - size)
}

function shifted(values: Uint32Array, by: number): Uint32Array {
  return by ? values.map((value) => value + by) : values
}

function all<T extends Float64Array | Uint32Array | Uint8Array, Part>(
  type: new (n: number) => T,
  parts: readonly Part[],
  of: (part: Part, i: number) => ArrayLike<number>,
): T {
  const list = parts.map(of)
  const out = new type(list.reduce((n, { length }) => n + length, 0))
  let at = 0
  for (const array of list) {
    out.set(array, at)
    at += array.length
  }
  return out
}
