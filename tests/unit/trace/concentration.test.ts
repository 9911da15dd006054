import { describe, expect, it } from 'vitest'
import { wholeDomain } from '../../../core/mesh/Domain'
import { concentrationIn } from '../../../core/trace/concentration'
import { placesInCells } from '../../../core/trace/seeds'
import { linearVolumes } from '../../../core/measure/integrateCells'
import { evaluatorFor } from '../../support/evaluation'
import { boxKinds, boxMesh, testCase } from '../../support/meshes'

const free = (): void => undefined
const dataOf = (kind: (typeof boxKinds)[number], blockCells = 1024) => testCase(boxMesh({ n: 11, kind }), {}, blockCells)

describe.each(boxKinds)('places in cells: %s', (kind) => {
  it('are found again in their cells, and their concentration sums up to their number, whatever the blocks', () => {
    for (const blockCells of [1024, 8192]) {
      const part = dataOf(kind, blockCells).part('Water')
      const places = placesInCells(wholeDomain([part]), 500, true, free)
      expect(places).toHaveLength(500)
      const found = concentrationIn([part], Float64Array.from(places.flat()), free)
      expect(found.nInside).toBe(500)
      let sum = 0
      for (let block = 0; block < part.nBlocks; block++)
        linearVolumes(part.block(block)).forEach((volume, cell) => (sum += volume * found.at({ part: 0, block, cell })))
      expect(sum).toBeCloseTo(500, 9)
    }
  })

  it('by chance stand for equal shares of the volume', () => {
    const places = placesInCells(wholeDomain([dataOf(kind).part('Water')]), 4000, true, free)
    // in half of the box half of them, within what 4000 throws may be off
    for (const d of [0, 1, 2]) expect(Math.abs(places.filter((place) => place[d]! < 0.5).length - 2000)).toBeLessThan(130)
  })
})

describe('seeds and concentrations as steps', () => {
  it('a lattice in a box has its spacing', () => {
    const places = placesInCells(wholeDomain([dataOf('hexahedron').part('Water')]), 27, false, free)
    expect(places.map((place) => place.map((c) => Math.round(c * 6)))).toContainEqual([1, 3, 5])
    expect(places).toHaveLength(27)
  })

  it('cells that hold places have their number by volume on a slice through them; others have none', () => {
    const mesh = boxMesh({ n: 2, skew: 0 })
    const steps = {
      from: {
        kind: 'points',
        inputs: {},
        settings: {
          places: [
            [0.1, 0.1, 0.1],
            [0.4, 0.3, 0.2],
            [0.9, 0.9, 0.3],
            [5, 5, 5],
          ],
          joined: 'single',
        },
      },
      cut: {
        kind: 'slice',
        inputs: { of: [{ part: 'Water', isOuter: false }] },
        settings: { form: 'plane', origin: [0, 0, 0.25], normal: [0, 0, 1] },
      },
      count: {
        kind: 'concentration',
        inputs: { of: [{ step: 'from' }], in: [{ part: 'Water', isOuter: false }], on: [{ step: 'cut' }] },
        settings: {},
      },
      wall: {
        kind: 'concentration',
        inputs: { of: [{ step: 'from' }], in: [{ part: 'Water', isOuter: false }], on: [{ part: 'Water', isOuter: true }] },
        settings: {},
      },
      total: { kind: 'measure', inputs: { of: [{ step: 'count' }] }, settings: { quantity: 'integral', variable: 'concentration' } },
    }
    const evaluation = evaluatorFor(testCase(mesh, {}), steps)
    const shape = evaluation.shape('count')
    const [column] = shape.columns
    expect(column).toMatchObject({ name: 'concentration', unit: '1/m³' })
    // two in a cell of 1/8 m³, one in another; the slice meets four
    shape.elements.forEach((p, i) => {
      const e = 3 * Math.floor(i / 3)
      const [x, y] = [0, 1].map((d) => [0, 1, 2].reduce((sum, k) => sum + shape.points[3 * shape.elements[e + k]! + d]! / 3, 0))
      expect(column!.values[p]).toBe(x! < 0.5 && y! < 0.5 ? 16 : x! > 0.5 && y! > 0.5 ? 8 : 0)
    })
    expect(shape.notes).toContainEqual('3 of 4 places lie in 2 cells, at most 16 per m³')
    // over the slice: (16 + 8) × 0.25 m²
    expect(evaluation.reading('total')).toMatchObject({ value: expect.closeTo(6, 10) as number })
    // on the outside of the region the cells behind it
    const outside = evaluation.shape('wall')
    expect(Math.max(...outside.columns[0]!.values)).toBe(16)
    expect(new Set(outside.columns[0]!.values)).toEqual(new Set([0, 8, 16]))
  })
})
