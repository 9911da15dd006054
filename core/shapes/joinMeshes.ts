/** Puts parts of one block that do not overlap together, group by group. Cut faces that two of them share are no longer on the outside. */
import { isPartial, SkinFrom } from '../mesh/Domain'
import type { DomainMesh, PartialBlock } from '../mesh/Domain'
import { Growing } from '../mesh/growing'
import { KeyCounts, positionKeys } from './positionKeys'

/** @returns undefined for no parts */
export function joinMeshes(parts: readonly DomainMesh[]): DomainMesh | undefined {
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
    weightStarts: Uint32Array.of(
      0,
      ...parts.flatMap((part, i) => Array.from(part.weightStarts.subarray(1), (at) => at + weightStarts[i]!)),
    ),
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
): Pick<PartialBlock, 'types' | 'offsets' | 'connectivity' | 'cellSources' | 'cellNumbers' | 'groupCells' | 'groups'> {
  const types = new Growing(Uint8Array)
  const offsets = new Growing(Uint32Array)
  const connectivity = new Growing(Uint32Array)
  const cellSources = new Growing(Uint32Array)
  const cellNumbers = new Growing(Uint32Array)
  const nGroups = parts[0]!.groupCells.length - 1
  const groupCells = new Uint32Array(nGroups + 1)
  const groups = new Float32Array(6 * nGroups)
  offsets.push(0)
  for (let g = 0; g < nGroups; g++) {
    for (const { part, i, c } of inOrder(parts, g)) {
      for (let n = part.offsets[c]!; n < part.offsets[c + 1]!; n++) connectivity.push(part.connectivity[n]! + pointStarts[i]!)
      offsets.push(connectivity.length)
      types.push(part.types[c]!)
      cellSources.push(part.cellSources[c]!)
      cellNumbers.push(part.cellNumbers[c]!)
    }
    groupCells[g + 1] = types.length
    for (let d = 0; d < 6; d++) groups[6 * g + d] = (d % 2 ? Math.max : Math.min)(...parts.map((part) => part.groups[6 * g + d]!))
  }
  return {
    types: types.finish(),
    offsets: offsets.finish(),
    connectivity: connectivity.finish(),
    cellSources: cellSources.finish(),
    cellNumbers: cellNumbers.finish(),
    groupCells,
    groups,
  }
}

/** Cells of a group in the order of those of the case that they come from. */
function* inOrder(parts: readonly PartialBlock[], group: number): Generator<{ part: PartialBlock; i: number; c: number }> {
  const next = parts.map(({ groupCells }) => groupCells[group]!)
  for (;;) {
    let first = -1
    parts.forEach(({ cellSources, groupCells }, i) => {
      if (next[i]! >= groupCells[group + 1]!) return
      if (first < 0 || cellSources[next[i]!]! < parts[first]!.cellSources[next[first]!]!) first = i
    })
    if (first < 0) return
    yield { part: parts[first]!, i: first, c: next[first]!++ }
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

function all<T extends Float64Array | Uint32Array>(
  type: new (n: number) => T,
  parts: readonly PartialBlock[],
  of: (part: PartialBlock) => ArrayLike<number>,
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
