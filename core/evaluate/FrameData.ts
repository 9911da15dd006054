/**
 * Values of expressions on one case at one moment: on blocks, and on shapes.
 *
 * Formulas are evaluated where their inputs live and the result is mapped onto the shape; only what needs the shape itself (`normal`) is
 * evaluated on it.
 */
import { digest } from '../digest'
import type { Key } from '../digest'
import { DataError, FormulaError } from '../errors'
import { checkFormula } from '../fields/formula/check'
import { fieldId, fieldsOf, isPutIn, numbersOf } from '../fields/formula/typed'
import type { FieldInfo, Numbers, Typed } from '../fields/formula/typed'
import { compileFormula, runAt } from '../fields/formula/compile'
import { labelOf } from '../fields/formula/expressions'
import type { Expression } from '../fields/formula/parse'
import { caseNumber, scopeOn } from '../fields/formula/scope'
import { cellMeans } from '../fields/smoothing'
import type { CaseData } from '../case/CaseData'
import { arcLengths } from '../shapes/arcLength'
import { elementNormals } from '../shapes/normals'
import { movedPoints, turned, turnedValues } from '../shapes/turned'
import type { Motion } from '../shapes/turned'
import { reduceParts } from '../measure/reductions'
import type { Measurable } from '../measure/reductions'
import type { Quantity } from '../measure/results'
import { valuesOnMesh } from '../mesh/Domain'
import { groupRanges } from '../mesh/groups'
import type { DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues, GroupRanges, PartBlocks } from '../mesh/MeshBlock'
import { kindOfPart, pieceOfBlock } from '../shapes/blockShapes'
import { cornerValues, mapPiece, partsOf } from '../shapes/Shape'
import type { Piece, PieceValues, Shape, ShapeKind, ShapeValues, Touched } from '../shapes/Shape'
import type { Dimensions } from '../units/units'
import { Expressions, usesPosition } from './Expressions'
import type { Bound } from './Expressions'
import { alone, ValuesAround } from './ValuesAround'
import type { Surroundings } from './ValuesAround'

/** How values of a block are looked at: in another place, and only some of them. */
interface Looked {
  motion?: Motion
  touched?: Touched | undefined
}

export class FrameData implements Measurable {
  /** Reductions over whole parts that formulas use. */
  private readonly reduced = new Map<Key, number[]>()
  private readonly puts: ValuesAround
  private readonly lengths = new WeakMap<readonly Piece[], readonly Float64Array[]>()

  constructor(
    readonly data: CaseData,
    readonly expressions: Expressions,
    /** Called per block; throws to cancel. */
    readonly check: () => void,
    private readonly around: Surroundings = alone,
  ) {
    this.puts = new ValuesAround(this, around)
  }

  get lengthUnit(): string | null {
    return this.data.catalogue.lengthUnit
  }

  get regions(): string[] {
    return this.data.catalogue.parts.filter((part) => part.dimension === 3).map(({ name }) => name)
  }

  hasPart(name: string): boolean {
    return this.data.catalogue.parts.some((part) => part.name === name)
  }

  part(name: string): PartBlocks {
    return this.data.part(name)
  }

  /** The region behind a surface that slopes of an operand on it are taken in. */
  ownerOf(surface: string, of: Typed): PartBlocks | undefined {
    const owner = this.expressions.ownerOf(surface, of)
    return owner === undefined ? undefined : this.data.part(owner)
  }

  quantity(expression: Expression, parts: readonly string[]): Bound {
    return this.expressions.on(expression, parts)
  }

  caseNumber(name: string, range: [number, number]): { value: number; dimensions: Dimensions | null } | undefined {
    return caseNumber(this.expressions.names, name, range)
  }

  /**
   * Values on a block. They are views, valid as long as the block is pinned.
   *
   * @param parts    all parts that are looked at together: they decide whether a field keeps the unit of its file
   * @param touched  which of them are looked at; all when absent
   */
  blockValues(expression: Expression, parts: readonly string[], part: PartBlocks, block: number, touched?: Touched): FieldValues {
    this.check()
    const { plain, on } = this.expressions.on(expression, parts)
    return plain ? part.field(plain.name, block) : this.evaluate(on(part.name), part, block, { touched })
  }

