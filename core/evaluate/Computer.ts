/**
 * Computes nodes. Results are packets, stored under the keys of their nodes; a node reads the results of other nodes from there.
 *
 * If a result that it needs is missing, the node stops with `NeedsNode`, so that a scheduler computes that one first. Without a scheduler
 * (`isAlone`) the missing result is computed immediately.
 */
import type { CaseData } from '../case/CaseData'
import type { Key } from '../digest'
import { digest } from '../digest'
import { writeVtk } from '../formats/write/vtkXml'
import { variableName } from '../study/studyModel'
import { meshOfDomain } from './domainMesh'
import type { DomainField } from './domainMesh'
import { writeCurve, writeReading, writeShape } from '../formats/write/shape'
import { joinArrays } from '../formats/meshParts'
import { UserError } from '../errors'
import { checkSubject } from '../check/checkSubject'
import { curveOf, plainCurve, readingOf } from '../measure/results'
import type { Curve, Reading } from '../measure/results'
import { eachDomainBlock, lostCells, lostNotes } from '../mesh/Domain'
import type { Domain, DomainBlock } from '../mesh/Domain'
import { boxCentre, unionBox } from '../mesh/boxes'
import { keepPiece } from '../shapes/condition'
import type { Condition } from '../shapes/condition'
import { domainWhere } from '../shapes/keepMesh'
import { bordering, joinOutside, outsideOfBlock } from '../shapes/outside'
import { outsideMaker } from '../shapes/outsideOfCuts'
import type { Piece, Shape, UncutBlock } from '../shapes/Shape'
import { hasShape, yieldsVolumes } from '../steps/StepKind'
import type { AnyWork, PlannedInput, StepKind } from '../steps/StepKind'
import type { Packet, PacketSource } from '../store/packet'
import { FrameData } from './FrameData'
import { elsewhere } from './FramePlan'
import type { FramePlan } from './FramePlan'
import type { Graph } from './Graph'
import { frameOfInput, frameOfOutcome } from './graphInputs'
import type { Node, Task } from './nodes'
import { shapePicture, valuesPicture } from './pictures'
import type { Frame, TargetOf } from './plan'
import { probe } from './probe'
import { variableRange } from './range'
import { decodeLeft, encodeLeft } from './leftPacket'
import { decodeShape, decodeValues, encodeShape, encodeValues } from './shapePacket'
import type { NamedShapeValues, ShapePacketMeta, ValuesPacketMeta } from './shapePacket'
import { joinShapes, StepRun } from './StepRun'

/** A result that a node needs is missing. */
export class NeedsNode extends Error {
  constructor(readonly key: Key) {
    super('a result that is needed is not there')
  }
}

/** Where results are kept. */
export interface Results {
  /** Valid until the end of the current scope. */
  get(key: Key): Packet | undefined
  /** Stores what `make` returns, unless the key is present already. */
  obtain(key: Key, make: () => { meta: unknown; arrays: Record<string, PacketSource> }): Packet
  /** As `obtain`, for what is left of blocks, where these are kept in another way. */
  obtainBlock?(key: Key, make: () => { meta: unknown; arrays: Record<string, PacketSource> }): Packet
  /** Everything requested inside is released at the end. */
  within<T>(work: () => T): T
}

export interface ComputerParts {
  graph: Graph
  results: Results
  /** The case of a frame at its moment. */
  dataOf(at: FramePlan): CaseData
  /** Called per block; throws to cancel. */
  check(): void
  /** Told now and then which share of the node that runs is done. */
  progress?(share: number): void
  /** Called for each node that is computed, not for results that were found. */
  computed?(node: Node, ms: number): void
  /** Whether missing results are computed immediately instead of throwing `NeedsNode`. */
  isAlone: boolean
  deflate(bytes: Uint8Array): Uint8Array
}

/** A packet that is kept under the key of the node, plain JSON, or bytes of a file. */
export type NodeResult = { kept: true } | { json: unknown } | { bytes: Uint8Array }

