/** What is measured: a volume, or surfaces, lines or points, as one thing with totals and samples. */
import { DataError } from '../errors'
import { labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { integrateShape, sizeOfShape } from '../measure/integrateShape'
import type { Quantity } from '../measure/results'
import { domainSamples, shapeSamples } from '../measure/samples'
import type { UsePlace } from '../measure/samples'
import type { Totals } from '../measure/sums'
import { onesOn, totalsOfDomain } from '../measure/totals'
import { cellCount, hasCutWholes, isWhole, lostCells, lostNotes } from '../mesh/Domain'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues } from '../mesh/MeshBlock'
import { vectorAt } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import { elementCount, joinPieces, partsOf } from '../shapes/Shape'
import type { Shape, ShapeColumn, ShapeValues } from '../shapes/Shape'
import { samplePlaces, sampleLines } from '../trace/lineShapes'
import { quantityOf } from './curveQuantities'
import type { StepContext } from './StepKind'

export interface MeasuredInput {
  /** 3 for volumes, 0 for points. */
  dimension: number
  /** Names of the parts of the case that it lies in. */
  parts: readonly string[]
  size(): Totals
  totals(expression: Expression): Integrated
  /** Of a column of what is measured, which stands in no formula: totals of a function of it. Undefined where it is none. */
  columnTotals(expression: Expression, of: (value: number) => number): Integrated | undefined
  /** What an expression is there, for the axis of a curve, and where its values stand. */
  quantity(expression: Expression): Quantity & { place: string }
  /** Of components in axes of the study. */
  names(expression: Expression): readonly string[] | undefined
  /** All values of an expression, of vectors their magnitude, with the size that each carries and its place. */
  samples(expression: Expression, use: UsePlace): void
  /** What it is, in words, once it was measured. */
  over(): string
  /** What should be known of it, once it was measured. */
  cautions(): string[]
}

export interface Integrated {
  totals: Totals
  unit: string | null
}

/** @throws DataError when volumes and others are mixed, or nothing is chosen */
export function measuredInput(context: StepContext, name: string): MeasuredInput {
  const domain = context.domain(name)
  if (!domain.parts.length) return measuredShape(context, context.shape(name))
  if (context.hasShapes(name)) {
    throw new DataError('mixed-inputs', 'A volume and a surface cannot be measured together; choose regions alone, or surfaces alone.')
  }
  return new MeasuredDomain(context, domain)
}

/** Samples on a line drawn by hand; like points, it has no values but those of the cells that it runs through. */
const SAMPLES = 1000

function measuredShape(context: StepContext, shape: Shape): MeasuredInput {
  const hasCells = shape.pieces.some(({ ranges }) => ranges.length)
  const isDrawn = !hasCells && (shape.kind === 'lines' || (shape.kind === 'points' && !shape.columns))
  const within = isDrawn ? context.domain('in') : undefined
  if (!within?.parts.length) return new MeasuredShape(context, shape, { isDrawn, notes: [] })
  const drawn = joinPieces(shape.pieces)
  const { kind } = shape
  const places = (): Vector[] => Array.from(drawn.elements, (p) => vectorAt(drawn.points, p))
  const { piece, outside } = kind === 'lines' ? sampleLines(within, drawn, SAMPLES) : samplePlaces(within, places(), false)
  const names = within.parts.map((part) => part.name).join(', ')
  const all = kind === 'lines' ? `about ${SAMPLES} samples` : `${drawn.elements.length} points`
  const notes = outside ? [`${outside} of ${all} lie outside ${names} and are left out.`] : []
  return new MeasuredShape(context, { kind, pieces: [piece] }, { isDrawn: false, notes })
}

class MeasuredDomain implements MeasuredInput {
  readonly dimension = 3
  readonly parts: readonly string[]
  private nCells = 0
  private isSubdivided = false
  /** What lives on points of one part and on cells of another. */
  private mixed: Expression | undefined

  constructor(
    private readonly context: StepContext,
    private readonly domain: Domain,
  ) {
    this.parts = domain.parts.map(({ name }) => name)
  }

  size(): Totals {
    return this.totalsOf(onesOn)
  }

  totals(expression: Expression): Integrated {
    const { place, unit } = this.context.quantity(expression, this.parts)
    if (place === 'mixed') this.mixed = expression
    return { totals: this.totalsOf((mesh, block) => this.context.domainValues(expression, this.domain, block, mesh)), unit }
  }

