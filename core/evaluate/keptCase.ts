/** A case of which only the part is measured where a condition holds: its regions, and its surfaces and lines. */
import type { CaseData } from '../case/CaseData'
import type { Catalogue } from '../case/catalogue'
import { UserError } from '../errors'
import type { Expression } from '../fields/formula/parse'
import type { Measurable } from '../measure/reductions'
import type { Domain, DomainBlock, DomainMesh } from '../mesh/Domain'
import type { FieldValues } from '../mesh/MeshBlock'
import type { Shape } from '../shapes/Shape'
import { keep } from '../steps/keep'
import { Computer } from './Computer'
import type { FrameData } from './FrameData'
import { Graph } from './Graph'
import { MapResults } from './local'
import { plainPlan } from './plan'
import type { Plan } from './plan'

/** @param at  the case at a moment. @param condition  in the formula language. @throws FormulaError */
export function keptCase(at: (moment: number) => CaseData, moment: number, condition: string): Measurable {
  const { catalogue } = at(moment)
  const frame = { case: 'case', moment }
  const steps = Object.fromEntries(
    catalogue.parts.map(({ name }) => [name, { kind: keep.id, inputs: { of: [{ part: name }] }, settings: { condition, cells: 'cut' } }]),
  )
  const { graph, computer } = caseAlone(at, catalogue, steps)
  return new KeptData(
    computer.data(frame),
    (name) => computer.stepDomain(name, graph.frame(frame)),
    (name) => computer.shapeOf(name, frame),
  )
}

/** A case that fields can be looked at in at all of its moments, also by formulas. */
export function wholeCase(at: (moment: number) => CaseData, moment: number, formulas: Readonly<Record<string, string>> = {}): FrameData {
  return caseAlone(at, at(moment).catalogue, {}, formulas).computer.data({ case: 'case', moment })
}

function caseAlone(
  at: (moment: number) => CaseData,
  catalogue: Catalogue,
  steps: Plan['steps'],
  texts: Readonly<Record<string, string>> = {},
): { graph: Graph; computer: Computer } {
  const snapshot = { key: 'case', id: 'case', generation: '', catalogue }
  const formulas = Object.fromEntries(Object.entries(texts).map(([name, text]) => [name, { name, text }]))
  const graph = new Graph({ ...plainPlan('case', catalogue), formulas, steps }, new Map([['case', snapshot]]))
  const computer = new Computer({
    ...{ graph, results: new MapResults(), dataOf: ({ frame }) => at(frame.moment), check: () => undefined, isAlone: true },
    deflate: (bytes) => bytes,
  })
  return { graph, computer }
}

class KeptData implements Measurable {
  constructor(
    private readonly whole: FrameData,
    private readonly domainOf: (part: string) => Domain,
    private readonly keptShape: (part: string) => Shape,
  ) {}

  get lengthUnit(): string | null {
    return this.whole.lengthUnit
  }

  get regions(): string[] {
    return this.whole.regions
  }

  hasPart(name: string): boolean {
    return this.whole.hasPart(name)
  }

  part(name: string) {
    return this.whole.part(name)
  }

  check(): void {
    this.whole.check()
  }

  quantity(expression: Expression, parts: readonly string[]) {
    return this.whole.quantity(expression, parts)
  }

  blockValues(): never {
    throw new UserError('kept', 'A sum over parts of cells has no meaning; write integral(…) or mean(…) where a condition is given.')
  }

  domain(part: string): Domain {
    return this.domainOf(part)
  }

  domainValues(expression: Expression, parts: readonly string[], block: DomainBlock, mesh: DomainMesh): FieldValues {
    return this.whole.domainValues(expression, parts, block, mesh)
  }

  /** The outside of a region is that of the part that is kept. */
  partShape(name: string): Shape {
    return this.keptShape(name)
  }

  values(expression: Expression, shape: Shape) {
    return this.whole.values(expression, shape)
  }

  caseNumber(name: string, range: [number, number]) {
    return this.whole.caseNumber(name, range)
  }
}
