/** Steps that are being made and are not in the study yet. */
import type { InputClass, InputSpec, StepKind } from '~~/core/steps/StepKind'
import { freshId } from '~~/core/study/studyModel'
import type { Step, Study } from '~~/core/study/studyModel'

export function withSteps(study: Study, made: ReadonlyMap<string, Step>): Study {
  return { ...study, steps: { ...study.steps, ...Object.fromEntries(made) } }
}

export function freshIn(study: Study, made: ReadonlyMap<string, Step>, kind: StepKind): string {
  return freshId(kind.title.split(' ')[0]!, study.steps, Object.fromEntries(made))
}

const classWords: Readonly<Record<InputClass, string>> = {
  region: 'a region',
  surface: 'a surface',
  lines: 'lines or points',
  table: 'a table',
  reading: 'a reading',
  curve: 'a curve',
}

/** A sentence on what a new step needs and the study has nothing of. @param hasSome  whether anything fits an input */
export function lackOf(
  kind: StepKind,
  { settings, inputs }: Pick<Step, 'settings' | 'inputs'>,
  study: Study,
  hasSome: (spec: InputSpec) => boolean,
): string | undefined {
  const specs = kind.narrowed?.(settings) ?? kind.inputs
  const lacking = specs.find((spec) => !spec.isOptional && !spec.onlyFor && !inputs[spec.name]?.length && !hasSome(spec))
  if (!lacking) return undefined
  const words = lacking.accepts.map((accepted) => classWords[accepted]).join(' or ')
  const hasPoints = lacking.accepts.includes('region') && Object.values(study.parts).some((part) => part.dimension === 0 && !part.isTable)
  const hint = hasPoints ? ' What lies between points is seen with Carry, onto a sheet.' : ''
  return `${kind.title} needs ${words}, and there is none in this study.${hint}`
}
