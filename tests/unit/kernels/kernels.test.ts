/** Kernels against the plainest way to say the same, with numbers that are out of the ordinary. */
import { describe, expect, it, test } from 'vitest'
import { Kernels, sharedKernels } from '../../../core/kernels/Kernels'
import { boxOfPoints } from '../../../core/mesh/boxes'
import { groupsOf } from '../../../core/mesh/groups'
import { RUN_CELLS } from '../../../core/mesh/runs'
import { GROUP_CELLS } from '../../../core/mesh/MeshBlock'
import { cutCells } from '../../../core/shapes/cutCells'
import type { Cut } from '../../../core/shapes/cutCells'
import { boxKinds, boxMesh, testCase } from '../../support/meshes'
import { cornerCase, writeValues } from '../../support/kernelCases'
import { sortByKey } from '../../../core/mesh/curveOrder'
import { placesAmong } from '../../../core/mesh/numbering'

describe('memory', () => {
  it('is given back, whatever happens, and what was put in comes out', () => {
    const kernels = new Kernels()
    const before = kernels.run.mark()
    expect(() =>
      kernels.within(() => {
        const at = kernels.put(Float64Array.of(1, NaN, -0))
        expect([...kernels.view(Float64Array, at, 3)]).toEqual([1, NaN, -0])
        expect(at % 16).toBe(0)
        throw new Error('no')
      }),
    ).toThrow('no')
    expect(kernels.run.mark()).toBe(before)
  })

  it('grows: views made before are of no use, those made after are', () => {
    const kernels = new Kernels()
    const at = kernels.put(Uint32Array.of(7, 8))
    const old = kernels.view(Uint32Array, at, 2)
    kernels.take(Uint8Array, 50_000_000)
    expect(old.length).toBe(0)
    expect([...kernels.view(Uint32Array, at, 2)]).toEqual([7, 8])
  })

  it('a kernel that needs its caller fails where there is none', () => {
    const kernels = new Kernels()
    const zero = kernels.put(new Uint8Array(64))
    expect(() => kernels.run.gatherSingle(zero, zero, 1, zero, 1, zero)).toThrow('no host')
  })
})

describe('base64', () => {
  const kernels = new Kernels()
  const decode = (text: string): number[] | undefined =>
    kernels.within(() => {
      const letters = kernels.put(new TextEncoder().encode(text))
      const out = kernels.take(Uint8Array, 0.75 * text.length + 1)
      const n = kernels.run.decodeBase64(letters, text.length, out)
      return n < 0 ? undefined : [...kernels.view(Uint8Array, out, n)]
    })

  it.each([0, 1, 2, 3, 4, 5, 255, 256, 1000])('%i bytes come back', (n) => {
    const bytes = Array.from({ length: n }, (_, i) => (i * 151 + 255) & 255)
    expect(decode(Buffer.from(bytes).toString('base64'))).toEqual(bytes)
  })

  it.each(['AAA*', 'A AAAAAA', '-_AA', 'AA=A', 'A===', '====', 'AAAA====', 'AA==AAAA', '\u0000AAA'])('“%s” is refused', (text) => {
    expect(decode(text)).toBeUndefined()
  })
})

test('keys are sorted, equal ones stay in their order', () => {
  const keys = Uint32Array.from({ length: 5000 }, (_, i) => (Math.imul(i, 2654435761) >>> 2) % (i % 3 ? 2 ** 30 : 50))
  const expected = [...keys.keys()].sort((a, b) => keys[a]! - keys[b]! || a - b)
  expect([...sortByKey(keys)]).toEqual(expected)
  expect([...sortByKey(new Uint32Array(0))]).toEqual([])
})

test.each([
  ['few different ones', (i: number) => i % 7],
  ['all different, so that the table grows', (i: number) => 3 * i + 1],
  ['the smallest, over and over', (i: number) => (i % 2 ? 0 : i % 3)],
  ['near ones that come again after a while', (i: number) => (i % 4000) + 217 * (i % 3)],
  ['as large as 32 bits hold', (i: number) => 2 ** 32 - 1 - (Math.imul(i, 2654435761) >>> 12)],
])('places of numbers: %s', (_, number) => {
  const numbers = Uint32Array.from({ length: 20_000 }, (_, i) => number(i))
  const known = new Map<number, number>()
  const expected = Array.from(numbers, (n) => (known.has(n) ? known : known.set(n, known.size)).get(n)!)
  const { places, different } = placesAmong(numbers)
  expect([...different]).toEqual([...known.keys()])
  expect([...places]).toEqual(expected)
})

