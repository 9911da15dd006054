import { describe, expect, it } from 'vitest'
import { joinCells, joinFloats, pointCloud } from '../../../core/formats/meshParts'

describe('pieces one after the other', () => {
  const line = { types: Uint8Array.of(3), offsets: Uint32Array.of(0, 2), connectivity: Uint32Array.of(0, 1) }
  const triangle = { types: Uint8Array.of(5), offsets: Uint32Array.of(0, 3), connectivity: Uint32Array.of(2, 0, 1) }

  it('cells keep their points when they share them, and count from their own when not', () => {
    expect(joinCells([line, triangle], [0, 0])).toEqual({
      types: Uint8Array.of(3, 5),
      offsets: Uint32Array.of(0, 2, 5),
      connectivity: Uint32Array.of(0, 1, 2, 0, 1),
    })
    expect([...joinCells([line, triangle], [0, 4]).connectivity]).toEqual([0, 1, 6, 4, 5])
    expect(joinCells([], [])).toEqual({ types: new Uint8Array(0), offsets: Uint32Array.of(0), connectivity: new Uint32Array(0) })
  })

  it('values stay single only where all are', () => {
    expect(joinFloats([Float32Array.of(1), Float32Array.of(2, 3)])).toEqual(Float32Array.of(1, 2, 3))
    expect(joinFloats([Float32Array.of(1), Float64Array.of(0.1)])).toEqual(Float64Array.of(1, 0.1))
    const alone = Float64Array.of(7)
    expect(joinFloats([alone])).toBe(alone)
  })

  it('a cloud has one cell for each point', () => {
    const { types, offsets, connectivity } = pointCloud(new Float64Array(6))
    expect([[...types], [...offsets], [...connectivity]]).toEqual([
      [1, 1],
      [0, 1, 2],
      [0, 1],
    ])
  })
})
