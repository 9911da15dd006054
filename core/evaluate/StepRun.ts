/** The context of one step in one frame: the study and the case as its kind sees them. */
import type { Field, Moment, Part } from '../case/catalogue'
import { DataError } from '../errors'
import type { ConditionTree } from '../fields/formula/conditions'
import type { Expression } from '../fields/formula/parse'
import type { Numbers } from '../fields/formula/typed'
import type { Curve, Quantity, Reading } from '../measure/results'
import { joinDomains, wholeDomain } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues, GroupRanges, PartBlocks } from '../mesh/MeshBlock'
import type { Condition } from '../shapes/condition'
import { movedBy } from './movedBy'
import type { Moved } from '../shapes/moved'
import type { ArrowMeta, Shape, ShapeValues } from '../shapes/Shape'
import type { PlannedInput, StepContext, Survey } from '../steps/StepKind'
import type { Bound } from './Expressions'
import type { FrameData } from './FrameData'
import type { FramePlan } from './FramePlan'
import { isDomain, missing } from './nodes'

/** What other steps yield. */
interface OtherSteps {
  domain(step: string): Domain
  conditions(step: string): Condition[]
  survey(): Survey
  reading(step: string): Reading
  curve(step: string): Curve
  /** The same step in the frame of an input; undefined where that is the own one. */
  elsewhere(input: string): StepContext | undefined
  atMoment(moment: number): StepContext
  progress(share: number): void
}

export class StepRun implements StepContext {
  readonly settings: Readonly<Record<string, unknown>>
  private readonly domains = new Map<string, Domain>()
  private readonly shapes = new Map<string, Shape>()

  constructor(
    private readonly at: FramePlan,
    private readonly step: string,
    private readonly data: FrameData,
    private readonly inputShape: (input: PlannedInput) => Shape,
    private readonly others: OtherSteps,
  ) {
    this.settings = at.step(step).settings
  }

  get lengthUnit(): string | null {
    return this.at.catalogue.lengthUnit
  }

  readonly check = (): void => this.data.check()

  variable(setting: string): Expression {
    return this.at.variable(this.step, setting)
  }

  readonly progress = (share: number): void => this.others.progress(share)

  inputs(name: string): PlannedInput[] {
    return this.at.inputs(this.step, name)
  }

  domain(name: string): Domain {
    let domain = this.domains.get(name)
    if (!domain) {
      const volumes = this.inputs(name).filter((input) => isDomain(this.at, this.spec(name), input))
      domain = joinDomains(
        volumes.map((input) => ('part' in input ? wholeDomain([this.data.part(input.part)]) : this.others.domain(input.step))),
      )
      this.domains.set(name, domain)
    }
    return domain
  }

  hasShapes(name: string): boolean {
    return this.inputs(name).some((input) => !isDomain(this.at, this.spec(name), input))
  }

  parts(name: string): PartBlocks[] {
    return this.inputs(name).flatMap((input) => ('part' in input && !input.isOuter ? [this.data.part(input.part)] : []))
  }

  shape(name: string): Shape {
    let shape = this.shapes.get(name)
    if (!shape) this.shapes.set(name, (shape = this.joined(name)))
    return shape
  }

  catalogueOf(part: string): Part | undefined {
    return this.at.catalogue.parts.find(({ name }) => name === part)
  }

  fields(): { field: Field; called: string }[] {
    const { names, catalogue, frame } = this.at
    return Object.entries(names.fields).flatMap(([called, { field: name }]) => {
      const field = catalogue.fields.find((own) => own.name === name && own.moments.includes(frame.moment))
      return field && !Object.hasOwn(names.formulas, called) ? [{ field, called }] : []
    })
  }

  surfacesOf(region: string): Part[] {
    return this.at.boundaryOf([region])
  }

  boundary(): { part: Part; shape: Shape }[] {
    const regions = this.domain(this.at.step(this.step).kind.inputs[0]!.name).parts.map(({ name }) => name)
    return this.at.boundaryOf(regions).map((part) => ({ part, shape: this.inputShape({ part: part.name, isOuter: false }) }))
  }

  readings(name: string): Reading[] {
    const inputs = this.inputs(name)
    if (!inputs.length) throw missing(this.spec(name))
    return inputs.flatMap((input) => ('step' in input ? [this.others.reading(input.step)] : []))
  }

