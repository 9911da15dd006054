/** A plan in one frame: steps with the names of the case, and the formulas and fields that names refer to. */
import type { Catalogue, Part } from '../case/catalogue'
import { digest } from '../digest'
import type { Key } from '../digest'
import { DataError } from '../errors'
import { comparisonsOf, conditionTree, structureOf } from '../fields/formula/conditions'
import type { ConditionTree } from '../fields/formula/conditions'
import { axesByName } from '../fields/formula/axes'
import { labelOf, nameOf } from '../fields/formula/expressions'
import { withValue } from '../fields/formula/constant'
import type { Expression } from '../fields/formula/parse'
import type { Names } from '../fields/formula/scope'
import { stepKind } from '../steps'
import type { InputSpec, PlannedInput, StepKind } from '../steps/StepKind'
import { storedKey } from '../store/storeKeys'
import { checkSchema, inputsOf } from '../study/check'
import { partIdsOf } from '../study/inputClass'
import { settingsIn } from '../study/perCase'
import { variableName } from '../study/studyModel'
import { Expressions } from './Expressions'
import type { StoredRef } from './Expressions'
import type { Frame, InputRef, Plan } from './plan'

/** The state of a case that a request uses from beginning to end. */
export interface CaseSnapshot {
  /** Digest of the whole snapshot. */
  key: Key
  id: string
  /** Changes whenever the case is imported again. */
  generation: string
  catalogue: Catalogue
}

/** Constants that a frame overrides are so in all that its formulas look at. */
export function elsewhere({ constants }: Frame, place: Pick<Frame, 'case' | 'moment'>): Frame {
  return { case: place.case, moment: place.moment, ...(constants && { constants }) }
}

function textIn({ constants }: Frame, formula: string, text: string): string {
  return constants && Object.hasOwn(constants, formula) ? withValue(text, constants[formula]!) : text
}

export interface PlannedStep {
  kind: StepKind
  settings: Readonly<Record<string, unknown>>
}

export class FramePlan {
  readonly names: Names
  readonly expressions: Expressions
  private readonly steps = new Map<string, PlannedStep>()

  constructor(
    readonly plan: Plan,
    readonly frame: Frame,
    readonly snapshot: CaseSnapshot,
    /** The same plan in another frame; undefined where that case cannot be looked at. */
    private readonly inFrame: (frame: Frame) => FramePlan | undefined,
  ) {
    const { catalogue } = snapshot
    if (!catalogue.moments[frame.moment]) {
      throw new DataError('no-moment', `There is no moment ${frame.moment}; the case has ${catalogue.moments.length}.`)
    }
    const bound = Object.values(plan.variables).flatMap(({ name, binding }) => {
      const own = binding[frame.case]
      return own ? [[name, own] as const] : []
    })
    this.names = {
      catalogue,
      formulas: Object.fromEntries(Object.entries(plan.formulas).map(([id, { name, text }]) => [name, textIn(frame, id, text)])),
      fields: Object.fromEntries(bound),
      moment: frame.moment,
      axes: axesByName(plan.axes),
      otherCase: (name, part) => this.otherCase(name, part),
      caseNames: Object.values(plan.caseNames ?? {}),
    }
    this.expressions = new Expressions(
      this.names,
      (ref) => this.version(ref),
      (at) => this.other(at),
    )
  }

  /** A case of the study by its name, and what a part of this case is called there; where it has a single one, as a table, that. */
  private otherCase(name: string, part: string | null): ReturnType<NonNullable<Names['otherCase']>> {
    const id = Object.entries(this.plan.caseNames ?? {}).find(([, own]) => own === name)?.[0]
    const found = id === undefined ? undefined : this.inFrame(elsewhere(this.frame, { case: id, moment: 0 }))
    if (!found) return undefined
    const bound = Object.values(this.plan.parts).find(({ binding }) => part !== null && binding[this.frame.case]?.includes(part))
    const { parts } = found.catalogue
    const only = parts.length === 1 ? parts[0]!.name : undefined
    const there = part === null ? null : (bound?.binding[id!]?.[bound.binding[this.frame.case]!.indexOf(part)] ?? only)
    return there === undefined ? undefined : { case: id!, names: found.names, part: there }
  }

