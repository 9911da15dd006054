/**
 * Computes the steps of a plan on one case. Synchronous: blocks come from `CaseData`, one at a time.
 *
 * Formulas are evaluated where their inputs live and the result is mapped onto the shape; only what needs the shape
 * itself (`normal`) is evaluated on it.
 */
import { DataError, FormulaError } from '../errors'
import { checkExpression, fieldsOf, hasNeighbours, looksAround } from '../fields/formula/check'
import type { FieldInfo, Scope, Typed } from '../fields/formula/check'
import { cellGradients, curl, divergence } from '../fields/gradient'
import type { BoundarySurface } from '../fields/boundaryFaces'
import { neighbourGradients } from '../fields/neighbourGradient'
import { smoothedValues } from '../fields/smoothing'
import { compileFormula } from '../fields/formula/compile'
import { namesIn, parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import { parseUnit, unitName } from '../fields/units'
import type { Dimensions } from '../fields/units'
import type { FieldValues, PartBlocks } from '../mesh/MeshBlock'
import { elementNormals } from '../measure/integrateShape'
import { elementSize, mapValues, valueIndex } from '../steps/Shape'
import type { Shape, ShapeValues } from '../steps/Shape'
import { stepKind } from '../steps'
import type { Curve, Reading, StepContext } from '../steps/StepKind'
import { wholeShape } from '../steps/kernels/blockShapes'
import { joinShapes } from '../steps/Shape'
import { materialUnits, storedPlace } from './caseModel'
import type { Catalogue, Field } from './caseModel'
import { shapeKey } from './keys'
import type { Plan, PlanInput } from './plan'

export interface CaseData {
  catalogue: Catalogue
  /** A part at the plan's moment. @throws DataError when there is none of that name */
  part(name: string): PartBlocks
}

/** Kept results and cancellation, given by whoever runs the evaluation. */
export interface EvaluationHooks {
  /** Called per block; throws to cancel. */
  check(): void
  kept(key: string): Shape | undefined
  keep(key: string, shape: Shape): void
}

export interface Quantity {
  name: string
  /** null: unknown */
  unit: string | null
}

export class Evaluator {
  constructor(
    readonly data: CaseData,
    readonly plan: Plan,
    private readonly hooks: EvaluationHooks,
  ) {}

  /** Shape of a step. @throws UserError with the reason when it has none */
  shape(stepId: string): Shape {
    const step = this.plan.steps[stepId]
    if (!step) throw new DataError('no-step', 'An input of this step was deleted; choose another.')
    const key = shapeKey(this.plan, this.data.catalogue, stepId)
    const kept = this.hooks.kept(key)
    if (kept) return kept
    const kind = stepKind(step.kind)
    if (!kind.shape) throw new DataError('no-shape', `“${kind.title}” yields a number or a curve, not a shape.`)
    const shape = kind.shape(this.context(stepId))
    this.hooks.keep(key, shape)
    return shape
  }

  reading(stepId: string): Reading {
    const kind = stepKind(this.plan.steps[stepId]!.kind)
    if (!kind.reading) throw new DataError('no-reading', `“${kind.title}” yields no number.`)
    const reading = kind.reading(this.context(stepId))
    return { ...reading, cautions: [...reading.cautions, ...this.guessedUnits(stepId)] }
  }

  curve(stepId: string): Curve {
    const kind = stepKind(this.plan.steps[stepId]!.kind)
    if (!kind.curve) throw new DataError('no-curve', `“${kind.title}” yields no curve.`)
    return kind.curve(this.context(stepId))
  }

  /** Cautions for units that were guessed and never confirmed, of all fields that a step's variables use. */
  private guessedUnits(stepId: string): string[] {
    const step = this.plan.steps[stepId]!
    const used = new Set<string>()
    const visit = (name: string): void => {
      if (used.has(name)) return
      used.add(name)
      const text = this.plan.formulas[name]
      if (text !== undefined) for (const inner of namesIn(parseFormula(text))) visit(inner)
    }
    for (const variable of stepKind(step.kind).variables(step.settings)) visit(variable)
    const guessed = this.data.catalogue.fields.filter((f) => f.unitFrom === 'guess' && [...used].some((name) => this.plan.fields[name] === f.name))
    return [...new Set(guessed.map((f) => `The unit of ${f.name}, ${f.unit}, is a guess that nobody has confirmed; see the data check.`))]
  }

  private context(stepId: string): StepContext {
    const step = this.plan.steps[stepId]!
    const inputs = (name: string): PlanInput[] => step.inputs[name] ?? []
    return {
      settings: step.settings,
      lengthUnit: this.data.catalogue.lengthUnit,
      check: () => this.hooks.check(),
      inputs,
      parts: (name) => inputs(name).flatMap((input) => ('part' in input ? [this.data.part(input.part)] : [])),
      regions: (name) => inputs(name).flatMap((input) => this.regionsOf(input)),
      shape: (name) => this.inputShape(name, inputs(name), stepKind(step.kind).inputs.find((spec) => spec.name === name)?.missing),
      catalogueOf: (name) => this.data.catalogue.parts.find((part) => part.name === name),
      values: (expression, shape) => this.values(expression, shape),
      blockValues: (expression, part, block) => this.blockValues(expression, part, block),
      quantity: (expression, part) => this.quantity(expression, part),
      outline: (id) => this.plan.steps[id],
    }
  }

  /** Volume parts behind an input; a step passes on those of its own inputs only if it is one of parts. */
  private regionsOf(input: PlanInput): PartBlocks[] {
    if (!('part' in input)) return []
    const part = this.data.part(input.part)
    return part.dimension === 3 ? [part] : []
  }

  private inputShape(name: string, inputs: PlanInput[], missing?: string): Shape {
    if (!inputs.length) throw new DataError('no-input', missing ?? `Nothing is chosen for “${name}”; choose a part or a step.`)
    const shapes = inputs.map((input) => this.shapeOfInput(input))
    if (shapes.length === 1) return shapes[0]!
    const { kind } = shapes[0]!
    if (shapes.some((shape) => shape.kind !== kind)) {
      throw new DataError('mixed-inputs', 'Surfaces and lines cannot be one input together; choose inputs of one kind.')
    }
    return joinShapes(kind, shapes)
  }

  private shapeOfInput(input: PlanInput): Shape {
    if ('step' in input) return this.shape(input.step)
    return 'part' in input ? this.partShape(input.part, false) : this.partShape(input.outer, true)
  }

  /** A part as a shape: its faces, lines or points; for a region its outer surface. */
  partShape(name: string, isOuter: boolean): Shape {
    const { dimension } = this.data.part(name)
    if (isOuter && dimension !== 3) throw new DataError('no-outer', `“${name}” is no region, so it has no outer surface.`)
    const key = `part ${this.plan.case} ${name} ${JSON.stringify(this.data.catalogue.moments[this.plan.moment])}`
    const kept = this.hooks.kept(key)
    if (kept) return kept
    const shape = this.shapeOfPart(this.data.part(name))
    this.hooks.keep(key, shape)
    return shape
  }

  private shapeOfPart(part: PartBlocks): Shape {
    const shape = wholeShape(part, () => this.hooks.check())
    if (shape.kind !== 'surface') return shape
    const { parts } = this.data.catalogue
    const owner = parts.find((p) => p.name === part.name)?.owners?.[0]
    // one that lies inside a region, or beside all, has sides of its own
    const isApart = part.dimension < 3 && !owner && parts.some((p) => p.dimension === 3)
    shape.direction = isApart ? `along the normals of ${part.name}` : `out of ${owner ?? part.name}`
    return shape
  }

  /** Values of a variable on a shape with its unit. */
  values(expression: string, shape: Shape): ShapeValues & Quantity {
    const column = shape.columns?.find((c) => c.name === expression)
    if (column) return { values: column.values, components: 1, place: 'point', name: column.name, unit: column.unit }
    const parsed = this.parse(expression)
    const parts = [...new Set(shape.ranges.map((range) => range.part))]
    if (!parts.length) return { values: new Float64Array(0), components: 1, place: 'point', name: expression, unit: null }
    const typed = checkExpression(parsed, this.scope(parts[0]!))
    if (typed.onShape) return this.cornerValues(expression, typed, shape)
    const mapped = mapValues(shape, (part, block) => {
      this.hooks.check()
      return this.evaluateBlock(parsed, this.data.part(part), block)
    })
    return { ...mapped, name: expression, unit: this.unitOf(parsed, typed, parts[0]!) }
  }

  /** Values on a block, of a region as a whole: what integrals over cells and isosurfaces need. */
  blockValues(expression: string, part: PartBlocks, block: number): FieldValues {
    this.hooks.check()
    return this.evaluateBlock(this.parse(expression), part, block)
  }

  /** What an expression is on a part; `field` is the case's own name when it is a field as it is. */
  quantity(expression: string, part: string): Quantity & { components: number; place: 'point' | 'cell' | 'any'; isFlux: boolean; field?: string } {
    const parsed = this.parse(expression)
    const typed = checkExpression(parsed, this.scope(part))
    const field = this.plainField(parsed, part)
    return { name: expression, unit: this.unitOf(parsed, typed, part), components: typed.components, place: typed.place, isFlux: field?.place === 'face', ...(field && { field: field.name }) }
  }

  /** A plain field keeps the unit of its file; everything computed is in coherent SI. */
  private unitOf(parsed: Expression, typed: Typed, part: string): string | null {
    const field = this.plainField(parsed, part)
    if (field) return field.unit
    return typed.dimensions ? unitName(typed.dimensions) : null
  }

  private plainField(parsed: Expression, part: string): Field | undefined {
    if (parsed.kind !== 'name' || this.plan.formulas[parsed.name] !== undefined) return undefined
    return this.fieldOn(parsed.name, part)
  }

  private evaluateBlock(parsed: Expression, part: PartBlocks, block: number): FieldValues {
    const plain = this.plainField(parsed, part.name)
    if (plain) return part.field(plain.name, block)
    return this.evaluateTyped(checkExpression(parsed, this.scope(part.name)), part, block)
  }

  private evaluateTyped(whole: Typed, part: PartBlocks, block: number): FieldValues {
    const around = new Map<string, FieldValues>()
    const typed = withoutNeighbours(whole, (of, name) => void around.set(name, this.valuesAround(of, part, block)))
    const formula = compileFormula(typed)
    const mesh = part.block(block)
    const n = formula.place === 'cell' ? mesh.types.length : mesh.pointNumbers.length
    const inputs = formula.fields.map((field) => around.get(field.name)?.values ?? part.field(this.fieldOn(field.name, part.name)!.name, block).values)
    const isSingle = inputs.length > 0 && !usesPosition(typed) && inputs.every((a) => a instanceof Float32Array)
    const values = isSingle ? new Float32Array(n * formula.components) : new Float64Array(n * formula.components)
    formula.run(n, inputs, mesh.points, mesh.points, values)
    return { values, components: formula.components, place: formula.place }
  }

  /** Gradients by cell and smoothed values by point, in coherent SI. */
  private valuesAround({ operation, of, components: own }: Typed, part: PartBlocks, block: number): FieldValues {
    const { kind } = operation
    if (part.dimension !== 3) throw new DataError('no-gradient', `${kind} is taken in the cells of a region; ${part.name} has none. Take the region, or a slice or isosurface of it.`)
    const valuesOf = (b: number): FieldValues => this.evaluateTyped(of[0]!, part, b)
    const surfaces = this.surfacesAround(of[0]!, part)
    if (kind === 'smooth') return { values: smoothedValues(part, block, valuesOf, surfaces), components: own, place: 'point' }
    if (kind !== 'grad' && kind !== 'div' && kind !== 'curl') throw new Error('no such operation')
    const { lengthFactor } = operation
    const { values, components, place } = valuesOf(block)
    const gradients = place === 'cell' ? neighbourGradients(part, block, valuesOf, surfaces) : cellGradients(part.block(block), values, components)
    if (lengthFactor !== 1) for (let i = 0; i < gradients.length; i++) gradients[i]! /= lengthFactor
    if (kind === 'grad') return { values: gradients, components: 3 * components, place: 'cell' }
    return kind === 'div' ? { values: divergence(gradients), components: 1, place: 'cell' } : { values: curl(gradients), components: 3, place: 'cell' }
  }

  /** Surfaces that bound a region and have values of their own on their faces: not those of a flux, which belong to whole faces. */
  private surfacesAround(of: Typed, region: PartBlocks): BoundarySurface[] {
    const names = [...fieldsOf(of).keys()]
    const hasFaces = (part: string): boolean => names.every((name) => this.fieldOn(name, part)?.place === 'cell' && this.fieldOn(name, part)!.moments.includes(this.plan.moment))
    if (!names.length || of.place !== 'cell' || usesPosition(of) || hasNeighbours(of)) return []
    const bounding = this.data.catalogue.parts.filter((part) => part.dimension === 2 && part.owners?.[0] === region.name && hasFaces(part.name))
    return bounding.map(({ name }) => {
      const part = this.data.part(name)
      return { part, valuesOf: (block) => this.evaluateTyped(of, part, block) }
    })
  }

  /**
   * Values linear on each element: the parts without `normal` are mapped as always, then combined corner by corner with
   * the element's normal.
   */
  private cornerValues(expression: string, whole: Typed, shape: Shape): ShapeValues & Quantity {
    if (shape.kind !== 'surface') throw new DataError('no-normal', '“normal” exists on surfaces only.')
    const size = elementSize(shape.kind)
    const n = size * shape.cells.length
    const around = new Map<string, ShapeValues>()
    const typed = withoutNeighbours(whole, (of, name) => {
      around.set(name, mapValues(shape, (part, block) => this.valuesAround(of, this.data.part(part), block)))
    })
    const fields = [...fieldsOf(typed).values()]
    const inputs = fields.map((field) => {
      const { values, components, place } = around.get(field.name) ?? this.values(field.name, shape)
      const corners = new Float64Array(n * components)
      for (let e = 0, o = 0; e < shape.cells.length; e++) {
        for (let i = 0; i < size; i++) {
          const at = valueIndex(shape, place, e, i) * components
          for (let c = 0; c < components; c++) corners[o++] = values[at + c]!
        }
      }
      return corners
    })
    const { normals, positions } = this.cornerGeometry(shape, size)
    const formula = compileFormula({ ...typed, place: 'point' })
    const values = new Float64Array(n * formula.components)
    formula.run(n, inputs, positions, normals, values)
    const unit = typed.dimensions ? unitName(typed.dimensions) : null
    return { values, components: formula.components, place: 'corner', name: expression, unit }
  }

  private cornerGeometry(shape: Shape, size: number): { normals: Float64Array; positions: Float64Array } {
    const byElement = elementNormals(shape)
    const normals = new Float64Array(9 * shape.cells.length)
    const positions = new Float64Array(9 * shape.cells.length)
    for (let corner = 0; corner < shape.elements.length; corner++) {
      const e = 3 * Math.floor(corner / size)
      const p = 3 * shape.elements[corner]!
      for (let d = 0; d < 3; d++) {
        normals[3 * corner + d] = byElement[e + d]!
        positions[3 * corner + d] = shape.points[p + d]!
      }
    }
    return { normals, positions }
  }

  /** The name of a variable, whatever signs it holds, or else a formula. */
  private parse(expression: string): Expression {
    if (this.plan.fields[expression] !== undefined || this.plan.formulas[expression] !== undefined) {
      return { kind: 'name', name: expression, range: [0, expression.length] }
    }
    return parseFormula(expression)
  }

  private fieldOn(name: string, part: string): Field | undefined {
    const source = this.plan.fields[name]
    return this.data.catalogue.fields.find((f) => f.name === source && f.parts.includes(part))
  }

  private wholeCaseField(name: string): Field | undefined {
    const source = this.plan.fields[name]
    return this.data.catalogue.fields.find((f) => f.name === source && f.place === 'whole case')
  }

  /** A number of the whole case at the moment in coherent SI; undefined when there is none of that name. @throws FormulaError when it has none there */
  caseNumber(name: string, range: [number, number]): { value: number; dimensions: Dimensions | null } | undefined {
    const field = this.wholeCaseField(name)
    if (!field) return undefined
    const value = field.values?.[this.plan.moment]
    if (value == null) throw new FormulaError('no-value', `“${name}” has no value at this moment; choose another.`, range)
    const { dimensions, factor, offset } = fieldInfo(name, field)
    return { value: value * factor + offset, dimensions }
  }

  /** What a formula may use on one part. */
  private scope(part: string): Scope {
    const length = this.data.catalogue.lengthUnit ? parseUnit(this.data.catalogue.lengthUnit) : null
    return {
      field: (name) => {
        const field = this.fieldOn(name, part)
        return field && fieldInfo(name, field)
      },
      formula: (name) => this.plan.formulas[name],
      length,
      constant: (name, range) => this.caseNumber(name, range) ?? materialConstant(this.data.catalogue, part, name, range),
      names: () => [
        ...Object.keys(this.plan.fields).filter((name) => this.fieldOn(name, part) ?? this.wholeCaseField(name)),
        ...Object.keys(this.plan.formulas),
      ],
    }
  }
}

/** The expression with a field of a name of its own in the place of all that looks around. @param keep  given each with that name */
function withoutNeighbours(typed: Typed, keep: (of: Typed, name: string) => void): Typed {
  let n = 0
  const visit = (node: Typed): Typed => {
    if (!looksAround(node.operation)) return node.of.length ? { ...node, of: node.of.map(visit) } : node
    // no name of a field holds a line break
    const name = `around\n${n++}`
    keep(node, name)
    const field: FieldInfo = { name, components: node.components, place: node.place === 'point' ? 'point' : 'cell', dimensions: node.dimensions, factor: 1, offset: 0 }
    return { ...node, operation: { kind: 'field', field }, of: [] }
  }
  return visit(typed)
}

export function fieldInfo(name: string, field: Field): FieldInfo {
  const unit = field.unit === null ? null : parseUnit(field.unit)
  return {
    name,
    components: field.components,
    place: storedPlace(field.place),
    dimensions: unit?.dimensions ?? null,
    factor: unit?.factor ?? 1,
    offset: unit?.offset ?? 0,
  }
}

/**
 * A constant of a region's material; a surface has that of the region it bounds. undefined: no such constant is known
 *
 * @throws FormulaError when it is one, but not set
 */
export function materialConstant(catalogue: Catalogue, part: string, name: string, range: [number, number]): { value: number; dimensions: Dimensions } | undefined {
  const unit = Object.hasOwn(materialUnits, name) ? materialUnits[name] : undefined
  if (unit === undefined) return undefined
  const named = catalogue.parts.find((p) => p.name === part)
  const region = named?.owners?.length ? catalogue.parts.find((p) => p.name === named.owners![0]) : named
  const value = region?.material?.constants[name]
  if (value === undefined) {
    throw new FormulaError('no-material', `${region?.name ?? part} has no ${name.replace('_', ' ')}; set its material in the data check of the case, or write a number with unit.`, range)
  }
  return { value, dimensions: parseUnit(unit)!.dimensions }
}

function usesPosition(typed: Typed): boolean {
  return typed.operation.kind === 'pos' || typed.of.some(usesPosition)
}
