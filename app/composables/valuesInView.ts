/** Extremes of the values of a result at what is in view. */
import type { Stage } from '~~/stage/Stage'
import { valueAtCorner } from '~~/stage/StageObject'
import type { StageGeometry, StageValues } from '~~/stage/StageObject'
import type { CameraState } from '~~/stage/views'
import type { StepResult } from './useResults'

/** The last one of each geometry: it is asked for several times for one picture. */
const known = new WeakMap<StageGeometry, { key: string; range: [number, number] | undefined }>()

/** @param camera  where it is looked from: another one, another range */
export function valuesInView(
  stage: Stage | null,
  { geometry, values }: StepResult,
  camera: CameraState | null,
): [number, number] | undefined {
  if (!stage || !geometry || !values) return undefined
  const key = `${values.key} ${JSON.stringify(camera)}`
  const last = known.get(geometry)
  if (last?.key === key) return last.range
  const range = extremesInView(stage, geometry, values)
  known.set(geometry, { key, range })
  return range
}

function extremesInView(stage: Stage, geometry: StageGeometry, values: StageValues): [number, number] | undefined {
  const { points, elements, origin } = geometry
  const isSeen = stage.eye.seesPoint(origin)
  let [min, max] = [Infinity, -Infinity]
  for (let i = 0; i < elements.length; i++) {
    const p = elements[i]!
    if (!isSeen(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)) continue
    const value = valueAtCorner(geometry, values, i)
    if (value < min) min = value
    if (value > max) max = value
  }
  return min <= max ? [min + values.reference, max + values.reference] : undefined
}