  private other({ case: id, moment }: { case: string | null; moment: number }) {
    const frame = elsewhere(this.frame, { case: id ?? this.frame.case, moment })
    const found = this.inFrame(frame)
    if (!found) throw new DataError('no-case', 'A case that a formula looks at cannot be read; see its data check.')
    return { expressions: found.expressions, frame }
  }

  get catalogue(): Catalogue {
    return this.snapshot.catalogue
  }

  /** Surfaces that bound some regions. */
  boundaryOf(regions: readonly string[]): Part[] {
    return this.catalogue.parts.filter(({ dimension, owners }) => dimension === 2 && owners?.some((owner) => regions.includes(owner)))
  }

  /** Cells of some parts together. */
  cellsOf(parts: readonly string[]): number {
    return this.catalogue.parts.reduce((n, { name, cells }) => n + (parts.includes(name) ? cells : 0), 0)
  }

  /** Key of a stored mesh or field; a missing one has a key as well. */
  version({ part, field, frame }: StoredRef): Key {
    if (frame) return this.inFrame(elsewhere(this.frame, frame))?.version({ part, field }) ?? digest('nothing', part, field, frame)
    const { catalogue, generation } = this.snapshot
    return storedKey(catalogue, generation, this.frame.moment, part, field) ?? digest('nothing', part, field)
  }

  /** @throws UserError when there is no such step, or its settings do not fit its kind */
  step(id: string): PlannedStep {
    let found = this.steps.get(id)
    if (!found) {
      const step = Object.hasOwn(this.plan.steps, id) ? this.plan.steps[id] : undefined
      if (!step) throw new DataError('no-step', 'An input of this step was deleted; choose another.')
      const settings = { ...settingsIn(step, this.frame.case) }
      for (const [token, value] of Object.entries(this.frame.tokens ?? {})) {
        const [own, setting] = token.split('.')
        if (own === id && setting) settings[setting] = value
      }
      const kind = stepKind(step.kind)
      checkSchema(kind.settings, settings, 'A step')
      this.steps.set(id, (found = { kind, settings }))
    }
    return found
  }

  /** The variable in a setting: a formula or field of the study, or a column that a shape brings itself. */
  variable(step: string, setting: string): Expression {
    return this.expressionOf(String(this.step(step).settings[setting]))
  }

  /** Where a step moves what is made of it. */
  movement(step: string): { expression: Expression; factor: number } | undefined {
    const { kind, settings } = this.step(step)
    const found = kind.moves?.(settings)
    return found && { expression: this.variable(step, found.setting), factor: found.factor }
  }

  /** The nearest movement among what an input is made of. */
  movementOf(input: PlannedInput): { expression: Expression; factor: number } | undefined {
    const seen = new Set<string>()
    for (let at: PlannedInput | undefined = input; at && 'step' in at && !seen.has(at.step);) {
      seen.add(at.step)
      const own = this.movement(at.step)
      if (own) return own
      const first: InputSpec | undefined = this.step(at.step).kind.inputs[0]
      at = first && this.inputs(at.step, first.name)[0]
    }
    return undefined
  }

  /** A setting that holds a condition. @throws FormulaError */
  condition(step: string, setting: string): ConditionTree {
    return conditionTree(String(this.step(step).settings[setting]), this.names.formulas)
  }

  /** Expressions on which the result of a step depends: variables, and what its conditions compare. */
  shapeExpressions(step: string): Expression[] {
    const { kind, settings } = this.step(step)
    const used = kind.variables(settings)
    const compared = (kind.conditions ?? []).flatMap((setting) => comparisonsOf(this.condition(step, setting)))
    return [...kind.shapeVariables.filter((setting) => used.includes(setting)).map((setting) => this.variable(step, setting)), ...compared]
  }

