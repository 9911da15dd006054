/** A part read in windows is the part read whole: cells by cells and values by values. */
import { expect } from 'vitest'
import type { OpenCase } from '../../core/formats/Format'
import { joinCells, joinFloats } from '../../core/formats/meshParts'
import { gatherMesh } from '../../core/store/partition'
import { normaliseCells } from '../../core/mesh/normaliseCells'
import type { NormalMesh } from '../../core/mesh/normaliseCells'

async function inWindows<T>(n: number, size: number, read: (from: number, to: number) => Promise<T>): Promise<T[]> {
  const found: T[] = []
  for (let from = 0; from < n; from += size) found.push(await read(from, Math.min(from + size, n)))
  return found
}

/** Coordinates of the nodes of all cells. */
function places({ points, connectivity }: NormalMesh): number[] {
  return Array.from(connectivity).flatMap((p) => Array.from(points.subarray(3 * p, 3 * p + 3)))
}

/** @returns fields that were compared; undefined when the part cannot be read so */
export async function checkWindows(opened: OpenCase, part: string, moment: number): Promise<string[] | undefined> {
  const windows = await opened.windows?.(part, moment)
  if (!windows) return undefined
  const whole = await opened.mesh(part, moment)
  const points = joinFloats(await inWindows(windows.nPoints, 11, (from, to) => windows.points(from, to)))
  const lots = await inWindows(windows.nCells, 7, (from, to) => windows.cells(from, to))
  const own = normaliseCells(
    {
      points,
      ...joinCells(
        lots,
        lots.map(() => 0),
      ),
    },
    part,
  )
  const mesh = { ...own, cellNumbers: own.cellNumbers.map((c) => windows.cellNumbers?.[c] ?? c) }
  expect([...mesh.types]).toEqual([...whole.types])
  expect(places(mesh)).toEqual(places(whole))
  expect([...mesh.cellNumbers]).toEqual([...whole.cellNumbers])
  if (windows.joined && !windows.cellNumbers) expect(windows.nPoints - windows.joined()).toBe(whole.nPoints)
  const compared: string[] = []
  for (const { name, components, parts, moments } of opened.catalogue.fields) {
    if (!parts.includes(part) || !moments.includes(moment)) continue
    const source = await opened.values(part, name, moment)
    const n = source.values.length / components
    const found = await inWindows(n, 5, async (from, to) => opened.valuesWindow?.(part, name, moment, from, to))
    if (found.includes(undefined) || source.place === 'corner') continue
    compared.push(name)
    const values = joinFloats(found.map((window) => window!))
    const perCell = (onMesh: NormalMesh, list: typeof values): number[] => {
      const own = gatherMesh({ ...source, values: list }, onMesh)
      return source.place === 'cell'
        ? [...own]
        : Array.from(onMesh.connectivity).flatMap((p) => Array.from(own.subarray(components * p, components * (p + 1))))
    }
    expect(perCell(mesh, values)).toEqual(perCell(whole, source.values))
  }
  return compared
}
