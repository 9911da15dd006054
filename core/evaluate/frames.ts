/** The frames of a job: one for each moment, value of a setting or case that a result is taken over. */
import { isTableCase } from '../case/catalogue'
import { DataError } from '../errors'
import { direction, dot } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { valuesOf } from '../study/over'
import type { Over, OverAxis, ValuesAxis } from '../study/over'
import type { CaseSnapshot } from './FramePlan'
import type { Frame, Plan } from './plan'

/** Most rows of a table. */
export const MOST_FRAMES = 100_000

export interface JobFrame {
  frame: Frame
  /** Place on each axis: the index of the moment, the value, or the place of the case in the list. */
  at: number[]
}

/**
 * @param base   case and moment of axes that are not taken over
 * @param cases  by their ids in the study, in their order
 * @throws DataError when there are too many, or a step of them is not there
 */
export function framesOf(plan: Plan, over: Over, base: Frame, cases: ReadonlyMap<string, Pick<CaseSnapshot, 'catalogue'>>): JobFrame[] {
  // the moments of an axis are those of the case of the frame: cases come first
  const ordered = over.map((axis, place) => ({ axis, place })).sort((a, b) => Number(b.axis.is === 'cases') - Number(a.axis.is === 'cases'))
  let frames: JobFrame[] = [{ frame: base, at: [] }]
  for (const { axis, place } of ordered) {
    frames = frames.flatMap((one) =>
      stepsOf(plan, axis, one.frame, cases).map(({ frame, at }) => {
        const places = [...one.at]
        places[place] = at
        return { frame, at: places }
      }),
    )
    if (frames.length > MOST_FRAMES)
      throw new DataError('too-many', `This would be more than ${MOST_FRAMES.toLocaleString('en')} values; take fewer.`)
  }
  return frames
}

function stepsOf(
  plan: Plan,
  axis: OverAxis,
  frame: Frame,
  cases: ReadonlyMap<string, Pick<CaseSnapshot, 'catalogue'>>,
): { frame: Frame; at: number }[] {
  switch (axis.is) {
    case 'cases': {
      const all = [...cases].map(([id, { catalogue }], at) => ({
        ...{ frame: { ...frame, case: id }, at },
        isTable: isTableCase(catalogue),
      }))
      // tables that stand beside simulations are not what these are compared with
      return all.some(({ isTable }) => !isTable) ? all.filter(({ isTable }) => !isTable) : all
    }
    case 'moments': {
      const n = cases.get(frame.case)?.catalogue.moments.length ?? 0
      return Array.from({ length: n }, (_, at) => ({ frame: { ...frame, moment: at }, at }))
    }
    case 'values':
      return valuesOf(axis).map((at) => ({ frame: { ...frame, ...overridden(plan, axis, at, frame) }, at }))
  }
}

/** A constant or settings in place of those of the study. */
function overridden(plan: Plan, axis: ValuesAxis, value: number, { tokens, constants }: Frame): Pick<Frame, 'tokens' | 'constants'> {
  if ('formula' in axis) {
    if (!Object.hasOwn(plan.formulas, axis.formula))
      throw new DataError('no-formula', 'The constant whose values are taken was deleted; choose another.')
    return { constants: { ...constants, [axis.formula]: value } }
  }
  const { step, setting } = axis
  const settings = Object.hasOwn(plan.steps, step) ? plan.steps[step]!.settings : undefined
  if (!settings) throw new DataError('no-step', 'The step whose values are taken was deleted; choose another.')
  const own = Object.entries(settingAt(settings, setting, value)).map(([name, changed]) => [`${step}.${name}`, changed])
  return { tokens: { ...tokens, ...Object.fromEntries(own) } }
}

/** What changes where a setting has a value. @param setting  `plane`: the place of the plane along its normal */
export function settingAt(settings: Readonly<Record<string, unknown>>, setting: string, value: number): Record<string, unknown> {
  if (setting !== 'plane') return { [setting]: value }
  const normal = direction(settings['normal'] as Vector)
  const origin = settings['origin'] as Vector
  const by = value - dot(normal, origin)
  return { origin: origin.map((c, d) => c + by * normal[d]!) }
}