  /** On what is left of a block of a domain: evaluated on the block of the case, then mapped. */
  domainValues(expression: Expression, parts: readonly string[], { part, block }: DomainBlock, mesh: DomainMesh): FieldValues {
    return valuesOnMesh(mesh, this.blockValues(expression, parts, part, block))
  }

  /** Extremes of each group of cells of a block, so that what is looked for by value skips the others; kept. */
  groupRanges(expression: Expression, parts: readonly string[], part: PartBlocks, block: number): GroupRanges {
    const { plain } = this.expressions.on(expression, parts)
    const stored = plain && part.field(plain.name, block).groups
    if (stored) return stored
    const key = this.expressions.key(expression, [part.name])
    return this.around.block(digest('group ranges', key, this.expressions.meshKey(part.name), block), () => {
      const { values, components, place } = this.blockValues(expression, parts, part, block)
      return groupRanges(values, components, place === 'cell' ? undefined : part.block(block)).groups
    })
  }

  /** A part as a shape: its faces, lines or points; for a region its outer surface. */
  partShape(name: string, isOuter: boolean): Shape {
    const part = this.data.part(name)
    if (isOuter && part.dimension !== 3) throw new DataError('no-outer', `“${name}” is no region, so it has no outer surface.`)
    const kind = kindOfPart(part)
    const pieces: Piece[] = []
    for (let k = 0; k < part.nBlocks; k++) {
      this.check()
      const piece = part.within(() => pieceOfBlock(part, k))
      if (piece.cells.length) pieces.push(piece)
    }
    return { kind, pieces, ...(kind === 'surface' && { direction: this.directionOf(part) }) }
  }

  private directionOf({ name, dimension }: PartBlocks): string {
    const { parts } = this.data.catalogue
    const owner = parts.find((p) => p.name === name)?.owners?.[0]
    // an internal or detached surface has its own orientation
    const isApart = dimension < 3 && !owner && parts.some((p) => p.dimension === 3)
    return isApart ? `along the normals of ${name}` : `out of ${owner ?? name}`
  }

  /**
   * Values of an expression on a shape with its unit.
   *
   * @param within  parts that the shape could lie in: a field keeps the unit of its file only if that is the same on all of them
   */
  values(expression: Expression, shape: Shape, within: readonly string[] = []): ShapeValues & Quantity {
    const name = labelOf(expression)
    const column = expression.kind === 'name' ? (shape.columns ?? []).findIndex((c) => c.name === expression.name) : -1
    if (column >= 0) {
      const pieces = shape.pieces.map(({ columns }): PieceValues => ({ values: columns![column]!, components: 1, place: 'point' }))
      const { name: own, title = own, unit } = shape.columns![column]!
      return { pieces, components: 1, name: title, unit }
    }
    const own = partsOf(shape)
    const isLoose = !own.length && shape.pieces.some(({ cells }) => cells.length > 0)
    if (isLoose && shape.columns?.length) {
      const titles = shape.columns.map(({ name: column, title = column }) => title)
      throw new DataError('no-values', `“${name}” has no values here: this is not of one moment. Take ${titles.join(', ')}.`)
    }
    const all = [...new Set([...own, ...within])]
    const parts = [...new Set([...own, ...this.expressions.meaningful(expression, all)])]
    const bound = this.expressions.on(expression, parts)
    // what depends on the place alone is taken at each place of a curve itself: an angle along a circle is no mean of those of nodes
    const isByCorners = bound.onShape || (shape.kind !== 'surface' && parts.every((part) => isOfPlaces(bound.on(part))))
    const pieces = shape.pieces.map((piece) => {
      if (isByCorners) return this.valuesByCorners(expression, shape, piece)
      const { motion } = piece
      return mapPiece(piece, (part, block, use, touched) =>
        this.onBlock(part, (blocks) =>
          use(
            motion
              ? this.movedValues(bound, blocks, block, { motion, touched })
              : this.blockValues(expression, parts, blocks, block, touched),
          ),
        ),
      )
    })
    return { pieces, components: bound.components, name, unit: bound.unit }
  }

  private onBlock(name: string, work: (part: PartBlocks) => void): void {
    const part = this.data.part(name)
    part.within(() => work(part))
  }