export class Computer {
  private readonly datas = new Map<string, FrameData>()

  constructor(private readonly parts: ComputerParts) {}

  /** @throws UserError with the reason, NeedsNode, or what `check` throws */
  run(node: Node): NodeResult {
    return this.parts.results.within(() => this.compute(node))
  }

  /** Values and shape of a case in a frame, without any node. */
  data(frame: Frame): FrameData {
    const id = JSON.stringify(frame)
    let data = this.datas.get(id)
    if (!data) {
      const at = this.parts.graph.frame(frame)
      data = new FrameData(this.parts.dataOf(at), at.expressions, () => this.parts.check(), {
        numbers: (key, make) => this.keptNumbers(key, make),
        block: (key, make) => this.keptBlock(key, make),
        other: (place) => this.data(elsewhere(frame, { case: place.case ?? frame.case, moment: place.moment })),
      })
      this.datas.set(id, data)
    }
    return data
  }

  /** Numbers that formulas use, kept like results. */
  private keptNumbers(key: Key, make: () => number[]): number[] {
    return [...this.keptBlock(key, () => Float64Array.from(make()))]
  }

  /** Values on a block that are dear to compute. */
  private keptBlock(key: Key, make: () => Float64Array): Float64Array {
    return this.parts.results.obtain(key, () => ({ meta: null, arrays: { values: make() } })).arrays['values'] as Float64Array
  }

  private compute(node: Node): NodeResult {
    const { graph } = this.parts
    const { task, frame } = node
    const data = this.data(frame)
    switch (task.do) {
      case 'part':
        return this.keep(node, () => encodeShape(data.partShape(task.part, task.isOuter)))
      case 'shape':
        return this.keep(node, () => this.stepShape(task.step, graph.frame(frame)))
      case 'share':
        return this.keep(node, () => encodeShape(this.worked(task.step, graph.frame(frame), task)))
      case 'outside':
        return this.keep(node, () => encodeShape(this.outsideShare(task.step, graph.frame(frame), task.share, task.of)))
      case 'survey':
        return this.keep(node, () => this.stepRun(task.step, graph.frame(frame)).makeSurvey())
      case 'values':
        return this.keep(node, () => encodeValues(this.stepValues(task, frame)))
      case 'shape picture':
        return this.keep(node, () => shapePicture(this.shapeOf(task.step, frame), task.had))
      case 'values picture':
        return this.keep(node, () => {
          const values = graph.values(task.step, frame, task.variable).map((own) => decodeValues(this.packet<ValuesPacketMeta>(own)))
          const all = { ...values[0]!, pieces: values.flatMap(({ pieces }) => pieces) }
          return valuesPicture(this.shapeOf(task.step, frame), all, task.isWhole, task.had)
        })
      case 'outcome':
        return this.told(node, () => ({ json: this.outcome(task.step, graph.frame(frame)) }))
      case 'range':
        return this.told(node, () => ({ json: variableRange(data, task.variable, task.parts) }))
      case 'probe':
        return this.told(node, () => ({ json: probe(data, task.at, task.parts) }))
      case 'check':
        return this.told(node, () => ({ json: checkSubject(data, data.data.catalogue, task.subject) }))
      case 'file':
        return this.told(node, () => ({ bytes: this.file(task.target) }))
    }
  }

  private told(node: Node, work: () => NodeResult): NodeResult {
    const start = performance.now()
    const result = work()
    this.parts.computed?.(node, performance.now() - start)
    return result
  }

  private keep(node: Node, make: () => { meta: unknown; arrays: Record<string, PacketSource> }): NodeResult {
    this.parts.results.obtain(node.key, () => {
      const start = performance.now()
      const made = make()
      this.parts.computed?.(node, performance.now() - start)
      return made
    })
    return { kept: true }
  }

  /** The packet of another node that the current one needs. */
  private packet<Meta>(node: Node): Packet<Meta> {
    let found = this.parts.results.get(node.key)
    if (!found) {
      if (!this.parts.isAlone) throw new NeedsNode(node.key)
      this.compute(node)
      found = this.parts.results.get(node.key)!
    }
    return found as Packet<Meta>
  }

