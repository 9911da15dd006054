/** New steps, begun with what users would most likely choose. */
import { FormulaError } from '~~/core/errors'
import type { VariableRange } from '~~/core/evaluate/range'
import { priorities } from '~~/core/evaluate/plan'
import { expressionText, nameOf } from '~~/core/fields/formula/expressions'
import { diagonal, roundedBox, unionBox } from '~~/core/mesh/boxes'
import type { Box } from '~~/core/mesh/MeshBlock'
import { stepKind } from '~~/core/steps'
import type { Surroundings } from '~~/core/steps/offers'
import { hasShape, yieldsVolumes } from '~~/core/steps/StepKind'
import type { InputSpec, StepKind } from '~~/core/steps/StepKind'
import { caseBox, colouredLook, newStep, readingsOf } from '~~/core/study/defaults'
import type { Over } from '~~/core/study/over'
import { firstInputs, fitsBefore, standOn } from '~~/core/study/rewire'
import { exhibit } from '~~/core/study/exhibits'
import { ranked, rankBetween, spreadRanks } from '~~/core/study/studyModel'
import type { Places } from '~~/core/study/typedTokens'
import { isSameKind } from '~~/core/units/units'
import type { InputRef, Step, Study } from '~~/core/study/studyModel'
import type { PeriodicMotion } from '~~/core/trace/PeriodicSides'
import type { Evaluated } from './useEvaluated'
import { atOutlets, freshIn, hideShown, isEmptyOn, isTraced, lackOf, latestOf, ofPlaces, takenBy, withSteps } from './madeSteps'
import type { Inputs } from './useInputs'
import type { StepEdits } from './useStepEdits'
import type { StudyCases } from './useStudyCases'
import { pairedSides, periodicSidesOf } from './periodicPairs'
import { useVariablePicks } from './useVariablePicks'
import type { Variables } from './useVariables'

/** What of the workbench a new step depends on. */
interface Around {
  cases: Pick<StudyCases, 'attached' | 'catalogue' | 'catalogues'>
  evaluated: Pick<Evaluated, 'ranges' | 'once' | 'results'>
  variables: Pick<Variables, 'choices' | 'typeOf' | 'fieldOf' | 'label' | 'unitOf' | 'shelf' | 'written'>
  inputs: Pick<Inputs, 'choices' | 'classOf'>
  edits: Pick<StepEdits, 'steps' | 'coloursFor' | 'variableOf'>
}

/** What is asked for of a new step. */
export interface StepWishes {
  settings?: Record<string, unknown>
  inputs?: Record<string, InputRef[]>
  /** Points that are made with it, for one of its inputs. */
  places?: Places | undefined
  colour?: string | null
  over?: Over | undefined
  /** Step that it is put before: it takes what that takes, which is then made of it. */
  before?: string | null
}

/** What an input of a new step is chosen by. */
interface Fitting {
  settings: Step['settings']
  isFirst: boolean
  isOne: boolean
  /** That it must have. */
  variable: string | null
  /** What the first input is. */
  taken: readonly InputRef[]
}

/** Steps that are gone back to find something that fits. */
const MOST_BACK = 20

const INK = '#1F2A2E'
/** Opacity of a volume that something is looked at in. */
const SEEN_THROUGH = 0.25

/** Makes a step of the kind that an input says. @param first  first input of what it is made for @param source  what it is made of */
type Maker = (spec: InputSpec, first: readonly InputRef[], source?: readonly InputRef[]) => InputRef

/** Milliseconds that a new step waits for the range of its variable. */
const PATIENCE = 3000

