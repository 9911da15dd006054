/** Steps evaluated on a case in memory, without threads: results with all pieces put together. */
import { deflateSync } from 'node:zlib'
import type { CaseData } from '../../core/case/CaseData'
import { withDoubts } from '../../core/evaluate/doubts'
import { Computer } from '../../core/evaluate/Computer'
import type { FrameData } from '../../core/evaluate/FrameData'
import { Graph } from '../../core/evaluate/Graph'
import type { Node } from '../../core/evaluate/nodes'
import { MapResults } from '../../core/evaluate/local'
import { plainPlan } from '../../core/evaluate/plan'
import type { Frame, Plan, TargetOf } from '../../core/evaluate/plan'
import { nameOf } from '../../core/fields/formula/expressions'
import { parseFormula } from '../../core/fields/formula/parse'
import type { Expression } from '../../core/fields/formula/parse'
import type { Curve, Reading } from '../../core/measure/results'
import type { Measured } from '../../core/measure/reductions'
import { measureExpression } from '../../core/measure/reductions'
import type { Domain } from '../../core/mesh/Domain'
import type { FieldValues, PartBlocks } from '../../core/mesh/MeshBlock'
import { joinPieces, joinValues } from '../../core/shapes/Shape'
import type { Piece, PieceValues, Shape, ShapeValues } from '../../core/shapes/Shape'

export const CASE = '00000000-0000-4000-8000-000000000000'

/** A shape with the arrays of its one joined piece. */
export type WholeShape = Omit<Shape, 'columns'> &
  Omit<Piece, 'columns'> & { columns: { name: string; unit: string | null; values: Float64Array }[] }

export function wholeShape(shape: Shape): WholeShape {
  const columns = (shape.columns ?? []).map((column, c) => {
    const values = Float64Array.from(shape.pieces.flatMap((piece) => [...piece.columns![c]!]))
    return { ...column, values }
  })
  return { ...shape, ...joinPieces(shape.pieces), columns }
}

export function pieceOf({ columns: _, ...piece }: WholeShape): Piece {
  return piece
}

export class Evaluation {
  readonly data: FrameData
  readonly graph: Graph
  /** What was computed, in order. */
  readonly computed: Node[] = []
  private readonly computer: Computer
  private readonly frame: Frame

  constructor(caseData: CaseData, plan: Plan, moment = 0, results = new MapResults()) {
    this.frame = { case: 'case', moment }
    const snapshot = { key: 'snapshot', id: CASE, generation: 'first', catalogue: caseData.catalogue }
    this.graph = new Graph(plan, new Map([['case', snapshot]]))
    this.computer = new Computer({
      graph: this.graph,
      results,
      dataOf: () => caseData,
      check: () => undefined,
      computed: (node) => void this.computed.push(node),
      isAlone: true,
      deflate: (bytes) => deflateSync(bytes),
    })
    this.data = this.computer.data(this.frame)
  }

  shape(step: string): WholeShape {
    return wholeShape(this.computer.shapeOf(step, this.frame))
  }

  reading(step: string): Reading {
    const { json } = this.computer.run(this.graph.outcome(step, this.frame)) as { json: Reading }
    return withDoubts(json, this.graph.doubts(step, this.frame))
  }

  /** As the step gives it, before gaps are turned into null. */
  curve(step: string): Curve {
    const at = this.graph.frame(this.frame)
    return at.step(step).kind.curve!(this.computer.stepRun(step, at))
  }

  /** A step as a file, with the values of some variables. */
  file(step: string, format: TargetOf<'file'>['format'], variables: string[]): Uint8Array {
    const target = { want: 'file', step, frame: this.frame, format, variables, name: step, priority: 0 } as const
    return (this.computer.run(this.graph.file(target)) as { bytes: Uint8Array }).bytes
  }

  domain(step: string): Domain {
    return this.computer.stepDomain(step, this.graph.frame(this.frame))
  }

  run(node: Node): ReturnType<Computer['run']> {
    return this.computer.run(node)
  }

  values(text: string, shape: Shape): PieceValues & { name: string; unit: string | null } {
    const { name, unit, ...values } = this.data.values(this.expression(text), shape)
    return { name, unit, ...joinValues(shape, values) }
  }

  /** Piece by piece, as it is integrated. */
  shapeValues(text: string, shape: Shape): ShapeValues {
    return this.data.values(this.expression(text), shape)
  }

  quantity(text: string, part: string): ReturnType<FrameData['quantity']> {
    return this.data.quantity(this.expression(text), [part])
  }

  blockValues(text: string, part: PartBlocks, block: number): FieldValues {
    return this.data.blockValues(this.expression(text), [part.name], part, block)
  }

  partShape(name: string, isOuter: boolean): WholeShape {
    return wholeShape(this.data.partShape(name, isOuter))
  }

  measure(text: string, parts: readonly string[]): Measured {
    return measureExpression(text, this.data, parts)
  }

  /** A name, whatever signs it holds, or a formula. */
  private expression(text: string): Expression {
    const { fields, formulas } = this.data.expressions.names
    const isName = text in fields || text in formulas || text.startsWith('travel-')
    return isName ? nameOf(text) : parseFormula(text)
  }
}

/** Steps on a case whose fields keep their own names; a setting `variable` may hold a formula. @param formulas  texts by name */
export function evaluatorFor(data: CaseData, steps: Plan['steps'], formulas: Record<string, string> = {}, moment = 0): Evaluation {
  return new Evaluation(data, planFor(data, steps, formulas), moment)
}

export function planFor({ catalogue }: CaseData, steps: Plan['steps'], formulas: Record<string, string> = {}): Plan {
  const plain = plainPlan(CASE, catalogue)
  const written = Object.values(steps).flatMap(({ settings }) => {
    const text = settings['variable']
    const isKnown = typeof text !== 'string' || /^[\w-]*$/.test(text) || text in plain.variables || text in formulas
    return isKnown ? [] : [[text, text] as const]
  })
  const all = { ...formulas, ...Object.fromEntries(written) }
  return { ...plain, steps, formulas: Object.fromEntries(Object.entries(all).map(([name, text]) => [name, { name, text }])) }
}