  /** The shape of a step; missing nodes are computed first if there is no scheduler. */
  shapeOf(step: string, frame: Frame): Shape {
    return this.shapes(this.parts.graph.shape(step, frame).nodes)
  }

  private shapes(nodes: readonly Node[]): Shape {
    return joinShapes(
      nodes.map((node) => {
        const packet = this.packet<ShapePacketMeta>(node)
        const shape = decodeShape(packet)
        return packet.meta.isOfNeeds ? { ...shape, pieces: this.sortedOutside(node).pieces } : shape
      }),
    )
  }

  /** A step as its kind sees it. */
  stepRun(step: string, at: FramePlan): StepRun {
    const inputShape = (input: PlannedInput): Shape => this.shapes(this.parts.graph.inputShape(at, input).nodes)
    return new StepRun(at, step, this.data(at.frame), inputShape, {
      domain: (other) => this.stepDomain(other, at),
      conditions: (other) => this.stepConditions(other, at),
      survey: () => this.packet(this.parts.graph.survey(step, at.frame)),
      reading: (other) => this.reading(other, frameOfOutcome(this.parts.graph, other, at)),
      curve: (other) => this.curve(other, frameOfOutcome(this.parts.graph, other, at)),
      elsewhere: (name) => {
        const spec = at.step(step).kind.inputs.find((input) => input.name === name)!
        const there = frameOfInput(this.parts.graph, step, at, spec)
        return there === at ? undefined : this.stepRun(step, there)
      },
      progress: (share) => this.parts.progress?.(share),
      atMoment: (moment) => this.stepRun(step, this.parts.graph.frame({ ...at.frame, moment })),
    })
  }

  /** The volume that a step yields. What is left of blocks is made when it is requested, and kept like results. */
  stepDomain(step: string, at: FramePlan): Domain {
    const { kind } = at.step(step)
    const context = this.stepRun(step, at)
    const base = context.domain(kind.inputs[0]!.name)
    if (!kind.keeps) return base
    const { key } = this.parts.graph.domain(step, at.frame)
    return domainWhere(base, kind.keeps(context), (part, block, make) => {
      const { obtainBlock, obtain } = this.parts.results
      const store = obtainBlock ?? obtain
      return decodeLeft(store.call(this.parts.results, digest('left', key, part.name, block), () => encodeLeft(make())))
    })
  }

  /** Where a step and those that it is made of keep something. */
  private stepConditions(step: string, at: FramePlan): Condition[] {
    const { kind } = at.step(step)
    if (!yieldsVolumes(kind)) return []
    const context = this.stepRun(step, at)
    const above = context.conditions(kind.inputs[0]!.name)
    return kind.keeps ? [...above, kind.keeps(context)] : above
  }

  /** The outside of some blocks of what a step keeps, each piece with its origin. */
  private outsideShare(step: string, at: FramePlan, share: number, of: number): Shape {
    const domain = this.stepDomain(step, at)
    const atBorder = bordering(domain)
    // those that are cut take longest, so that each share gets as many of them
    const turns = { whole: 0, cut: 0 }
    const own = { ...domain, blocks: domain.blocks.filter(({ is }) => turns[is]++ % of === share) }
    const uncut = uncutBlocks(domain, at)
    const pieces: Piece[] = []
    const outsideOf = outsideMaker(this.stepConditions(step, at))
    const check = (): void => this.parts.check()
    // the volume of what is left is made only where it is needed
    const others = own.blocks.filter((block) => {
      check()
      const work = (): Piece[] | undefined => outsideOf?.(block, block.part.block(block.block), uncut(block))
      const found = block.is === 'cut' && block.part.within(work)
      if (found) pieces.push(...found)
      return !found
    })
    eachDomainBlock(
      { ...own, blocks: others },
      check,
      (mesh, block) => void pieces.push(...outsideOfBlock(block, mesh, atBorder.has(block), uncut(block))),
    )
    return { kind: 'surface', pieces, direction: 'out of what is kept', nLost: lostCells({ blocks: others }) }
  }

