/** Cautions about what a result is made of, whatever its values are, with what one click may settle. */
import { formatNumber } from '../colour/ticks'
import { isOneLayer } from '../case/layers'
import type { Expression } from '../fields/formula/parse'
import type { Reading, ReadingMend } from '../measure/results'
import type { FramePlan } from './FramePlan'
import type { Frame } from './plan'

export type Doubts = Required<Pick<Reading, 'cautions' | 'mends'>>

export function joinDoubts(list: readonly Doubts[]): Doubts {
  const cautions = [...new Set(list.flatMap((one) => one.cautions))]
  const mends = new Map(list.flatMap((one) => one.mends.map((mend) => [mend.caution, mend] as const)))
  return { cautions, mends: [...mends.values()] }
}

export function withDoubts(reading: Reading, { cautions, mends }: Doubts): Reading {
  return { ...reading, cautions: [...reading.cautions, ...cautions], mends: [...(reading.mends ?? []), ...mends] }
}

/** @param parts  of the case that the result can lie in */
export function doubtsOf(
  at: FramePlan,
  variables: readonly Expression[],
  parts: readonly string[],
  frameOf: (frame: Frame) => FramePlan,
): Doubts {
  const { expressions } = at
  const fields = variables.flatMap((variable) => parts.flatMap((part) => expressions.fields(variable, part)))
  const mends = fields.flatMap(({ name, unit, unitFrom }): ReadingMend[] => {
    if (unitFrom !== 'guess' || unit === null) return []
    const caution = `The unit of ${name}, ${unit}, is a guess that nobody has confirmed; see the data check.`
    return [{ caution, label: `It is ${unit}`, said: { units: { [name]: unit } } }]
  })
  const other = variables.flatMap((variable) => parts.flatMap((part) => expressions.reads(variable, part)))
  const compared = other.flatMap(({ frame, part }) => {
    if (!frame || frame.case === at.frame.case) return []
    return [apartInTime(at, frameOf(frame)), ...parts.map((own) => otherMesh(at, own, frameOf(frame), part))]
  })
  const thin = at.catalogue.parts.filter((part) => parts.includes(part.name) && !part.isPlane && isOneLayer(part))
  const flat = thin.flatMap(({ name }): ReadingMend[] => {
    const caution = `${name} is one layer of cells thick: slopes across it are not resolved.`
    const hasSlopes = variables.some((variable) => expressions.hasSlopes(variable, name))
    return hasSlopes ? [{ caution, label: 'Nothing changes across it', said: { planes: { [name]: true } } }] : []
  })
  const all = [...mends, ...flat]
  const said = [...all.map(({ caution }) => caution), ...compared.filter((text) => text !== '')]
  return joinDoubts([{ cautions: said, mends: all }])
}

/** Empty where both are at the same time. */
function apartInTime(own: FramePlan, other: FramePlan): string {
  const [a, b] = [own, other].map((at) => at.catalogue.moments[at.frame.moment]!) as [Moment, Moment]
  if (a.value === null || b.value === null || Math.abs(a.value - b.value) <= 1e-9 * Math.max(Math.abs(a.value), Math.abs(b.value)))
    return ''
  const name = other.plan.caseNames?.[other.frame.case] ?? 'another case'
  return `This moment, ${formatNumber(a.value)} ${a.unit ?? ''}, is compared with ${name} at ${formatNumber(b.value)} ${b.unit ?? ''}.`
}

/** Cells that are so many times as many, or as few, are much finer or coarser: twice along each side. */
const MUCH = 8

/** Empty where a part has as many cells and points in both: then it is taken to be the same mesh. */
function otherMesh(own: FramePlan, part: string, other: FramePlan, there: string): string {
  const [a, b] = [own.catalogue.parts.find(({ name }) => name === part), other.catalogue.parts.find(({ name }) => name === there)]
  if (!a || !b || a.dimension !== b.dimension || (a.cells === b.cells && a.points === b.points)) return ''
  const ratio = b.cells / a.cells
  const much = ratio > MUCH ? ', which is much finer' : ratio < 1 / MUCH ? ', which is much coarser' : ''
  const name = other.plan.caseNames?.[other.frame.case] ?? 'another case'
  const count = b.cells.toLocaleString('en')
  return `${there} of ${name} has another mesh (${count} cells)${much}: its values are carried; places beyond it have none.`
}

type Moment = FramePlan['catalogue']['moments'][number]
