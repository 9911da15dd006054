/** Tables of cells and divided meshes, read by any windows. */
import { describe, expect, it } from 'vitest'
import { orderedRows, pointsOfColumns, tableWindows } from '../../../core/formats/cellTables'
import { windowsOfPieces } from '../../../core/formats/pieces'
import type { Pieces } from '../../../core/formats/pieces'
import { structuredCells, structuredTable } from '../../../core/formats/structured'
import { FormatError } from '../../../core/errors'

describe('tables of cells', () => {
  const tetra = {
    type: 10,
    nNodes: 4,
    nCells: 3,
    rows: async (from: number, to: number) => Uint32Array.from({ length: 4 * (to - from) }, (_, i) => 4 * from + i),
  }
  const wedge = {
    type: 13,
    nNodes: 6,
    nCells: 2,
    rows: async (from: number, to: number) => Uint32Array.from({ length: 6 * (to - from) }, (_, i) => 100 + 6 * from + i),
  }
  const windows = tableWindows('box', 200, async (from, to) => new Float64Array(3 * (to - from)), [tetra, wedge])

  it('follow one another', async () => {
    expect([windows.nPoints, windows.nCells]).toEqual([200, 5])
    expect(await windows.cells(2, 4)).toEqual({
      types: Uint8Array.of(10, 13),
      offsets: Uint32Array.of(0, 4, 10),
      connectivity: Uint32Array.of(8, 9, 10, 11, 100, 101, 102, 103, 104, 105),
    })
    expect((await windows.cells(4, 5)).connectivity[0]).toBe(106)
  })

  it('may have another order of nodes, wider rows and fewer columns', () => {
    expect([...orderedRows([1, 2, 3, 9, 4, 5, 6, 9], [2, 0, 1], 4, 1)]).toEqual([2, 0, 1, 5, 3, 4])
    expect(pointsOfColumns([Float32Array.of(1, 2), undefined, Float32Array.of(3, 4)], 2)).toEqual(Float32Array.of(1, 0, 3, 2, 0, 4))
    expect(pointsOfColumns([Float32Array.of(1), Float64Array.of(2)], 1)).toEqual(Float64Array.of(1, 2, 0))
  })

  it.each([
    [4, 3, 2],
    [4, 3, 1],
    [5, 1, 1],
  ] as const)('of a grid of %d × %d × %d points are its cells', async (...counts) => {
    const { nCells, nNodes, rows } = structuredTable(counts)
    const all = structuredCells(counts).connectivity
    for (let c = 0; c < nCells; c++) expect([...(await rows(c, c + 1))]).toEqual([...all.subarray(nNodes * c, nNodes * (c + 1))])
  })
})

describe('pieces', () => {
  /** Two lines of three points each that meet at 2. */
  const xs = [
    [0, 1, 2],
    [2, 3, 4],
  ]
  const pieces: Pieces = {
    name: 'line',
    sizes: [
      { points: 3, cells: 2 },
      { points: 3, cells: 2 },
    ],
    points: async (k, from, to) => Float64Array.from(xs[k]!.slice(from, to).flatMap((x) => [x, 0, 0])),
    cells: async (_, from, to) => ({
      types: new Uint8Array(to - from).fill(3),
      offsets: Uint32Array.from({ length: to - from + 1 }, (_, i) => 2 * i),
      connectivity: Uint32Array.from({ length: 2 * (to - from) }, (_, i) => from + Math.floor((i + 1) / 2)),
    }),
    outside: async (k) => ({ numbers: Uint32Array.of(0, 2), points: Float64Array.from([xs[k]![0]!, 0, 0, xs[k]![2]!, 0, 0]) }),
  }

  it('share the points where they touch', async () => {
    const windows = windowsOfPieces(pieces)
    expect([windows.nPoints, windows.nCells]).toEqual([6, 4])
    expect([...(await windows.points(1, 5))].filter((_, i) => i % 3 === 0)).toEqual([1, 2, 2, 3])
    expect([...(await windows.cells(0, 4)).connectivity]).toEqual([0, 1, 1, 2, 2, 4, 4, 5])
    expect([...(await windows.cells(2, 3)).connectivity]).toEqual([2, 4])
    expect(windows.joined!()).toBe(1)
  })

  it('that have not what they state are named', async () => {
    const windows = windowsOfPieces({ ...pieces, points: async () => new Float64Array(3) })
    await expect(windows.points(0, 6)).rejects.toThrow(FormatError)
    await expect(windows.points(0, 6)).rejects.toThrow('line: piece 1 has not the 3 points it states')
  })
})