  /** How the conditions of a step join what they compare. */
  structure(step: string): string[] {
    return (this.step(step).kind.conditions ?? []).map((setting) => structureOf(this.condition(step, setting)))
  }

  /** @param id  of a variable or formula */
  expressionOf(id: string): Expression {
    return nameOf(variableName(this.plan, id))
  }

  /** @throws DataError when the case has no part for one of the study */
  inputs(step: string, name: string): PlannedInput[] {
    const refs = this.plan.steps[step]?.inputs[name] ?? []
    // what is only drawn is drawn as far as it is there
    const there = this.step(step).kind.passesOn === 'outside' ? refs.filter((ref) => 'step' in ref || this.boundTo(ref)) : []
    return (there.length ? there : refs).flatMap((ref) => this.planned(ref))
  }

  /** The own case where it has all parts of an input, else one that has. */
  caseWith(step: string, name: string): string {
    const parts = this.partsBehind(step, name)
    const hasAll = (id: string): boolean => parts.every((part) => this.plan.parts[part]?.binding[id]?.length)
    if (hasAll(this.frame.case)) return this.frame.case
    return Object.keys(this.plan.cases).find(hasAll) ?? this.frame.case
  }

  /** Case and parts of what a step is made of and this case lacks, if another case has all of that; null for nothing. */
  lackedBy(step: string): { case: string; parts: readonly string[] } | null {
    const names = Object.keys(this.plan.steps[step]?.inputs ?? {})
    const boundIn = (id: string, part: string): readonly string[] => this.plan.parts[part]?.binding[id] ?? []
    const lacking = names.flatMap((name) => this.partsBehind(step, name)).filter((part) => !boundIn(this.frame.case, part).length)
    const found = lacking.length ? Object.keys(this.plan.cases).find((id) => lacking.every((part) => boundIn(id, part).length)) : undefined
    return found === undefined ? null : { case: found, parts: lacking.flatMap((part) => boundIn(found, part)) }
  }

  /** Parts of the study that an input is made of, whatever steps lie between. */
  private partsBehind(step: string, name: string): string[] {
    const { steps } = this.plan
    const own = steps[step]?.inputs[name] ?? []
    const between = own.flatMap((ref) => ('step' in ref ? [ref.step, ...inputsOf(this.plan, ref.step)] : []))
    const refs = [...own, ...between.flatMap((id) => Object.values(steps[id]?.inputs ?? {}).flat())]
    return partIdsOf(refs)
  }

  /** What the study calls an expression: the name of a formula that means the same on these parts, or else the expression itself. */
  named(expression: Expression, parts: readonly string[]): string {
    return labelOf(this.studyExpression(expression, parts) ?? expression)
  }

  /** A formula of the study that means the same on these parts. */
  studyExpression(expression: Expression, parts: readonly string[]): Expression | undefined {
    const { formulas } = this.names
    if (!parts.length || (expression.kind === 'name' && Object.hasOwn(formulas, expression.name))) return undefined
    const key = this.expressions.key(expression, parts)
    const name = Object.keys(formulas).find((formula) => this.expressions.key(nameOf(formula), parts) === key)
    return name === undefined ? undefined : nameOf(name)
  }

  private planned(ref: InputRef): PlannedInput[] {
    if ('step' in ref) return [ref]
    const bound = this.boundTo(ref)
    if (!bound) {
      const name = this.plan.parts['outer' in ref ? ref.outer : ref.part]?.name ?? '?'
      throw new DataError('no-binding', `This case has no part for “${name}”; bind one or choose another part.`)
    }
    return bound.map((name) => ({ part: name, isOuter: 'outer' in ref }))
  }

  /** Parts of the case that one of the study stands for. */
  private boundTo(ref: Exclude<InputRef, { step: string }>): readonly string[] | undefined {
    const id = 'outer' in ref ? ref.outer : ref.part
    return Object.hasOwn(this.plan.parts, id) ? this.plan.parts[id]!.binding[this.frame.case] : undefined
  }
}
