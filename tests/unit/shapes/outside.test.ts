/** The outside that is made without the volume against the one of the volume, cell by cell. */
import { describe, expect, it } from 'vitest'
import { eachDomainBlock, wholeDomain } from '../../../core/mesh/Domain'
import { boxLevels, planeLevel, sphereLevel } from '../../../core/shapes/clipForms'
import { not } from '../../../core/shapes/condition'
import type { Condition } from '../../../core/shapes/condition'
import { domainWhere } from '../../../core/shapes/keepMesh'
import { joinOutside, outsideOfBlock } from '../../../core/shapes/outside'
import { outsideMaker } from '../../../core/shapes/outsideOfCuts'
import type { Piece } from '../../../core/shapes/Shape'
import { cross } from '../../../core/mesh/vectors'
import type { Vector } from '../../../core/mesh/vectors'
import { MemoryPart } from '../../../core/store/MemoryPart'
import { wholeShape } from '../../support/evaluation'
import { looseEdges } from '../../support/keptBox'
import { boxKinds, boxMesh } from '../../support/meshes'

const box = boxLevels([0.21, 0.2, -1], [0.8, 0.77, 0.68])
  .map((level): Condition => ({ is: 'level', level }))
  .reduce((a, b) => ({ is: 'and', of: [a, b] }))
const ball: Condition = { is: 'level', level: sphereLevel([0.7, 0.5, 0.5], 0.33) }
// through points of the mesh
const half: Condition = { is: 'level', level: planeLevel([0.5, 0.5, 0.5], [1, 0, 0]) }

const conditions: [string, Condition[]][] = [
  ['a box', [box]],
  ['a box without a ball', [box, not(ball)]],
  ['half a box', [half, box]],
  ['what is behind a half, in a box', [not(half), box]],
  ['all but a box', [not(box)]],
  ['all but half a ball', [not({ is: 'and', of: [ball, half] })]],
]

/** Area vectors of what bounds each cell, by where it comes from: a cut may split its polygons along another diagonal. */
function areasOf(pieces: readonly Piece[]): Map<string, number[]> {
  const areas = new Map<string, number[]>()
  for (const { points, elements, cells, from, ranges } of pieces) {
    cells.forEach((cell, e) => {
      const [p, q, r] = [0, 1, 2].map((i) => [...points.subarray(3 * elements[3 * e + i]!, 3 * elements[3 * e + i]! + 3)] as Vector)
      const area = cross(minus(q!, p!), minus(r!, p!))
      const key = `${ranges[0]!.block} ${cell} ${from}`
      areas.set(
        key,
        (areas.get(key) ?? [0, 0, 0]).map((x, d) => x + area[d]!),
      )
    })
  }
  // what is cut close to a point can leave triangles without area
  return new Map([...areas].filter(([, area]) => Math.hypot(...area) > 1e-15))
}

const minus = (a: Vector, b: Vector): Vector => a.map((x, d) => x - b[d]!) as Vector

describe.each(conditions)('the outside of %s', (_, all) => {
  it.each(boxKinds)('is that of its volume (%s)', (kind) => {
    const part = new MemoryPart('box', 3, boxMesh({ n: 12, kind, skew: kind === 'pyramid' ? 0 : 0.15 }), 1024)
    const domain = all.reduce((of, condition) => domainWhere(of, condition, (_part, _block, make) => make()), wholeDomain([part]))
    const of = { name: 'uncut', about: [0, 0, 0] } as const
    const whole: Piece[] = []
    eachDomainBlock(
      domain,
      () => undefined,
      (mesh, block) => void whole.push(...outsideOfBlock(block, mesh, false, of)),
    )
    const made = outsideMaker(all)!
    const pieces = domain.blocks.flatMap((block) => {
      if (block.is === 'whole') return outsideOfBlock(block, block.mesh()!, false, of)
      return made(block, part.block(block.block), of) ?? outsideOfBlock(block, block.mesh()!, false, of)
    })
    const [found, expected] = [areasOf(joinOutside(pieces)), areasOf(joinOutside(whole))]
    expect(found.size).toBeGreaterThan(150)
    expect([...found.keys()].sort()).toEqual([...expected.keys()].sort())
    for (const [key, area] of found) area.forEach((x, d) => expect(x).toBeCloseTo(expected.get(key)![d]!, 15))
    expect(looseEdges(wholeShape({ kind: 'surface', pieces: joinOutside(pieces) }))).toBe(0)
  })
})
