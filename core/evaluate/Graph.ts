/**
 * The nodes behind targets, with their keys. A node is one computation. Its key is the digest of all its inputs, so that equal
 * computations of different requests are the same node.
 */
import { digest } from '../digest'
import type { Key } from '../digest'
import type { Part } from '../case/catalogue'
import type { CheckSubject } from '../check/checkSubject'
import { DataError } from '../errors'
import { callOf, labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { hasShape, takesOutcomes, yieldsVolumes } from '../steps/StepKind'
import type { PlannedInput } from '../steps/StepKind'
import { uniqueRefs } from './Expressions'
import type { StoredRef } from './Expressions'
import { doubtsOf, joinDoubts } from './doubts'
import type { Doubts } from './doubts'
import type { Had } from './chunks'
import { FramePlan } from './FramePlan'
import type { CaseSnapshot } from './FramePlan'
import type { Frame, Plan, TargetOf } from './plan'
import { inChunks, missing, sharesOf, unitsOf, valueSharesOf, withoutVariables } from './nodes'
import type { Node, PlannedDomain, PlannedInputs, ShapeNodes } from './nodes'
import { allMoments, inputsOf, sourceVariables } from './graphInputs'
import { numbersUsed } from './numbersUsed'

/** Frames that are remembered. */
const KEPT_FRAMES = 512

export class Graph {
  private readonly frames = new Map<string, FramePlan>()
  private readonly shapes = new Map<string, ShapeNodes>()
  /** Steps whose shapes are being put together, to notice a circle. */
  private readonly open = new Set<string>()

  /** @param cases  by their ids in the study */
  constructor(
    readonly plan: Plan,
    readonly cases: ReadonlyMap<string, CaseSnapshot>,
  ) {}

  frame(frame: Frame): FramePlan {
    const id = JSON.stringify(frame)
    let found = this.frames.get(id)
    if (!found) {
      const snapshot = this.cases.get(frame.case)
      if (!snapshot) throw new DataError('no-case', 'This case is no longer in the study; choose another.')
      // a job has any number of frames
      if (this.frames.size >= KEPT_FRAMES) {
        this.frames.clear()
        this.shapes.clear()
      }
      this.frames.set(
        id,
        (found = new FramePlan(this.plan, frame, snapshot, (other) => (this.cases.has(other.case) ? this.frame(other) : undefined))),
      )
    }
    return found
  }

  /** @throws UserError when the step has none, or an input is missing */
  shape(step: string, frame: Frame): ShapeNodes {
    const id = `${step} ${JSON.stringify(frame)}`
    const known = this.shapes.get(id)
    if (known) return known
    const made = this.guarded(step, frame, () => this.makeShape(step, frame), 'shape')
    this.shapes.set(id, made)
    return made
  }

  private makeShape(step: string, frame: Frame): ShapeNodes {
    const at = this.frame(frame)
    const { kind, settings } = at.step(step)
    const isThrough = kind.isThroughMoments?.(settings) === true
    if (isThrough && frame.moment > 0) return this.shape(step, { ...frame, moment: 0 })
    if (!hasShape(kind)) throw new DataError('no-shape', `“${kind.title}” yields a number or a curve, not a shape.`)
    const inputs = inputsOf(this, step, at)
    if (kind.passesOn) {
      const nodes = inputs.shapes.flatMap((shape) => shape.nodes)
      if (!nodes.length) throw missing(kind.inputs[0]!)
      const keys = nodes.map(({ key }) => key)
      return {
        key: digest('shapes', keys, this.movement(step, at, inputs)?.key),
        nodes,
        parts: inputs.parts,
      }
    }
    if (kind.keeps && inputs.hasDomain) {
      const domain = this.domain(step, frame)
      const key = digest('outside', domain.key)
      return {
        key,
        nodes: [{ key, frame, task: { do: 'shape', step }, needs: this.outsideShares(step, frame), reads: [], isOfNeeds: true }],
        parts: domain.parts,
        shares: valueSharesOf(at.cellsOf(domain.parts)),
      }
    }
    const { key, reads } = this.resultOf('shape', step, at, inputs)
    const boundary = this.boundary(step, at, inputs).flatMap(({ name }) => this.partShape(at, name, false).nodes)
    const needs = [...this.withSurvey(step, at, inputs), ...boundary]
    const of = kind.shape?.isShared && inputs.hasDomain ? sharesOf(at.cellsOf(inputs.parts)) : 1
    if (of > 1) {
      const share = (i: number): Node => ({
        key: digest('share', key, i, of),
        frame,
        task: { do: 'share', step, share: i, of },
        needs,
        reads,
      })
      return { key, nodes: Array.from({ length: of }, (_, i) => share(i)), parts: inputs.parts }
    }
    if (!isThrough) return { key, nodes: [{ key, frame, task: { do: 'shape', step }, needs, reads }], parts: inputs.parts }
    const others = allMoments(this, step, at)
    const through: Node = {
      key: digest('through moments', key, others.keys),
      ...{ frame, task: { do: 'shape', step } },
      needs: [...needs, ...others.needs],
      reads: uniqueRefs([...reads, ...others.reads]),
    }
    return { key: through.key, nodes: [through], parts: inputs.parts }
  }

  /** The outside of a volume, in shares for several threads. How many there are depends on the case alone. */
  outsideShares(step: string, frame: Frame): Node[] {
    const { key, parts, reads, needs } = this.domain(step, frame)
    const of = sharesOf(this.frame(frame).cellsOf(parts))
    return Array.from({ length: of }, (_, share): Node => {
      return { key: digest('outside', key, share, of), frame, task: { do: 'outside', step, share, of }, needs, reads }
    })
  }

  /** Key of what a step makes of its inputs, and what that reads. */
  private resultOf(what: 'shape' | 'domain', step: string, at: FramePlan, inputs: PlannedInputs): { key: Key; reads: StoredRef[] } {
    const { kind, settings } = at.step(step)
    const expressions = at.shapeExpressions(step)
    const sources = sourceVariables(this, step, at)
    const around = this.boundary(step, at, inputs)
    const meshes = around.map(({ name }): StoredRef => ({ part: name, field: null }))
    const key = digest(
      what,
      kind.id,
      kind.version,
      withoutVariables(settings, [...kind.variables(settings), ...(kind.conditions ?? [])]),
      inputs.keys,
      at.structure(step),
      expressions.map((expression) => [at.expressions.key(expression, inputs.parts), labelOf(expression)]),
      sources.keys,
      around.map(({ name, role }, i) => [name, role?.is, at.version(meshes[i]!)]),
      kind.isOfMoment ? [at.frame.moment, at.catalogue.moments] : null,
      kind.needsUnits
        ? [at.catalogue.lengthUnit, expressions.map((expression) => unitsOf(at.expressions, expression, inputs.parts))]
        : null,
    )
    return { key, reads: uniqueRefs([...inputs.reads, ...meshes, ...at.expressions.allReads(expressions, inputs.parts), ...sources.reads]) }
  }

  /** Surfaces that a step looks at. */
  private boundary(step: string, at: FramePlan, { parts }: PlannedInputs): Part[] {
    return at.step(step).kind.looksAtBoundary ? at.boundaryOf(parts) : []
  }

  /** What a step must know of an input: the same for all of its settings. */
  survey(step: string, frame: Frame): Node {
    const at = this.frame(frame)
    const { kind } = at.step(step)
    const inputs = inputsOf(this, step, at)
    const surveyed = kind.surveyed ?? kind.inputs[0]!.name
    const own = inputs.keys.filter((key) => (key as unknown[])[0] === surveyed)
    const key = digest('survey', kind.id, kind.version, own)
    return { key, frame, task: { do: 'survey', step }, needs: inputs.needs, reads: inputs.reads }
  }

  private withSurvey(step: string, at: FramePlan, inputs: PlannedInputs): Node[] {
    return at.step(step).kind.survey ? [...inputs.needs, this.survey(step, at.frame)] : inputs.needs
  }

  /** Whether a step yields a volume. */
  yieldsDomain(step: string, frame: Frame): boolean {
    const at = this.frame(frame)
    return yieldsVolumes(at.step(step).kind) && inputsOf(this, step, at, true).hasDomain
  }

  /** @throws UserError when an input is missing */
  domain(step: string, frame: Frame): PlannedDomain {
    return this.guarded(step, frame, () => {
      const at = this.frame(frame)
      const inputs = inputsOf(this, step, at, true)
      if (!at.step(step).kind.passesOn)
        return { ...this.resultOf('domain', step, at, inputs), parts: inputs.parts, needs: this.withSurvey(step, at, inputs) }
      const movement = this.movement(step, at, inputs)
      return {
        ...inputs,
        key: digest('passed on', inputs.keys, movement?.key),
        reads: uniqueRefs([...inputs.reads, ...(movement?.reads ?? [])]),
      }
    })
  }

  /** Where a step moves what it passes on to those who cut it. */
  private movement(step: string, at: FramePlan, { parts }: PlannedInputs): { key: Key; reads: StoredRef[] } | undefined {
    const found = at.movement(step)
    if (!found) return undefined
    const { expressions } = at
    const { expression, factor } = found
    const units = [at.catalogue.lengthUnit, unitsOf(expressions, expression, parts)]
    return {
      key: digest('moved', expressions.key(expression, parts), factor, units),
      reads: expressions.allReads([expression], parts),
    }
  }

  /** Does something with a step that looks at its inputs. @throws DataError when they go in a circle */
  private guarded<T>(step: string, frame: Frame, work: () => T, what = 'domain'): T {
    const id = `${what} ${step} ${JSON.stringify(frame)}`
    if (this.open.has(id)) throw new DataError('circle', 'The inputs of these steps go in a circle; choose another input for one of them.')
    this.open.add(id)
    try {
      return work()
    } finally {
      this.open.delete(id)
    }
  }

  /** Values of a variable on the shape of a step: a node for each of that. */
  values(step: string, frame: Frame, variable: Expression): Node[] {
    const { nodes, parts, shares: of = 1 } = this.shape(step, frame)
    const { expressions } = this.frame(frame)
    const [own, reads] = [expressions.key(variable, parts), expressions.allReads([variable], parts)]
    return nodes.flatMap((node, at) =>
      Array.from({ length: of }, (_, share): Node => {
        const key = digest('values', node.key, own, share, of)
        return { key, frame, task: { do: 'values', step, variable, at, share, of }, needs: [node], reads }
      }),
    )
  }

  /** @param had  names of the chunks that the asker has */
  shapePicture(step: string, frame: Frame, had?: Had): Node {
    const shape = this.shape(step, frame)
    const task = { do: 'shape picture', step, ...inChunks(shape, had) } as const
    return { key: digest('shape picture', shape.key, task.had), frame, task, needs: shape.nodes, reads: [] }
  }

  /** Name of values: equal on equal pieces of shapes. */
  valuesName(step: string, frame: Frame, variable: Expression, isWhole: boolean): Key {
    return digest('values of', this.frame(frame).expressions.key(variable, this.shape(step, frame).parts), isWhole)
  }

  /** @param had  names of the chunks on which the asker has the same values */
  valuesPicture(step: string, frame: Frame, variable: Expression, isWhole: boolean, had?: Had): Node {
    const values = this.values(step, frame, variable)
    const shape = this.shape(step, frame)
    const task = { do: 'values picture', step, variable, isWhole, ...inChunks(shape, had) } as const
    return {
      key: digest(
        'values picture',
        shape.key,
        values.map(({ key }) => key),
        isWhole,
        task.had,
      ),
      frame,
      task,
      needs: [...shape.nodes, ...values],
      reads: [],
    }
  }

  /**
   * The expression drawn for a variable: for a vector its magnitude. A formula of the study that is equivalent is used instead, so that
   * one quantity has one name.
   *
   * @param isWhole  vectors and tensors as such: the variable itself
   */
  drawn(step: string, frame: Frame, variable: Expression, isWhole: boolean): { variable: Expression; name: string; unit: string | null } {
    const at = this.frame(frame)
    const parts = at.expressions.meaningful(variable, this.shape(step, frame).parts)
    const { components, unit } = at.expressions.on(variable, parts)
    if (isWhole || components === 1 || !parts.length) return { variable, name: labelOf(variable), unit }
    const magnitude = callOf('mag', variable)
    const formula = at.studyExpression(magnitude, parts)
    if (!formula) return { variable, name: `mag(${labelOf(variable)})`, unit }
    return { variable: formula, name: labelOf(formula), unit: at.expressions.on(formula, parts).unit }
  }

  /** A reading or a curve. */
  outcome(step: string, frame: Frame): Node {
    return this.guarded(step, frame, () => this.makeOutcome(step, frame), 'outcome')
  }

  private makeOutcome(step: string, frame: Frame): Node {
    const at = this.frame(frame)
    const { kind, settings } = at.step(step)
    const inputs = inputsOf(this, step, at)
    const variables = kind.variables(settings).map((setting) => at.variable(step, setting))
    const parts = inputs.all
    const numbers = numbersUsed(step, at)
    const described = at.catalogue.parts
      .filter(({ name }) => parts.includes(name))
      .map(({ name, cells, owners, abscissa }) => [name, cells, owners, abscissa])
    const key = digest(
      'outcome',
      kind.id,
      kind.version,
      withoutVariables(settings, kind.variables(settings)),
      inputs.keys,
      variables.map((variable) => [at.expressions.key(variable, parts), labelOf(variable), unitsOf(at.expressions, variable, parts)]),
      // a mass flow depends on the density of the material, and the answer contains names and units
      [
        at.catalogue.lengthUnit,
        described,
        at.catalogue.parts.filter(({ material }) => material).map(({ name, material }) => [name, material]),
      ],
      numbers.key,
    )
    const reads = uniqueRefs([...inputs.reads, ...at.expressions.allReads(variables, parts), ...numbers.reads])
    return { key, frame, task: { do: 'outcome', step }, needs: inputs.needs, reads }
  }

  /**
   * Cautions that do not depend on values: units that were guessed and never confirmed, of all fields that a step's variables use, and
   * other cases that are looked at when their time is another one. Not cached with results.
   */
  doubts(step: string, frame: Frame): Doubts {
    const at = this.frame(frame)
    const { kind, settings } = at.step(step)
    const others = kind.inputs.filter(takesOutcomes).flatMap(({ name }) => at.inputs(step, name))
    const inner = others.flatMap((input) => ('step' in input ? [this.doubts(input.step, frame)] : []))
    const variables = kind.variables(settings).map((setting) => at.variable(step, setting))
    return joinDoubts([doubtsOf(at, variables, inputsOf(this, step, at).all, (other) => this.frame(other)), ...inner])
  }

  /** Smallest and largest value over all parts that have the variable. */
  range(frame: Frame, variable: Expression): Node {
    const at = this.frame(frame)
    const parts = at.expressions.meaningful(
      variable,
      at.catalogue.parts.map(({ name }) => name),
    )
    const named = parts.map((part) => [part, at.expressions.key(variable, [part]), unitsOf(at.expressions, variable, [part])])
    const reads = at.expressions.allReads([variable], parts)
    return { key: digest('range', labelOf(variable), named), frame, task: { do: 'range', variable, parts }, needs: [], reads }
  }

  probe({ frame, at: position, parts: wanted }: TargetOf<'probe'>): Node {
    const at = this.frame(frame)
    const parts = wanted.filter((name) => at.catalogue.parts.some((part) => part.name === name))
    const meshes = parts.map((part): StoredRef => ({ part, field: null }))
    const fields = at.catalogue.fields.filter((field) => field.moments.includes(frame.moment))
    const reads = parts.flatMap((part) =>
      fields.filter((field) => field.parts.includes(part)).map(({ name }): StoredRef => ({ part, field: name })),
    )
    const key = digest(
      'probe',
      position,
      meshes.map((ref) => at.version(ref)),
      at.snapshot.key,
      frame,
      at.names.formulas,
      at.names.fields,
    )
    return {
      key,
      frame,
      task: { do: 'probe', at: position as [number, number, number], parts },
      needs: [],
      reads: uniqueRefs([...meshes, ...reads]),
    }
  }

  /** A step as a file. Its content depends on names and units as well; it is not cached. */
  file(target: TargetOf<'file'>): Node {
    const { step, frame } = target
    const at = this.frame(frame)
    const { kind } = at.step(step)
    const key = digest('file', target, this.plan, at.snapshot.key)
    if (!hasShape(kind)) return { ...this.outcome(step, frame), key, task: { do: 'file', target } }
    const variables = target.variables.map((id) => at.expressionOf(id))
    if (target.format === 'vtu' && this.yieldsDomain(step, frame)) {
      const { parts, reads, needs } = this.domain(step, frame)
      return {
        key,
        frame,
        task: { do: 'file', target },
        needs,
        reads: uniqueRefs([...reads, ...at.expressions.allReads(variables, parts)]),
      }
    }
    const shape = this.shape(step, frame)
    return { key, frame, task: { do: 'file', target }, needs: shape.nodes, reads: at.expressions.allReads(variables, shape.parts) }
  }

  /** Figures of the data check. */
  check(frame: Frame, subject: CheckSubject): Node {
    const at = this.frame(frame)
    const refs: StoredRef[] = [{ part: subject.part, field: null }]
    if ('field' in subject) refs.push({ part: subject.part, field: subject.field })
    if ('other' in subject) refs.push({ part: subject.other, field: null })
    const key = digest(
      'check',
      subject,
      refs.map((ref) => at.version(ref)),
      at.catalogue.lengthUnit,
    )
    return { key, frame, task: { do: 'check', subject }, needs: [], reads: refs }
  }

  /** Node of a part as a shape: the same at all moments of one mesh. */
  partShape(at: FramePlan, part: string, isOuter: boolean): ShapeNodes {
    const ref = { part, field: null }
    const owners = at.catalogue.parts.find(({ name }) => name === part)?.owners
    const key = digest('part', at.version(ref), isOuter, owners)
    return { key, nodes: [{ key, frame: at.frame, task: { do: 'part', part, isOuter }, needs: [], reads: [ref] }], parts: [part] }
  }

  /** Shape of an input that is taken as one. */
  inputShape(at: FramePlan, input: PlannedInput): ShapeNodes {
    return 'step' in input ? this.shape(input.step, at.frame) : this.partShape(at, input.part, input.isOuter)
  }
}
