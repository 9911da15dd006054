/** What `info` and `measure` must say of the box of `writers/model.ts`, whatever it was read from. */
import { expect } from 'vitest'
import { describeCase } from '../../cli/info'
import { openNamed } from '../../core/formats/series'
import type { SourceFolder } from '../../core/formats/ByteSource'
import type { OpenCase } from '../../core/formats/Format'
import { measureExpression } from '../../core/measure/reductions'
import { readCase } from '../../core/store/memoryCase'
import { checkWindows } from './checkWindows'
import { evaluatorFor } from './evaluation'
import { boxModel, EXACT, SIZE } from './writers/model'

export interface Expected {
  /** Names of temperature, velocity and cell pressure there; a missing one is not looked at. */
  T?: string
  U?: string
  p?: string
  /** Precision of the file. */
  digits?: number
  surfaces?: string[]
  moment?: number
  /** Fields that can be read in windows, as the mesh can; all else is looked at as far as it can. */
  windowed?: string[]
}

const { points, cells } = boxModel()

export async function checkBox(
  folder: SourceFolder,
  name: string,
  { T, U, p, digits = 10, surfaces = ['outer'], moment = 0, windowed }: Expected,
): Promise<OpenCase> {
  const opened = await openNamed([name], folder)
  const data = await readCase(opened, moment)
  const info = describeCase(data)
  expect(info.regions).toMatchObject([{ cells: cells.length, points: points.length, cellTypes: { hexahedron: cells.length } }])
  expect(info.regions[0]!.volume).toBeCloseTo(EXACT.volume, digits)
  expect(info.regions[0]!.bounds.map((x) => Math.round(x! * 1e6) / 1e6)).toEqual([0, 0, 0, ...SIZE])
  expect(info.surfaces.map((s) => s.name)).toEqual(surfaces)
  const region = info.regions[0]!.name
  const evaluator = evaluatorFor(data, {})
  const measure = (text: string): number => measureExpression(text, evaluator.data, [region]).value
  if (T) expect(measure(`mean(${T})`)).toBeCloseTo(EXACT.temperature, digits - 2)
  if (U) expect(measure(`mean(${U}.x)`)).toBeCloseTo(3, digits - 1)
  if (p) expect(measure(`mean(${p})`)).toBeCloseTo(EXACT.pressure, digits - 2)
  if (U && surfaces.includes('Outlet')) {
    expect(measure(`integral(dot(${U}, normal), on = "Outlet")`)).toBeCloseTo(EXACT.outflow, digits - 1)
    expect(measure(`integral(dot(${U}, normal), on = "Inlet")`)).toBeCloseTo(-0.5, digits - 1)
  }
  const compared = await checkWindows(opened, region, moment)
  if (windowed) expect(compared?.sort()).toEqual(windowed)
  return opened
}
