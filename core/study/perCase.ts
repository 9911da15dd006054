/** Steps may have other settings in one case than in all others. */
import type { Step, Study } from './studyModel'

/** Settings of a step in a case. */
export function settingsIn({ settings, cases }: Pick<Step, 'settings' | 'cases'>, caseId: string | null): Step['settings'] {
  const own = caseId === null ? undefined : cases?.[caseId]
  return own ? { ...settings, ...own } : settings
}

/** A study as one case has it; itself where no step has settings of its own there. */
export function inCase(study: Study, caseId: string | null): Study {
  if (caseId === null || !Object.values(study.steps).some(({ cases }) => cases?.[caseId])) return study
  const steps = Object.entries(study.steps).map(([id, step]) => [id, { ...step, settings: settingsIn(step, caseId) }])
  return { ...study, steps: Object.fromEntries(steps) as Study['steps'] }
}

/** Takes settings over, of the case alone where it has some of its own. Changes a draft. */
export function changeSettingsIn(step: Step, caseId: string | null, change: Step['settings']): void {
  const own = caseId === null ? undefined : step.cases?.[caseId]
  if (!own) {
    Object.assign(step.settings, change)
    return
  }
  for (const [name, value] of Object.entries(change)) {
    if (JSON.stringify(value) === JSON.stringify(step.settings[name])) delete own[name]
    else own[name] = value
  }
}

/** Gives a step settings of its own in a case, to begin with none that differ; or takes them away. Changes a draft. */
export function setOwnIn(step: Step, caseId: string, isOwn: boolean): void {
  const cases = { ...step.cases }
  if (isOwn) cases[caseId] ??= {}
  else delete cases[caseId]
  if (Object.keys(cases).length) step.cases = cases
  else delete step.cases
}