  /** On a block for a copy that is in another place: made of fields that turn with it. */
  private movedValues(
    { plain, on }: Bound,
    part: PartBlocks,
    block: number,
    { motion, touched }: Looked & { motion: Motion },
  ): FieldValues {
    this.check()
    if (!plain) return this.evaluate(on(part.name), part, block, { motion, touched })
    const field = part.field(plain.name, block)
    return { ...field, values: turned(field.values, field.components, motion) }
  }

  /** In coherent SI. */
  evaluate(whole: Typed, part: PartBlocks, block: number, { motion, touched }: Looked = {}): FieldValues {
    const around = new Map<string, FieldValues>()
    const typed = withoutNeighbours(this.withNumbers(whole), (of, name) => void around.set(name, this.puts.values(of, part, block)))
    const formula = compileFormula(typed)
    const mesh = part.block(block)
    const n = formula.place === 'cell' ? mesh.types.length : mesh.pointNumbers.length
    const inputs = formula.fields.map(({ name }) => {
      const field = around.get(name) ?? part.field(name, block)
      return motion ? turned(field.values, field.components, motion) : field.values
    })
    const isAtCells = formula.place === 'cell' && usesPosition(typed)
    const own = isAtCells ? cellMeans(mesh, { values: mesh.points, components: 3, place: 'point' }) : mesh.points
    const points = motion ? movedPoints(own, motion) : own
    const isSingle = inputs.length > 0 && !usesPosition(typed) && inputs.every((a) => a instanceof Float32Array)
    const values = isSingle ? new Float32Array(n * formula.components) : new Float64Array(n * formula.components)
    const few = n ? touched?.(formula.place, n) : undefined
    if (few) runAt(few, formula, inputs, points, values)
    else formula.run(n, inputs, points, points, values)
    return { values, components: formula.components, place: formula.place }
  }

  /** With numbers in place of reductions over whole parts. */
  private withNumbers(typed: Typed): Typed {
    const { operation, of } = typed
    if (operation.kind !== 'reduced') return of.length ? { ...typed, of: of.map((child) => this.withNumbers(child)) } : typed
    const key = this.expressions.reductionKey(operation)
    let numbers = this.reduced.get(key)
    if (!numbers) this.reduced.set(key, (numbers = this.around.numbers(key, () => reduceParts(operation.text, this, operation.on))))
    const each = numbers.map((value): Typed => ({ ...typed, operation: { kind: 'number', value }, components: 1 }))
    return numbersOf(typed, each)
  }

  /**
   * An expression of numbers: those that are known by name, constant formulas of the study, and reductions.
   *
   * @throws FormulaError pointing into `text`, also where something in it is a field
   */
  calculate(text: string, known: Readonly<Record<string, Numbers>>): Numbers {
    const scope = scopeOn(this.expressions.names, null)
    const typed = checkFormula(text, {
      ...scope,
      formula: (name) => (Object.hasOwn(known, name) ? undefined : scope.formula(name)),
      field: (name) => (Object.hasOwn(known, name) ? undefined : scope.field(name)),
      constant: (name, range) => (Object.hasOwn(known, name) ? known[name] : scope.constant?.(name, range)),
      names: () => [...Object.keys(known), ...scope.names()],
    })
    if (typed.place !== 'any' || typed.onShape || typed.isCondition)
      throw new FormulaError('not-reduced', 'This is no number: wrap fields in mean(…), integral(…), min(…) or max(…).', typed.range)
    const formula = compileFormula(this.withNumbers(typed))
    const values = new Float64Array(formula.components)
    formula.run(1, [], values, values, values)
    return { values: [...values], dimensions: typed.dimensions }
  }

  /** Length along lines, found once for all of their pieces. */
  private lengthsOn({ pieces }: Shape, piece: Piece, factor: number): PieceValues {
    let lengths = this.lengths.get(pieces)
    if (!lengths) this.lengths.set(pieces, (lengths = arcLengths(pieces)))
    return { values: lengths[pieces.indexOf(piece)]!.map((x) => x * factor), components: 1, place: 'corner' }
  }