describe.each(boxKinds)('a cut through %s cells, with any values', (kind) => {
  // every cell is cut, most in several places; blocks have several groups of cells
  const mesh = testCase(boxMesh({ n: 11, kind }), {}, 2 ** 16)
    .part('Water')
    .block(0)
  const anything = (p: number): number => (Math.imul(p + 1, 2654435761) >>> 8) / 2 ** 23 - 1
  /** Edges of triangles with how often they run one way less the other. */
  const runs = ({ triangles }: Cut): number[] => {
    const found = new Map<number, number>()
    for (let i = 0; i < triangles.length; i++) {
      const [p, q] = [triangles[i]!, triangles[i % 3 === 2 ? i - 2 : i + 1]!]
      const edge = Math.min(p, q) * 2 ** 26 + Math.max(p, q)
      found.set(edge, (found.get(edge) ?? 0) + (p < q ? 1 : -1))
    }
    return [...found.values()]
  }

  it('has its points where the values change their sign, each once, and is closed inside', () => {
    const cut = cutCells(mesh, anything, () => true)
    expect(cut.cells.length).toBeGreaterThan(mesh.types.length)
    const edges = Array.from(cut.a, (a, i) => `${a} ${cut.b[i]}`)
    expect(new Set(edges).size).toBe(edges.length)
    cut.t.forEach((t, i) => {
      const [fa, fb] = [anything(cut.a[i]!), anything(cut.b[i]!)]
      expect(fa < 0 !== fb < 0).toBe(true)
      expect(Math.abs(fa * (1 - t) + fb * t)).toBeLessThan(1e-15)
    })
    expect(runs(cut).every((n) => Math.abs(n) <= 1)).toBe(true)
    // with one value all around it there is no outside
    const isOutside = (p: number): boolean => [0, 1, 2].some((d) => mesh.points[3 * p + d] === 0 || mesh.points[3 * p + d] === 1)
    const inside = cutCells(
      mesh,
      (p) => (isOutside(p) ? -1 : anything(p)),
      () => true,
    )
    expect(inside.cells.length).toBeGreaterThan(100)
    expect(runs(inside).every((n) => n === 0)).toBe(true)
  })

  it('goes through points on the level, and leaves out cells with a point that has no value', () => {
    const level = (p: number): number => (p % 50 === 0 ? NaN : p % 3 === 0 ? 0 : anything(p))
    const cut = cutCells(mesh, level, () => true)
    cut.a.forEach((a, i) => expect(level(a) === 0 || level(cut.b[i]!) === 0).toBe(a === cut.b[i]))
    const nodesOf = (c: number): number[] => [...mesh.connectivity.subarray(mesh.offsets[c]!, mesh.offsets[c + 1]!)]
    for (const c of new Set(cut.cells)) expect(nodesOf(c).some((p) => Number.isNaN(level(p)))).toBe(false)
    for (let i = 0; i < cut.triangles.length; i += 3) expect(new Set(cut.triangles.subarray(i, i + 3)).size).toBe(3)
    // groups that are not asked for have none
    const first = cutCells(mesh, level, (g) => g === 0)
    expect(first.cells).toEqual(cut.cells.filter((c) => c < GROUP_CELLS))
    expect(cutCells(mesh, level, () => false).points).toEqual(new Float64Array(0))
    // nor have runs of cells in the groups
    const some = cutCells(
      mesh,
      level,
      () => true,
      (r) => r % 3 !== 1,
    )
    expect(some.cells).toEqual(cut.cells.filter((c) => Math.floor(c / RUN_CELLS) % 3 !== 1))
  })
})

describe.each([Float32Array, Float64Array])('of %o', (type) => {
  it('boxes hold all points but those that are not numbers', () => {
    const points = new type(3 * 70_000).map((_: number, i: number) => Math.sin(i) * 1e3)
    points[3] = NaN
    const along = (d: number): number[] =>
      Array.from(points)
        .filter((x, i) => i % 3 === d && x === x)
        .sort((a, b) => a - b)
    const sorted = [0, 1, 2].map(along)
    expect(boxOfPoints(points)).toEqual([...sorted.map((list) => list[0]), ...sorted.map((list) => list[list.length - 1])])
    expect(boxOfPoints(new type(0))).toEqual([Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity])
  })

  it('boxes of groups are rounded outwards', () => {
    const { mesh, groups } = cornerCase(type)
    const { groups: boxes, groupStarts, groupNodes } = groupsOf(mesh)
    expect(boxes.length).toBe(6 * groups.length)
    groups.forEach(({ low, high, nodes }, g) => {
      // each point of the group once
      expect(groupNodes.slice(groupStarts[g], groupStarts[g + 1]).sort()).toEqual(Uint32Array.from(new Set(nodes)).sort())
      for (let d = 0; d < 3; d++) {
        const [lower, upper] = [boxes[6 * g + 2 * d]!, boxes[6 * g + 2 * d + 1]!]
        expect(lower <= low[d]! && upper >= high[d]!).toBe(true)
        // and no farther than a step of single precision or two
        expect(low[d]! - lower).toBeLessThanOrEqual(4e-7 * Math.abs(low[d]!))
        expect(upper - high[d]!).toBeLessThanOrEqual(4e-7 * Math.abs(high[d]!))
      }
    })
  })

  it.each([
    { components: 1, place: 'cell' as const },
    { components: 3, place: 'point' as const },
    { components: 6, place: 'point' as const },
    { components: 9, place: 'cell' as const },
  ])('ranges of groups and of all: $components by $place', async ({ components, place }) => {
    const { mesh } = cornerCase(type)
    const { index, groups, expected } = await writeValues(mesh, type, components, place)
    expect(index.nonFinite).toBe(expected.nonFinite)
    expect(index.ranges[0]).toEqual(expected.range)
    expect([...groups]).toEqual(expected.groups)
  })
})

test('one instance serves all small work', () => expect(sharedKernels()).toBe(sharedKernels()))
