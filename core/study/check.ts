/** Checks documents at every border with Ajv. */
import Ajv from 'ajv'
import type { ValidateFunction } from 'ajv'
import type { Static, TSchema } from '@sinclair/typebox'
import { UserError } from '../errors'
import { stepKinds } from '../steps'
import { StudySchema } from './studyModel'
import type { Step, Study } from './studyModel'

// settings that older studies do not have get their defaults
const ajv = new Ajv({ allErrors: false, strict: false, useDefaults: true })
ajv.addFormat('uuid', /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/)
const validators = new Map<TSchema, ValidateFunction>()

/** @throws UserError naming the place that does not fit */
export function checkSchema<S extends TSchema>(schema: S, value: unknown, what: string): Static<S> {
  let validate = validators.get(schema)
  if (!validate) validators.set(schema, (validate = ajv.compile(schema)))
  if (validate(value)) return value as Static<S>
  const error = validate.errors![0]!
  const place = error.instancePath ? ` at ${error.instancePath.slice(1).replaceAll('/', ' › ')}` : ''
  throw new UserError('bad-input', `${what} does not fit${place}: it ${error.message ?? 'is wrong'}.`)
}

const settingsByKind = new Map(stepKinds.map((kind) => [kind.id, kind.settings]))

/** Checks a whole study: schema, settings by kind, and that no step is its own input. */
export function checkStudy(value: unknown): Study {
  const study = checkSchema(StudySchema, value, 'The study')
  for (const step of Object.values(study.steps)) {
    const settings = settingsByKind.get(step.kind)
    if (!settings) throw new UserError('unknown-step', `The study has a step of the unknown kind “${step.kind}”.`)
    checkSchema(settings, step.settings, `“${step.name}”`)
    for (const own of Object.values(step.cases ?? {})) checkSchema(settings, { ...step.settings, ...own }, `“${step.name}”`)
  }
  for (const id of Object.keys(study.steps)) {
    if (inputsOf(study, id).has(id)) throw new UserError('circle', `“${study.steps[id]!.name}” would be its own input; choose another.`)
  }
  return study
}

/** A study with the settings that were added to its steps since it was kept. */
export function withAddedSettings(study: Study): Study {
  for (const step of Object.values(study.steps)) {
    const settings = settingsByKind.get(step.kind)
    if (settings) checkSchema(settings, step.settings, `“${step.name}”`)
  }
  return study
}

/** All steps a step depends on, directly or not. */
export function inputsOf(study: { steps: Record<string, Pick<Step, 'inputs'>> }, id: string): Set<string> {
  const found = new Set<string>()
  const visit = (stepId: string): void => {
    for (const ref of Object.values(study.steps[stepId]?.inputs ?? {}).flat()) {
      if ('step' in ref && !found.has(ref.step)) {
        found.add(ref.step)
        visit(ref.step)
      }
    }
  }
  visit(id)
  return found
}
