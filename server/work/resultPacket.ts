/**
 * The packet of a result as the browser gets it: coordinates as float32 about an origin, values as float32 minus a
 * reference, so that a small difference on a large value keeps its digits.
 */
import { extremesOf } from '../../core/measure/extremes'
import { magnitude } from '../../core/measure/integrateCells'
import { quantiles } from '../../core/measure/quantiles'
import { boxCentre, boxOfPoints } from '../../core/mesh/boxes'
import { encodePacket } from '../../core/store/packet'
import type { PacketArray } from '../../core/store/packet'
import type { Shape } from '../../core/steps/Shape'
import type { Evaluator } from '../../core/study/Evaluator'
import { shapeKey, valueKey } from '../../core/study/keys'
import type { ResultMeta, ShapeMeta, ValuesMeta } from './resultMeta'

export function encodeResult(evaluator: Evaluator, haveShape: string | null): Uint8Array {
  const { plan, data } = evaluator
  const key = shapeKey(plan, data.catalogue, plan.target)
  const shape = evaluator.shape(plan.target)
  const arrays: Record<string, PacketArray> = {}
  const meta: ResultMeta = { shapeKey: key, valueKey: null, shape: null, values: null }
  if (haveShape !== key) meta.shape = shapeInto(arrays, shape)
  if (plan.variable !== null) {
    meta.valueKey = valueKey(plan, data.catalogue, plan.target, plan.variable)
    meta.values = valuesInto(arrays, evaluator, shape, plan.variable)
  }
  return encodePacket({ meta, arrays })
}

function shapeInto(arrays: Record<string, PacketArray>, shape: Shape): ShapeMeta {
  const box = boxOfPoints(shape.points)
  const origin = shape.points.length ? boxCentre(box) : [0, 0, 0]
  const points = new Float32Array(shape.points.length)
  for (let i = 0; i < points.length; i++) points[i] = shape.points[i]! - origin[i % 3]!
  arrays['points'] = points
  arrays['elements'] = shape.elements
  if (shape.kind === 'surface') arrays['cells'] = cellKeys(shape)
  return {
    kind: shape.kind,
    origin,
    box: shape.points.length ? box : null,
    nElements: shape.cells.length,
    parts: [...new Set(shape.ranges.map((range) => range.part))],
    direction: shape.direction ?? null,
    notes: shape.notes ?? [],
    columns: shape.columns?.map(({ name, unit }) => ({ name, unit })) ?? [],
  }
}

/** A number per element, equal where the case cell is: blocks hold fewer than 2^17 cells. */
function cellKeys(shape: Shape): Uint32Array {
  const keys = shape.cells.slice()
  const blocks = new Map<string, number>()
  for (const { part, block, elementStart, elementEnd } of shape.ranges) {
    const name = `${part} ${block}`
    if (!blocks.has(name)) blocks.set(name, blocks.size)
    const base = blocks.get(name)! * 2 ** 17
    for (let e = elementStart; e < elementEnd; e++) keys[e]! += base
  }
  return keys
}

function valuesInto(arrays: Record<string, PacketArray>, evaluator: Evaluator, shape: Shape, variable: string): ValuesMeta {
  const { values, components, place, unit, name } = evaluator.values(variable, shape)
  const n = values.length / components
  const scalars = components === 1 ? values : new Float64Array(n)
  if (components > 1) for (let i = 0; i < n; i++) scalars[i] = magnitude(values, i, components)
  const { nonFinite, ...extremes } = extremesOf(scalars, 1)
  const [min, max] = nonFinite < n ? [extremes.min, extremes.max] : [null, null]
  const [low, high] = quantiles(nonFinite ? scalars.filter(Number.isFinite) : scalars.slice(), [0.01, 0.99])
  const middle = min === null ? 0 : (min + max!) / 2
  // only worth it when the values are large against their spread
  const reference = min !== null && Math.abs(middle) > 100 * (max! - min) ? middle : 0
  const out = new Float32Array(n)
  for (let i = 0; i < n; i++) out[i] = scalars[i]! - reference
  arrays['values'] = out
  return {
    name: components > 1 ? `mag(${name})` : name,
    unit,
    place: place === 'point' ? 'point' : 'element',
    reference,
    range: [min, max],
    middle: [low ?? null, high ?? null],
    nonFinite,
  }
}