  /**
   * Values linear on each element: the parts of the expression that are no matter of the shape are mapped as always, then combined corner
   * by corner with the place of the corner and the normal of the element.
   */
  private valuesByCorners(expression: Expression, shape: Shape, piece: Piece): PieceValues {
    const { kind } = shape
    const part = piece.ranges[0]?.part
    if (part === undefined) return { values: new Float64Array(0), components: 1, place: 'corner' }
    const around = new Map<string, PieceValues>()
    const onBlocks = (values: (own: PartBlocks, block: number) => FieldValues): PieceValues => {
      const mapped = mapPiece(piece, (on, block, use) => this.onBlock(on, (own) => use(values(own, block))))
      return cornerValues(kind, piece, piece.motion ? turnedValues(mapped, piece.motion) : mapped)
    }
    const whole = this.expressions.on(expression, [part]).on(part)
    if (kind !== 'surface' && usesNormal(whole)) throw new DataError('no-normal', '“normal” exists on surfaces only.')
    const typed = withoutNeighbours(this.withNumbers(whole), (of, name) => {
      const { operation } = of
      const isLength = kind === 'lines' && operation.kind === 'arc length'
      around.set(
        name,
        isLength ? this.lengthsOn(shape, piece, operation.factor) : onBlocks((own, block) => this.puts.values(of, own, block)),
      )
    })
    const inputs = [...fieldsOf(typed).values()].map(
      ({ name }) => (around.get(name) ?? onBlocks((own, block) => own.field(name, block))).values,
    )
    const { normals, positions } = cornerGeometry(kind, piece)
    const formula = compileFormula({ ...typed, place: 'point' })
    const n = piece.elements.length
    const values = new Float64Array(n * formula.components)
    formula.run(n, inputs, positions, normals, values)
    return { values, components: formula.components, place: 'corner' }
  }
}

/** Normal and position at every corner of every element (3 × corners); only triangles have normals. */
function cornerGeometry(kind: ShapeKind, piece: Piece): { normals: Float64Array; positions: Float64Array } {
  const n = piece.elements.length
  const positions = new Float64Array(3 * n)
  for (let corner = 0; corner < n; corner++) {
    const p = 3 * piece.elements[corner]!
    for (let d = 0; d < 3; d++) positions[3 * corner + d] = piece.points[p + d]!
  }
  if (kind !== 'surface') return { normals: positions, positions }
  const byElement = elementNormals(piece)
  const normals = new Float64Array(3 * n)
  for (let i = 0; i < normals.length; i++) normals[i] = byElement[3 * Math.floor(i / 9) + (i % 3)]!
  return { normals, positions }
}

/** Whether it depends on the place and on numbers alone. */
function isOfPlaces(typed: Typed): boolean {
  return usesPosition(typed) && !fieldsOf(typed).size && !hasPutIns(typed)
}

function hasPutIns(typed: Typed): boolean {
  return isPutIn(typed) || typed.of.some(hasPutIns)
}

function usesNormal({ operation, of }: Typed): boolean {
  return operation.kind === 'normal' || of.some(usesNormal)
}

/**
 * The expression with gradients and smoothing replaced by fields with new names.
 *
 * @param keep  called with each replaced operation and its new name
 */
function withoutNeighbours(typed: Typed, keep: (of: Typed, name: string) => void): Typed {
  const names = new Map<string, string>()
  const visit = (node: Typed): Typed => {
    if (!isPutIn(node)) return node.of.length ? { ...node, of: node.of.map(visit) } : node
    const id = nodeId(node)
    let name = names.get(id)
    if (name === undefined) {
      // field names contain no line break
      names.set(id, (name = `around\n${names.size}`))
      keep(node, name)
    }
    const { components, dimensions } = node
    const field: FieldInfo = { name, components, place: node.place === 'point' ? 'point' : 'cell', dimensions, factor: 1, offset: 0 }
    return { ...node, operation: { kind: 'field', field }, of: [] }
  }
  return visit(typed)
}

/** Equal for equal operations on equal operands: `grad(p)` that stands twice in a formula is computed once. */
function nodeId({ operation, of }: Typed): string {
  const own = operation.kind === 'field' ? fieldId(operation.field) : JSON.stringify(operation)
  return `${own}(${of.map(nodeId).join()})`
}
