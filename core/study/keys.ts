/**
 * Keys of results. Equal keys mean equal results, so that nothing is computed twice and nothing stale is shown.
 *
 * A shape key holds the kind, version and settings of the step, the keys of its inputs and the mesh version; a value key
 * the shape key, the moment and the formula with all it uses. Looks are in neither.
 */
import type { Catalogue } from './caseModel'
import { namesIn, parseFormula } from '../fields/formula/parse'
import type { Plan, PlanInput } from './plan'
import { stepKind } from '../steps'

export function shapeKey(plan: Plan, catalogue: Catalogue, stepId: string): string {
  return digest(shapeText(plan, catalogue, stepId))
}

export function valueKey(plan: Plan, catalogue: Catalogue, stepId: string, variable: string): string {
  return digest(shapeText(plan, catalogue, stepId) + valueText(plan, variable))
}

/** Key of a reading or curve: everything it depends on. */
export function outcomeKey(plan: Plan, catalogue: Catalogue, stepId: string): string {
  const step = plan.steps[stepId]!
  const variables = stepKind(step.kind).variables(step.settings)
  return digest('outcome' + shapeText(plan, catalogue, stepId) + variables.map((v) => valueText(plan, v)).join())
}

function shapeText(plan: Plan, catalogue: Catalogue, stepId: string): string {
  const step = plan.steps[stepId]
  if (!step) return 'missing'
  const kind = stepKind(step.kind)
  const moment = catalogue.moments[plan.moment]
  const inputs = Object.keys(step.inputs)
    .sort()
    .map((name) => [name, step.inputs[name]!.map((input) => inputText(plan, catalogue, input))])
  const fields = kind.shapeVariables(step.settings).map((variable) => valueText(plan, variable))
  return JSON.stringify([step.kind, kind.version, canonical(step.settings), inputs, plan.case, moment?.topology, moment?.coordinates, fields])
}

function inputText(plan: Plan, catalogue: Catalogue, input: PlanInput): string {
  return 'step' in input ? shapeText(plan, catalogue, input.step) : JSON.stringify(input)
}

/** The variable with every formula and field it uses, whatever the order of definition. */
function valueText(plan: Plan, variable: string): string {
  const used = new Map<string, string>()
  const visit = (name: string): void => {
    if (used.has(name)) return
    const text = plan.formulas[name]
    used.set(name, text ?? `field ${plan.fields[name] ?? name}`)
    if (text === undefined) return
    try {
      for (const inner of namesIn(parseFormula(text))) visit(inner)
    } catch {
      // a formula that does not parse fails when it is evaluated, with its own message
    }
  }
  visit(variable)
  return JSON.stringify([plan.moment, variable, [...used].sort()])
}

function canonical(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(canonical)
  if (value && typeof value === 'object') {
    return Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)).map(([k, v]) => [k, canonical(v)]))
  }
  return value
}

/** 106 bits of two multiplicative string hashes: short, and apart for all texts one installation will see. */
function digest(text: string): string {
  return hash53(text, 0x9e3779b9) + hash53(text, 0x7f4a7c15)
}

function hash53(text: string, seed: number): string {
  let a = 0xdeadbeef ^ seed
  let b = 0x41c6ce57 ^ seed
  for (let i = 0; i < text.length; i++) {
    const ch = text.charCodeAt(i)
    a = Math.imul(a ^ ch, 2654435761)
    b = Math.imul(b ^ ch, 1597334677)
  }
  a = Math.imul(a ^ (a >>> 16), 2246822507) ^ Math.imul(b ^ (b >>> 13), 3266489909)
  b = Math.imul(b ^ (b >>> 16), 2246822507) ^ Math.imul(a ^ (a >>> 13), 3266489909)
  return (4294967296 * (2097151 & b) + (a >>> 0)).toString(36)
}
