/** The form of arrows: closed but for its base, turned outwards, one instance for each point. */
import { describe, expect, it } from 'vitest'
import type { BufferAttribute } from 'three'
import { arrowGeometry } from '../../../stage/arrowGeometry'
import { cross, dot, length, minus } from '../../../core/mesh/vectors'
import { vectorsOf } from '../../../core/mesh/vectors'

const two = {
  points: Float32Array.of(0, 0, 0, 1, 2, 3),
  vectors: Float32Array.of(1, 0, 0, 0, 0, 2),
  elements: Uint32Array.of(0, 1),
} as unknown as Parameters<typeof arrowGeometry>[0]

describe('arrows', () => {
  const geometry = arrowGeometry(two, { values: Float32Array.of(5, 7) } as Parameters<typeof arrowGeometry>[1], null)
  const array = (name: string) => (geometry.getAttribute(name) as BufferAttribute).array as Float32Array

  it('begin at their points and carry their vectors and values', () => {
    expect(geometry.instanceCount).toBe(2)
    expect([...array('start')]).toEqual([...two.points])
    expect([...array('along')]).toEqual([1, 0, 0, 0, 0, 2])
    expect([...array('value')]).toEqual([5, 7])
    expect(geometry.getAttribute('moved')).toBeUndefined()
    const moved = arrowGeometry(two, null, { vectors: Float32Array.of(0, 0, 1, 0, 1, 0) } as Parameters<typeof arrowGeometry>[2])
    expect([...(moved.getAttribute('moved') as BufferAttribute).array]).toEqual([0, 0, 1, 0, 1, 0])
    expect([...(moved.getAttribute('value') as BufferAttribute).array]).toEqual([0, 0])
  })

  it('have a form from 0 to 1 that is slender, and closed', () => {
    const corners = vectorsOf(array('position'))
    const [x, r] = [corners.map(([along]) => along), corners.map(([, y, z]) => Math.hypot(y, z))]
    expect([Math.min(...x), Math.max(...x)]).toEqual([0, 1])
    expect(Math.max(...r)).toBeLessThan(0.1)
    // every edge of a closed form is between two faces, which run along it in opposite ways
    const key = (p: readonly number[]): string => p.map((c) => c.toFixed(6).replace('-0.000000', '0.000000')).join()
    const edges = new Map<string, number>()
    for (let t = 0; t < corners.length; t += 3) {
      const own = [0, 1, 2].map((i) => key(corners[t + i]!))
      if (new Set(own).size < 3) continue
      own.forEach((from, i) => {
        const to = own[(i + 1) % 3]!
        const edge = [from, to].sort().join(' ')
        edges.set(edge, (edges.get(edge) ?? 0) + (from < to ? 1 : -1))
      })
    }
    expect([...edges.values()].every((sum) => sum === 0)).toBe(true)
    expect(edges.size).toBeGreaterThan(50)
  })

  it('have normals of length 1 that stand on their faces', () => {
    const [corners, normals] = [vectorsOf(array('position')), vectorsOf(array('normal'))]
    for (const normal of normals) expect(length(normal)).toBeCloseTo(1, 5)
    for (let t = 0; t < corners.length; t += 3) {
      const face = cross(minus(corners[t + 1]!, corners[t]!), minus(corners[t + 2]!, corners[t]!))
      if (length(face) < 1e-9) continue
      const turns = [0, 1, 2].map((i) => dot(face, normals[t + i]!) / length(face))
      // all to one side, within the bend of a face of seven
      expect(Math.min(...turns.map(Math.abs))).toBeGreaterThan(0.85)
      expect(new Set(turns.map(Math.sign)).size).toBe(1)
    }
  })
})