export function useNewSteps({ cases, evaluated, variables, inputs, edits: { steps, coloursFor, variableOf } }: Around) {
  const { catalogue, catalogues } = cases
  const store = useStudyStore()
  const { current } = storeToRefs(store)
  const { caseId, moment, selected } = storeToRefs(useViewStore())
  const { partsOf, boundParts, isOn, pickVariable, numberingOf, numbers, fittingColour } = useVariablePicks({
    cases: { catalogue, catalogues },
    variables,
  })

  /** Adds a step after the selected one, with the selection as its input if that fits, and with what it needs. @returns '' for none */
  async function addStep(kindId: string, asked: StepWishes = {}): Promise<string> {
    const kind = stepKind(kindId)
    const before = asked.before != null && fitsBefore(current.value!, kind, asked.before) ? asked.before : null
    const wishes = before === null ? asked : { ...asked, inputs: { ...asked.inputs, ...inputsOfBefore(kind, before) } }
    const on = partsLookedAt(kind, wishes.inputs ?? {})
    await makeScalar(kind, wishes.settings ?? {}, on)
    const settings = await settingsOf(kind, wishes.settings ?? {}, on)
    const study = current.value!
    const made = new Map<string, Step>()
    const liked = wishes.colour ?? (kind.hasColour && !kind.look?.isPlain ? pickVariable(1, undefined, on) : null)
    const make: Maker = ({ makes, makesWith = {} }, first, source = []) => {
      const helper = stepKind(makes!)
      const settings = helper.defaults({ ...around(on), box: boxOf(first) }, makesWith)
      const taken = inputsFor(helper, settings, { inputs: takenBy(helper, source, (ref) => inputs.classOf(ref)) }, null, make)
      const id = freshIn(study, made, helper)
      const step = { ...newStep(withSteps(study, made), makes!), settings, inputs: taken }
      if (helper.look?.column) step.look = { ...step.look, ...colouredLook(helper.look.column) }
      made.set(id, step)
      return { step: id }
    }
    const own = inputsFor(kind, settings, wishes, liked, make)
    const lack = lackOf(kind, { settings, inputs: own }, study, (spec) => inputs.choices('', spec).length > 0)
    if (lack) {
      store.notice = { text: lack, isError: true }
      return ''
    }
    const under = own[kind.inputs[0]?.name ?? ''] ?? []
    const isHidden = isLost(kind, settings, liked, under)
    const colour = kind.look?.column ?? wishes.colour ?? (isHidden ? null : fittingColour(liked, under))
    const id = freshIn(study, made, kind)
    const columnsOf = (of: string) => evaluated.results.value.get(of)?.shape?.columns.map(({ name }) => name) ?? []
    const unitsOf = () => under.flatMap((ref) => ('step' in ref ? [evaluated.results.value.get(ref.step)?.reading?.unit ?? null] : []))
    const fitting =
      kind.begunWith && !Object.keys(wishes.settings ?? {}).length
        ? kind.begunWith(unitsOf())
        : byColumns(kind, settings, wishes.settings ?? {}, under[0], { study, columnsOf })
    const begun = { ...fitting, ...atOutlets(kind, own, wishes.settings, boundParts) }
    const step: Step = { ...newStep(withSteps(study, made), kindId), settings: begun, inputs: own }
    if (wishes.over) step.over = wishes.over
    if (colour) step.look = { ...step.look, ...colouredLook(colour), width: step.look.width, ...coloursFor(step.look, colour) }
    else if (isHidden) step.look.plain = INK
    // what has no value of its own column is not there
    if (kind.look?.column) step.look.blank = 'hidden'
    made.set(id, step)
    place(made, before)
    void store.edit(`Add ${step.name}`, (draft) => {
      for (const [key, one] of made) draft.steps[key] = one
      spreadRanks(draft.steps)
      if (before === null) for (const one of made.values()) makeWay(draft.steps, stepKind(one.kind), one.inputs)
      else {
        // what is looked at stays what is made of it
        standOn(draft, before, id)
        draft.steps[id]!.isShown = false
      }
      exhibit(draft, id)
    })
    selected.value = id
    return id
  }

  /** Where a scalar is wanted and what is looked at has none, the size of the vector or tensor that it has: a formula of its own. */
  async function makeScalar(kind: StepKind, wished: Step['settings'], on: readonly string[]): Promise<void> {
    const isWanted = kind
      .sentence(kind.defaults(around(on), wished))
      .some((piece) => typeof piece !== 'string' && piece.token === 'variable' && piece.kind === 'scalar' && !wished[piece.setting])
    if (!isWanted || !on.length || variables.choices('scalar').some(({ value }) => !numbers(value) && on.some((part) => isOn(value, part))))
      return
    const [vector] = variables.choices('any').filter(({ value }) => on.some((part) => isOn(value, part)))
    if (!vector) return
    await variableOf({ name: `size of ${vector.label}`, text: `mag(${expressionText(nameOf(vector.label))})` })
  }

  /** What a step takes, for one that is put before it. */
  function inputsOfBefore(kind: StepKind, before: string): Record<string, InputRef[]> {
    return { [kind.inputs[0]!.name]: [...firstInputs(current.value!, before)] }
  }

  /** Lines on a surface of the same colours cannot be seen. */
  function isLost(kind: StepKind, settings: Step['settings'], colour: string | null, [under]: readonly InputRef[]): boolean {
    const on = under && 'step' in under ? current.value!.steps[under.step] : undefined
    if (!on || on.look.variable !== colour || inputs.classOf(under!) !== 'surface') return false
    return kind.yields(settings, 'surface') === 'lines'
  }

  /** What a new step comes out of would cover it: a part lies on the whole, and what is inside a volume lies behind its outside. */
  function makeWay(all: Study['steps'], kind: StepKind, own: Step['inputs']): void {
    if (!hasShape(kind)) return
    const covered = kind.look?.takesPlace ? kind.inputs.slice(0, 1) : kind.inputs.filter(({ isCovered }) => isCovered)
    for (const ref of covered.flatMap(({ name }) => own[name] ?? [])) {
      if (!('step' in ref)) hideShown(all, ref)
      else if (all[ref.step]) all[ref.step]!.isShown = false
    }
    if (kind.look?.takesPlace) return
    for (const ref of own[kind.inputs[0]?.name ?? ''] ?? []) {
      const from = 'step' in ref ? all[ref.step] : undefined
      if (!from) continue
      if (yieldsVolumes(stepKind(from.kind))) from.look.opacity = Math.min(from.look.opacity, SEEN_THROUGH)
    }
  }

  /** Settings to begin with; a range that they need and that nobody has asked for yet is waited for. */
  async function settingsOf(kind: StepKind, wished: Record<string, unknown>, on: readonly string[]): Promise<Step['settings']> {
    const missing = new Set<string>()
    const periodic = kind.isBegunByPeriodic ? await askedPeriodic() : undefined
    const begun = { ...around(on, missing), ...(periodic && { periodic }) }
    const settings = await withReady(kind, kind.defaults(begun, wished), wished)
    if (!missing.size) return settings
    const found = new Map<string, readonly [number, number]>()
    for (const variable of missing) {
      const range = await askedRange(variable)
      if (range) found.set(variable, range)
    }
    const known = around(on)
    return kind.defaults({ ...known, range: (variable) => found.get(variable) ?? known.range(variable) }, wished)
  }

  /** With ready formulas in place of variables that are nothing of the kind. @param wished  settings that stay as they are */
  async function withReady(kind: StepKind, settings: Step['settings'], wished: Step['settings']): Promise<Step['settings']> {
    const found = { ...settings }
    for (const setting of kind.variables(settings)) {
      const name = kind.ready?.[setting]
      if (name === undefined || setting in wished) continue
      const kept = Object.values(current.value!.formulas).find((formula) => formula.name === name)
      const formula = kept ?? variables.shelf.value.find((ready) => ready.name === name)
      const written = formula && variables.written(formula.text, 'any')
      if (!written || written instanceof FormulaError || isSameKind(variables.unitOf(String(settings[setting])), written.hint)) continue
      found[setting] = await variableOf({ name, text: formula.text })
    }
    return found
  }

  async function askedPeriodic(): Promise<PeriodicMotion | undefined> {
    const sides = catalogue.value ? periodicSidesOf(catalogue.value) : []
    const { id } = cases.attached.value ?? {}
    if (!id || sides.length < 2) return undefined
    const [pair] = await pairedSides(id, sides, moment.value).catch(() => [])
    return pair?.motion
  }

  async function askedRange(variable: string): Promise<[number, number] | undefined> {
    if (!caseId.value) return undefined
    const frame = { case: caseId.value, moment: moment.value }
    const asked = evaluated.once({ want: 'range', frame, variable, priority: priorities.seen }).catch(() => undefined)
    const answer = await Promise.race([asked, new Promise<undefined>((resolve) => setTimeout(() => resolve(undefined), PATIENCE))])
    const { min, max } = (answer?.answer.json ?? { min: null, max: null }) as VariableRange
    return min === null || max === null ? undefined : [min, max]
  }

  /** Parts that a new step will look at first, as far as that is known: those of its inputs, or of the step that is selected. */
  function partsLookedAt(kind: StepKind, wished: Record<string, InputRef[]>): string[] {
    const spec = kind.inputs[0]
    if (!spec) return []
    const named = wished[spec.name]
    if (named?.length) return named.flatMap(partsOf)
    const isFitting = inputs.choices('', spec).some(({ ref }) => 'step' in ref && ref.step === selected.value)
    return isFitting ? partsOf({ step: selected.value! }) : []
  }

  /** @param missing  collects variables whose range is asked for and not known */
  function around(on: readonly string[], missing?: Set<string>): Surroundings {
    return {
      box: boxOf(selected.value ? [{ step: selected.value }] : []),
      pick: (components, quantity, other) => pickVariable(components, quantity, on, other),
      numbering: (place) => numberingOf(place, on),
      range(variable) {
        const known = evaluated.ranges.atMoment(variable)
        if (!known) missing?.add(variable)
        return known
      },
      written(variable, value) {
        const unit = variables.unitOf(variable)
        return unit === null || unit === '1' ? `${value}` : `${value} '${unit}'`
      },
      nameOf: (variable) => expressionText(nameOf(variables.label(variable))),
      nReadings: readingsOf(current.value!),
    }
  }

  /** Box of parts and of what steps yield, as far as it is known; else that of the case. */
  function boxOf(refs: readonly InputRef[]): Box {
    const bounds = refs.flatMap((ref) => ('step' in ref ? [] : boundParts('part' in ref ? ref.part : ref.outer).map((part) => part.bounds)))
    const shapes = refs.flatMap((ref) => ('step' in ref ? [evaluated.results.value.get(ref.step)?.shape?.box ?? []] : []))
    const box = unionBox([...bounds, ...shapes].filter((found) => found.length === 6 && found.every((x) => x !== null)) as Box[])
    if (diagonal(box) > 0) return roundedBox(box)
    return catalogue.value ? roundedBox(caseBox(catalogue.value)) : [0, 0, 0, 1, 1, 1]
  }

  /** Before a step or behind the selected one, in their order, in its group. */
  function place(made: Map<string, Step>, before: string | null): void {
    const at = steps.value.findIndex(([id]) => id === (before ?? selected.value))
    const beside = steps.value[at]?.[1]
    const [previous, next] = before !== null ? [at - 1, at] : at < 0 ? [steps.value.length - 1, steps.value.length] : [at, at + 1]
    let rank = steps.value[previous]?.[1].rank
    for (const step of made.values()) {
      step.rank = rank = rankBetween(rank, steps.value[next]?.[1].rank)
      if (beside?.group !== undefined) step.group = beside.group
    }
  }

  /** @param make  makes a step of a kind for an input that nothing fits */
  function inputsFor(
    kind: StepKind,
    settings: Step['settings'],
    { inputs: wished = {}, places }: StepWishes,
    colour: string | null,
    make: Maker,
  ): Step['inputs'] {
    const [holder] = kind.variables(settings)
    const variable = holder === undefined ? colour : String(settings[holder])
    const all = kind.narrowed?.(settings) ?? kind.inputs
    const specs = all.map((spec) => (spec.name === places?.input ? ofPlaces(spec, places.places) : spec))
    let first: readonly InputRef[] = []
    let isMade = false
    return Object.fromEntries(
      specs.map((spec, i) => {
        const named = wished[spec.name]
        // of what it would be empty on, what it needs is made: streaks from a line are those of what is let go there
        const given = i === 0 ? (named ?? []).map(stepOf) : []
        const isSource = (on: Step | undefined): boolean => on?.kind !== spec.makes && isEmptyOn(kind, settings, on)
        if (spec.makes !== undefined && given.length && given.every(isSource)) {
          isMade = true
          return [spec.name, [make(spec, [], named)]]
        }
        // what is made with it is not in the study yet
        const isOther = !isMade && (!first[0] || inputs.classOf(first[0]) !== spec.onlyFor)
        // lines and points of a case have values of their own
        const isEnough = spec.onlyFor === 'lines' && spec.isOptional && !isMade && first.every((ref) => 'part' in ref)
        if (spec.onlyFor && (isOther || isEnough)) return [spec.name, named ?? []]
        const found =
          named?.length || spec.name === places?.input
            ? (named ?? []).slice(0, spec.isList ? undefined : 1)
            : inputsFitting(kind, spec, {
                ...{ settings, isFirst: i === 0, isOne: !spec.isList || kind.reading !== undefined },
                ...{ variable, taken: first },
              })
        if (i === 0) {
          first = found
          isMade = !found.length && spec.makes !== undefined
        }
        return [spec.name, !found.length && spec.makes ? [make(spec, first)] : found]
      }),
    )
  }

  function stepOf(ref: InputRef): Step | undefined {
    return 'step' in ref ? current.value!.steps[ref.step] : undefined
  }

  function inputsFitting(kind: StepKind, spec: InputSpec, { settings, isFirst, isOne, variable, taken }: Fitting): InputRef[] {
    const isEmpty = (ref: InputRef): boolean => isFirst && isEmptyOn(kind, settings, stepOf(ref))
    // with itself nothing meets
    const own = taken.map((ref) => JSON.stringify(ref))
    const choices = inputs.choices('', spec).filter(({ ref }) => !own.includes(JSON.stringify(ref)) && canBe(kind, isFirst, ref))
    const carries = (ref: InputRef): boolean =>
      variable === null || !partsOf(ref).length || partsOf(ref).some((part) => isOn(variable, part))
    if (spec.atFirst) return latestOf(choices, spec.atFirst, selected.value)
    const around = spec.bounds === undefined ? [] : boundsOf(taken)
    if (around.length) return around
    // what is made for it is nearer than all of a region
    const isBetter = (ref: InputRef): boolean =>
      isFirst || (spec.makes !== undefined && inputs.classOf(ref) !== 'region' && !isTraced(stepOf(ref)))
    const onSelected = choices.find(({ ref }) => 'step' in ref && ref.step === selected.value && isBetter(ref) && !isEmpty(ref))
    if (onSelected) return [onSelected.ref]
    // beside something that does not fit, what that is made of
    const fitting = (refs: readonly InputRef[]) =>
      refs.filter((ref) => !isEmpty(ref) && carries(ref) && choices.some((choice) => JSON.stringify(choice.ref) === JSON.stringify(ref)))
    let refs = isFirst ? madeOf(selected.value) : []
    for (let back = 0; refs.length && back < MOST_BACK; back++) {
      const found = fitting(refs)
      if (found.length) return found
      refs = madeOf('step' in refs[0]! ? refs[0].step : null)
    }
    if (spec.isOptional && !spec.accepts.includes('region')) return []
    // regions first, before others that of which the first input is: most work starts from the fluid; lines from the last one made
    const source = taken.flatMap(partsOf)
    const isSource = (ref: InputRef): boolean => 'part' in ref && source.includes(ref.part)
    const regions = spec.makes ? [] : choices.filter(({ hint }) => hint === 'region').map(({ ref }) => ref)
    regions.sort((a, b) => Number(isSource(b)) - Number(isSource(a)))
    const carrying = variable === null ? regions : regions.filter((ref) => 'part' in ref && isOn(variable, ref.part))
    const fits = carrying.length ? carrying : regions.slice(0, 1)
    if (fits.length) return isOne ? fits.slice(0, 1) : fits
    const latest = [...choices].reverse()
    // what has no values yet waits for them
    const bare = spec.isForBare ? choices.find(({ ref, hint }) => 'part' in ref && hint !== 'points' && !carries(ref)) : undefined
    if (bare && !catalogue.value?.parts.some(({ dimension }) => dimension === 3)) return [bare.ref]
    if (spec.makes) {
      const alike = latest.find(({ ref }) => 'step' in ref && current.value!.steps[ref.step]?.kind === spec.makes && !isEmpty(ref))
      const found = alike ?? choices.find(({ ref, hint }) => hint === 'table' && carries(ref))
      return found ? [found.ref] : []
    }
    const line = latest.find(({ ref }) => 'step' in ref && carries(ref))
    const first = choices.find(({ ref }) => carries(ref)) ?? choices[0]
    return line ? [line.ref] : first && !spec.isOptional ? [first.ref] : []
  }

  /** Surfaces that bound regions, as parts of the study; of a region without any its outside. */
  function boundsOf(regions: readonly InputRef[]): InputRef[] {
    const names = regions.flatMap((ref) => ('part' in ref ? boundParts(ref.part).map(({ name }) => name) : []))
    const owned = (catalogue.value?.parts ?? []).filter(
      ({ dimension, owners }) => dimension === 2 && owners?.some((o) => names.includes(o)),
    )
    const found = ranked(current.value!.parts).filter(([id]) => boundParts(id).some((part) => owned.includes(part)))
    if (found.length) return found.map(([part]) => ({ part }))
    return regions.flatMap((ref) => ('part' in ref ? [{ outer: ref.part }] : []))
  }

  /** Whether a kind can be made of something, as far as its parts tell. */
  function canBe(kind: StepKind, isFirst: boolean, ref: InputRef): boolean {
    return !kind.fits || !isFirst || !('part' in ref) || boundParts(ref.part).every(kind.fits)
  }

  /** What the first input of a step is. */
  function madeOf(id: string | null): InputRef[] {
    const step = current.value!.steps[id ?? '']
    const name = step && stepKind(step.kind).inputs[0]?.name
    return name === undefined ? [] : [...(step!.inputs[name] ?? [])]
  }

  return { addStep, around, settingsOf, withReady, inputsFor, fittingColour, partsOf, boundParts, canBe }
}

export type NewSteps = ReturnType<typeof useNewSteps>