  /** All shares, in the order of the blocks, the boundary first. @param node  of the shape of the step */
  private sortedOutside({ frame, task, needs }: Node): Shape {
    const { step } = task as Extract<Task, { do: 'shape' }>
    const shape = this.shapes(needs)
    const parts = this.parts.graph.shape(step, frame).parts
    const placeOf = ({ ranges: [range], from }: Piece): number =>
      (from === 'boundary' ? 0 : 2 ** 48) + parts.indexOf(range!.part) * 2 ** 32 + range!.block
    return { ...shape, pieces: [...shape.pieces].sort((a, b) => placeOf(a) - placeOf(b)) }
  }

  /** A volume from its blocks. */
  private domainFile(step: string, at: FramePlan, variables: readonly string[]): Uint8Array {
    const domain = this.stepDomain(step, at)
    const data = this.data(at.frame)
    const names = domain.parts.map(({ name }) => name)
    const nCells = at.cellsOf(names)
    if (nCells * BYTES_A_CELL > MOST_BYTES && !this.parts.isAlone)
      throw new UserError(
        'too-large',
        `A part of ${nCells.toLocaleString('en')} cells is too large to be written here; use ./stavik convert.`,
      )
    const fields = variables.map((id): DomainField => {
      const expression = at.expressionOf(id)
      const { unit } = data.quantity(expression, names)
      return {
        ...{ name: variableName(at.plan, id), unit },
        valuesOf: (mesh, block) => data.domainValues(expression, names, block, mesh),
      }
    })
    const written = meshOfDomain(domain, fields, () => this.parts.check())
    const { lengthUnit } = at.catalogue
    const bytes = writeVtk(written.mesh, written.fields, {
      kind: 'vtu',
      deflate: (own) => this.parts.deflate(own),
      ...(lengthUnit && { lengthUnit }),
    })
    return joinArrays(Uint8Array, bytes)
  }

  /** In a packet; the outside of a volume, which is large, stays in its shares as long as nothing of it is open. */
  private stepShape(step: string, at: FramePlan): ReturnType<typeof encodeShape> {
    const { kind } = at.step(step)
    if (!kind.keeps) return encodeShape(this.worked(step, at))
    const context = this.stepRun(step, at)
    const isVolume = context.domain(kind.inputs[0]!.name).parts.length > 0
    const [node] = this.parts.graph.shape(step, at.frame).nodes
    const { nLost = 0, ...found } = isVolume ? this.sortedOutside(node!) : keptShape(kind, context)
    const facts = kind.facts?.(context)
    const shape = { ...found, ...facts, notes: [...(facts?.notes ?? []), ...(found.notes ?? []), ...lostNotes(nLost)] }
    if (!isVolume) return encodeShape(shape)
    if (found.pieces.some(({ from }) => from === 'open')) return encodeShape({ ...shape, pieces: joinOutside(found.pieces) })
    const { meta, arrays } = encodeShape({ ...shape, pieces: [] })
    return { meta: { ...meta, isOfNeeds: true }, arrays }
  }

  /** What comes of all units of a step, or of one share of them: of those that follow each other, so that their order stays. */
  private worked(step: string, at: FramePlan, { share, of }: { share: number; of: number } = { share: 0, of: 1 }): Shape {
    const context = this.stepRun(step, at)
    const work = at.step(step).kind.shape as AnyWork
    const all = work.units(context)
    const units = shareOf(all, share, of)
    const results = units.map((unit, i) => {
      context.check()
      if (i > 0) context.progress(i / units.length)
      return this.parts.results.within(() => work.unit(context, unit))
    })
    return work.merge(context, results)
  }

  private stepValues({ step, variable, at, share, of }: Extract<Task, { do: 'values' }>, frame: Frame): NamedShapeValues {
    const { nodes, parts } = this.parts.graph.shape(step, frame)
    const shape = this.shapes([nodes[at]!])
    return this.data(frame).values(variable, { ...shape, pieces: shareOf(shape.pieces, share, of) }, parts)
  }

