/** What making a new step takes: others that are made with it, what it is made of, what it lacks. */
import type { Catalogue } from '~~/core/case/catalogue'
import { stepKind } from '~~/core/steps'
import type { InputClass, InputSpec, StepKind } from '~~/core/steps/StepKind'
import { freshId } from '~~/core/study/studyModel'
import type { Vector } from '~~/core/mesh/vectors'
import type { InputRef, Step, Study } from '~~/core/study/studyModel'

export function withSteps(study: Study, made: ReadonlyMap<string, Step>): Study {
  return { ...study, steps: { ...study.steps, ...Object.fromEntries(made) } }
}

export function freshIn(study: Study, made: ReadonlyMap<string, Step>, kind: StepKind): string {
  return freshId(kind.title.split(' ')[0]!, study.steps, Object.fromEntries(made))
}

/** An input for which points are made: a single one by itself, several joined to a line. */
export function ofPlaces(spec: InputSpec, places: readonly Vector[]): InputSpec {
  return { ...spec, makes: 'points', makesWith: { places, joined: places.length > 1 ? 'line' : 'single' } }
}

/** The last readings or curves up to the selected one if that is one, in the order of the trail. */
export function latestOf(choices: readonly { ref: InputRef }[], count: number, selected: string | null): InputRef[] {
  const at = choices.findIndex(({ ref }) => 'step' in ref && ref.step === selected)
  const end = at < 0 ? choices.length : Math.max(at + 1, Math.min(count, choices.length))
  return choices.slice(Math.max(0, end - count), end).map(({ ref }) => ref)
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

/** Whether a kind of step would yield nothing of a step. */
export function isEmptyOn(kind: StepKind, settings: Step['settings'], on: Step | undefined): boolean {
  return on !== undefined && kind.isEmptyOn?.(settings, { ...on, isPoints: stepKind(on.kind).isPoints?.(on.settings) ?? false }) === true
}

/** Whether what a step yields was traced. */
export function isTraced(step: Step | undefined): boolean {
  return step !== undefined && stepKind(step.kind).isTraced === true
}

/** The input of a kind of step that takes all of some things. */
export function takenBy(
  { inputs }: StepKind,
  refs: readonly InputRef[],
  classOf: (ref: InputRef) => InputClass | undefined,
): Step['inputs'] {
  const spec = inputs.find(({ accepts }) => refs.every((ref) => accepts.includes(classOf(ref)!)))
  return spec && refs.length ? { [spec.name]: [...refs] } : {}
}

/** Hides steps that show nothing but one part as it is. */
export function hideShown(all: Study['steps'], ref: InputRef): void {
  for (const step of Object.values(all)) {
    const kind = stepKind(step.kind)
    const refs = step.inputs[kind.inputs[0]?.name ?? ''] ?? []
    const isSame = refs.length === 1 && JSON.stringify(refs[0]) === JSON.stringify(ref)
    if (kind.passesOn && !kind.drawn && isSame) step.isShown = false
  }
}

/** Settings of a kind that begins otherwise where the flow leaves, unless they were asked for. @param boundParts  of the case */
export function atOutlets(
  { begunAtOutlets }: StepKind,
  own: Step['inputs'],
  wished: Step['settings'] = {},
  boundParts: (part: string) => Catalogue['parts'],
): Step['settings'] {
  if (!begunAtOutlets || Object.keys(begunAtOutlets.settings).some((setting) => setting in wished)) return {}
  const refs = own[begunAtOutlets.input] ?? []
  const parts = refs.flatMap((ref) => ('part' in ref ? boundParts(ref.part) : []))
  return parts.length && parts.every(({ role }) => role?.is === 'outlet') ? { ...begunAtOutlets.settings } : {}
}