  columnTotals(): undefined {
    return undefined
  }

  quantity(expression: Expression): Quantity & { place: string } {
    return { ...quantityOf(this.context, expression, this.parts), place: this.context.quantity(expression, this.parts).place }
  }

  names(expression: Expression): readonly string[] | undefined {
    return this.context.quantity(expression, this.parts).names
  }

  samples(expression: Expression, use: UsePlace): void {
    const { context, domain } = this
    domainSamples(domain, (mesh, block) => context.domainValues(expression, domain, block, mesh), context.check, use)
  }

  private totalsOf(valuesOf: (mesh: DomainMesh, block: DomainBlock) => FieldValues): Totals {
    this.nCells = 0
    const counted = (mesh: DomainMesh, block: DomainBlock): FieldValues => {
      this.isSubdivided ||= hasCutWholes(mesh, block.part.block(block.block))
      this.nCells += cellCount(mesh)
      return valuesOf(mesh, block)
    }
    return totalsOfDomain(this.domain, counted, this.context.check)
  }

  over(): string {
    const all = this.parts.reduce((n, name) => n + (this.context.catalogueOf(name)?.cells ?? 0), 0)
    const n = isWhole(this.domain) ? all : this.nCells
    const cells = `${n.toLocaleString('en')} cells of ${this.parts.join(', ')}`
    return this.isSubdivided ? `${cells}; quadratic cells that are cut count by their linear pieces` : cells
  }

  cautions(): string[] {
    const lost = lostNotes(lostCells(this.domain))
    if (!this.mixed) return lost
    const mixed = this.mixed
    const on = (place: string): string => this.parts.filter((part) => this.context.quantity(mixed, [part]).place === place).join(', ')
    const places = `${labelOf(mixed)} lives on points of ${on('point')} and on cells of ${on('cell')}`
    return [...lost, `${places}; each part is measured by its own values.`]
  }
}

class MeasuredShape implements MeasuredInput {
  readonly dimension: number
  readonly parts: readonly string[]
  private last: { expression: Expression; values: ShapeValues & Quantity } | undefined

  constructor(
    private readonly context: StepContext,
    private readonly shape: Shape,
    private readonly of: { isDrawn: boolean; notes: readonly string[] },
  ) {
    this.dimension = { surface: 2, lines: 1, points: 0 }[shape.kind]
    this.parts = partsOf(shape)
  }

  size(): Totals {
    return sizeOfShape(this.shape)
  }

  totals(expression: Expression): Integrated {
    if (this.of.isDrawn) throw new DataError('no-region', 'What was drawn has values in a region only; choose one under “in”.')
    const values = this.valuesOf(expression)
    return { totals: integrateShape(this.shape, values), unit: values.unit }
  }

  columnTotals(expression: Expression, of: (value: number) => number): Integrated | undefined {
    if (!this.column(expression)) return undefined
    const { unit, pieces, components } = this.valuesOf(expression)
    const turned = pieces.map((piece) => ({ ...piece, values: piece.values.map(of) }))
    return { totals: integrateShape(this.shape, { components, pieces: turned }), unit }
  }

  /** Totals and the passes of a percentile look at the same ones. */
  private valuesOf(expression: Expression): ShapeValues & Quantity {
    if (this.last?.expression !== expression) this.last = { expression, values: this.context.values(expression, this.shape) }
    return this.last.values
  }

  /** A column of the shape itself is no expression of the case. */
  private column(expression: Expression): ShapeColumn | undefined {
    return expression.kind === 'name' ? this.shape.columns?.find(({ name }) => name === expression.name) : undefined
  }

  quantity(expression: Expression): Quantity & { place: string } {
    const column = this.column(expression)
    if (column) return { name: column.title ?? column.name, unit: column.unit, place: 'point' }
    return { ...quantityOf(this.context, expression, this.parts), place: this.context.quantity(expression, this.parts).place }
  }

  names(expression: Expression): readonly string[] | undefined {
    return this.column(expression) ? undefined : this.context.quantity(expression, this.parts).names
  }

  samples(expression: Expression, use: UsePlace): void {
    shapeSamples(this.shape, this.valuesOf(expression), use)
  }

  over(): string {
    const nouns = { surface: 'triangles', lines: 'segments', points: 'points' }
    return `${elementCount(this.shape).toLocaleString('en')} ${nouns[this.shape.kind]}`
  }

  cautions(): string[] {
    return [...this.of.notes]
  }
}