  private outcome(step: string, at: FramePlan): unknown {
    const { kind } = at.step(step)
    const context = this.stepRun(step, at)
    if (kind.reading) return kind.reading(context)
    if (kind.curve) return plainCurve(kind.curve(context))
    throw new UserError('no-outcome', `“${kind.title}” yields no number and no curve.`)
  }

  /** What another step reads that this one is worked out from; kept like results. */
  private reading(step: string, at: FramePlan): Reading {
    const { kind } = at.step(step)
    if (!kind.reading) throw new UserError('no-outcome', `“${kind.title}” yields no number.`)
    const { key } = this.parts.graph.outcome(step, at.frame)
    const make = (): Reading => kind.reading!(this.stepRun(step, at))
    return readingOf(this.parts.results.obtain(digest('reading', key), () => ({ meta: make(), arrays: {} })).meta)
  }

  /** That another step is worked out from; kept like results. */
  private curve(step: string, at: FramePlan): Curve {
    const { kind } = at.step(step)
    if (!kind.curve) throw new UserError('no-outcome', `“${kind.title}” yields no curve.`)
    const { key } = this.parts.graph.outcome(step, at.frame)
    const make = (): unknown => plainCurve(kind.curve!(this.stepRun(step, at)))
    return curveOf(this.parts.results.obtain(digest('curve', key), () => ({ meta: make(), arrays: {} })).meta)
  }

  /** @throws UserError when the step has nothing that the format can hold */
  private file({ step, frame, format, variables, name }: TargetOf<'file'>): Uint8Array {
    const at = this.parts.graph.frame(frame)
    const { kind } = at.step(step)
    if (!hasShape(kind)) {
      if (format !== 'csv') throw new UserError('format', `“${kind.title}” yields numbers, which are written as csv.`)
      const context = this.stepRun(step, at)
      return new TextEncoder().encode(kind.curve ? writeCurve(kind.curve(context)) : writeReading(name, kind.reading!(context)))
    }
    if (format === 'vtu' && this.parts.graph.yieldsDomain(step, frame)) return this.domainFile(step, at, variables)
    const { parts } = this.parts.graph.shape(step, frame)
    const shape = this.shapeOf(step, frame)
    const fields = variables.map((id) => this.data(frame).values(at.expressionOf(id), shape, parts))
    const { lengthUnit } = at.catalogue
    return joinArrays(Uint8Array, writeShape({ shape, fields, lengthUnit, deflate: (bytes) => this.parts.deflate(bytes) }, format))
  }
}

/** What blocks are called that a cut leaves as they are. */
function uncutBlocks({ parts }: Domain, at: FramePlan): (of: DomainBlock) => UncutBlock {
  const about = boxCentre(unionBox(parts.flatMap(({ boxes }) => boxes)))
  const keys = new Map(parts.map(({ name }) => [name, digest(at.version({ part: name, field: null }), about).slice(0, 16)]))
  return ({ part, block }) => ({ name: `${keys.get(part.name)} ${block}`, about })
}

/** Bytes that a cell of a domain takes while it is written, about. */
const BYTES_A_CELL = 250
/** Bytes that a thread may take beside the arena to write a domain. */
const MOST_BYTES = 2 ** 30

/** The part of a surface or of lines in which a condition holds. */
function keptShape(kind: StepKind, context: StepRun): Shape {
  const shape = context.shape(kind.inputs[0]!.name)
  const condition = kind.keeps!(context)
  const pieces = shape.pieces.flatMap((piece) => {
    context.check()
    return keepPiece(shape, piece, condition) ?? []
  })
  return { ...shape, pieces }
}

/** One of some shares of a list: of items that follow each other. */
function shareOf<T>(all: readonly T[], share: number, of: number): T[] {
  return all.slice(Math.floor((share * all.length) / of), Math.floor(((share + 1) * all.length) / of))
}