  curves(name: string): Curve[] {
    const inputs = this.inputs(name)
    if (!inputs.length) throw missing(this.spec(name))
    return inputs.flatMap((input) => ('step' in input ? [this.others.curve(input.step)] : []))
  }

  calculate(text: string, known: Readonly<Record<string, Numbers>>): Numbers {
    return this.data.calculate(text, known)
  }

  values(expression: Expression, shape: Shape): ShapeValues & Quantity {
    return this.data.values(expression, shape)
  }

  blockValues(expression: Expression, parts: readonly string[], part: PartBlocks, block: number): FieldValues {
    return this.data.blockValues(expression, parts, part, block)
  }

  domainValues(expression: Expression, { parts }: Domain, block: DomainBlock, mesh: DomainMesh): FieldValues {
    const names = parts.map(({ name }) => name)
    return this.data.domainValues(expression, names, block, mesh)
  }

  groupRanges(expression: Expression, { parts }: Domain, { is, part, block }: DomainBlock): GroupRanges | undefined {
    const names = parts.map(({ name }) => name)
    return is === 'whole' ? this.data.groupRanges(expression, names, part, block) : undefined
  }

  conditions(name: string): Condition[] {
    return this.inputs(name).flatMap((input) => ('step' in input ? this.others.conditions(input.step) : []))
  }

  moved(name: string): Moved | undefined {
    const found = this.inputs(name).map((input) => this.at.movementOf(input))
    const [first] = found
    if (found.some((one) => JSON.stringify(one) !== JSON.stringify(first)))
      throw new DataError(
        'mixed-inputs',
        'Inputs that are deformed in different ways cannot be cut together; cut each by a step of its own.',
      )
    return first && movedBy(this.data, first.expression, first.factor)
  }

  elsewhere(name: string): StepContext {
    return this.others.elsewhere(name) ?? this
  }

  moments(): { all: readonly Moment[]; own: number } {
    return { all: this.at.catalogue.moments, own: this.at.frame.moment }
  }

  atMoment(moment: number): StepContext {
    return this.others.atMoment(moment)
  }

  survey(): Survey {
    return this.others.survey()
  }

  makeSurvey(): Survey {
    return this.at.step(this.step).kind.survey!(this)
  }

  condition(setting: string): ConditionTree {
    return this.at.condition(this.step, setting)
  }

  quantity(expression: Expression, parts: readonly string[]): Bound {
    return this.data.quantity(expression, parts)
  }

  named(expression: Expression, parts: readonly string[]): string {
    return this.at.named(expression, parts)
  }

  private spec(name: string) {
    return this.at.step(this.step).kind.inputs.find((spec) => spec.name === name)!
  }

  private joined(name: string): Shape {
    const inputs = this.inputs(name)
    if (!inputs.length) throw missing(this.spec(name))
    return joinShapes(inputs.map((input) => this.inputShape(input)))
  }
}

/** Several shapes as one. @throws DataError when they are of different kinds */
export function joinShapes(shapes: readonly Shape[]): Shape {
  const [first] = shapes as [Shape]
  if (shapes.length === 1) return first
  if (shapes.some((shape) => shape.kind !== first.kind)) {
    throw new DataError('mixed-inputs', 'Surfaces and lines cannot be one input together; choose inputs of one kind.')
  }
  const directions = new Set(shapes.map(({ direction }) => direction))
  // shares of one shape say the same
  const notes = [...new Set(shapes.flatMap((shape) => shape.notes ?? []))]
  const nLost = shapes.reduce((n, shape) => n + (shape.nLost ?? 0), 0)
  const columns = shapes.every((shape) => JSON.stringify(shape.columns) === JSON.stringify(first.columns)) ? first.columns : undefined
  return {
    kind: first.kind,
    pieces: shapes.flatMap(({ pieces }) => pieces),
    ...(columns && { columns }),
    ...(directions.size === 1 && first.direction !== undefined && { direction: first.direction }),
    ...(notes.length && { notes }),
    ...(nLost && { nLost }),
    ...(shapes.every((shape) => shape.arrows) && { arrows: joinArrows(shapes.map((shape) => shape.arrows!)) }),
  }
}

function joinArrows(list: readonly ArrowMeta[]): ArrowMeta {
  return {
    ...list[0]!,
    longest: Math.max(...list.map(({ longest }) => longest)),
    spacing: Math.min(...list.map(({ spacing }) => spacing)),
  }
}
