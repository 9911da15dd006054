/** Variables of a new step on a shape that brings columns of its own, such as what was carried onto it: those are what it is made for. */
import { stepKind } from '~~/core/steps'
import type { StepKind } from '~~/core/steps/StepKind'
import type { InputRef, Step, Study } from '~~/core/study/studyModel'

/**
 * @param wished     settings that were asked for
 * @param columnsOf  names of the columns of a step
 */
export function byColumns(
  kind: StepKind,
  settings: Step['settings'],
  wished: Step['settings'],
  on: InputRef | undefined,
  { study, columnsOf }: { study: Study; columnsOf: (step: string) => readonly string[] },
): Step['settings'] {
  const step = on && 'step' in on ? study.steps[on.step] : undefined
  const column = step && stepKind(step.kind).look?.column
  if (column === undefined || kind.sourceVariables) return settings
  const others = columnsOf((on as { step: string }).step).filter((name) => name !== column)
  const open = kind
    .sentence(settings)
    .flatMap((piece) => (typeof piece !== 'string' && piece.token === 'variable' && !(piece.setting in wished) ? [piece.setting] : []))
  return { ...settings, ...Object.fromEntries(open.map((setting, i) => [setting, i === 0 ? column : (others[i - 1] ?? column)])) }
}
