/** Parts of a volume or a surface that hang together: the largest of them, those above a size, or the one at a place. */
import { Type } from '@sinclair/typebox'
import { formatNumber } from '../colour/ticks'
import { DataError } from '../errors'
import { connectedCells, connectedElements, NOWHERE } from '../measure/connectedParts'
import type { ConnectedParts } from '../measure/connectedParts'
import { boxCentre } from '../mesh/boxes'
import { eachDomainBlock, isPartial } from '../mesh/Domain'
import type { Domain } from '../mesh/Domain'
import { VectorSchema } from '../mesh/vectors'
import type { Vector } from '../mesh/vectors'
import type { Condition, Level } from '../shapes/condition'
import { elementSize } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { defineStep, settingsOf } from './StepKind'
import type { StepContext, Survey } from './StepKind'

const Settings = Type.Object({
  choice: Type.Union(['largest', 'above', 'at'].map((choice) => Type.Literal(choice))),
  count: Type.Integer({ minimum: 1, maximum: 100_000 }),
  /** Smallest that is kept, as a share of all together. */
  share: Type.Number({ minimum: 0, maximum: 1 }),
  position: VectorSchema,
})

const choices = [
  { value: 'largest', label: 'the largest' },
  { value: 'above', label: 'those above' },
  { value: 'at', label: 'the one at', words: ['the one at', 'clicked'] },
]

/** Rows of the table. */
const MOST_ROWS = 1000

export const pieces = defineStep({
  id: 'pieces',
  version: 1,
  title: 'Pieces',
  words: ['pieces', 'connected', 'connectivity', 'islands', 'bubbles', 'droplets', 'largest', 'fragments', 'split'],
  icon: 'M4 9 C4 5 9 4 11 7 C12 10 8 13 6 12 Z M14 6 a2 2 0 1 0 4 0 a2 2 0 1 0 -4 0 M12 17 a3 3 0 1 0 6 0 a3 3 0 1 0 -6 0',
  settings: Settings,
  inputs: [{ name: 'of', accepts: ['region', 'surface', 'lines'], isList: true }],
  defaults: ({ box }, wishes) => ({ choice: 'largest', count: 5, share: 0.01, position: boxCentre(box), ...wishes }),
  onPick: { title: 'Keep this piece', isOn: true, settings: ({ position }) => ({ choice: 'at', position }) },
  handles: ({ choice }) => (choice === 'at' ? [{ handle: 'point', setting: 'position', title: 'piece to keep' }] : []),
  look: { isLit: true, takesPlace: true },
  yields: (_, input) => input,
  sentence: ({ choice }) => [
    'Pieces of ',
    { token: 'input', input: 'of' },
    ', ',
    { token: 'choice', setting: 'choice', options: choices },
    ' ',
    choice === 'largest'
      ? { token: 'number', setting: 'count', quantity: 'count' }
      : choice === 'above'
        ? { token: 'number', setting: 'share', quantity: 'share' }
        : { token: 'position', setting: 'position' },
    ...(choice === 'above' ? [' of all'] : []),
    ', coloured by ',
    { token: 'colour' },
  ],
  hasColour: true,
  variables: () => [],
  survey(context): Survey {
    const domain = context.domain('of')
    const points = (part: string): number => context.catalogueOf(part)?.points ?? 0
    const found = domain.parts.length ? connectedCells(domain, points, context.check) : connectedElements(context.shape('of'))
    const { labels, ...meta } = found
    return { meta, arrays: { labels } }
  },
  keeps(context): Condition {
    const found = foundIn(context)
    const isKept = keptOnes(context, found)
    return { is: 'cells', level: levelOf(context, found, isKept), isStrict: true }
  },
  facts(context) {
    const found = foundIn(context)
    const { kind, unit } = sizeOf(context)
    const total = found.parts.reduce((sum, { size }) => sum + size, 0)
    const isKept = keptOnes(context, found)
    const rows = found.parts.flatMap(({ size, cells }, n) =>
      isKept(n) ? [[n + 1, size, total > 0 ? (100 * size) / total : 0, cells]] : [],
    )
    const n = found.parts.length
    const columns = [
      { name: 'piece', unit: '1' },
      { name: kind, unit },
      { name: 'share', unit: '%' },
      { name: 'cells', unit: '1' },
    ]
    const words = `${n.toLocaleString('en')} ${n === 1 ? 'piece' : 'pieces'} in all, ${rows.length.toLocaleString('en')} kept`
    const share = total > 0 ? (100 * rows.reduce((sum, row) => sum + row[1]!, 0)) / total : 0
    return { notes: [`${words}: ${formatNumber(share, 4)} % of the ${kind}`], table: { columns, rows: rows.slice(0, MOST_ROWS) } }
  },
})

function foundIn(context: StepContext): ConnectedParts {
  const { meta, arrays } = context.survey()
  return { ...(meta as Omit<ConnectedParts, 'labels'>), labels: arrays['labels'] as Uint32Array }
}

function sizeOf(context: StepContext): { kind: string; unit: string | null } {
  const dimension = context.domain('of').parts.length ? 3 : { surface: 2, lines: 1, points: 0 }[context.shape('of').kind]
  const { lengthUnit } = context
  return { kind: ['count', 'length', 'area', 'volume'][dimension]!, unit: lengthUnit && `${lengthUnit}${['', '', '²', '³'][dimension]}` }
}

function keptOnes(context: StepContext, found: ConnectedParts): (part: number) => boolean {
  const { choice, count, share, position } = settingsOf(Settings, context)
  if (choice === 'largest') return (part) => part < count
  const total = found.parts.reduce((sum, { size }) => sum + size, 0)
  if (choice === 'above') return (part) => found.parts[part]!.size >= share * total
  const domain = context.domain('of')
  const at = position as Vector
  const own = domain.parts.length ? nearestInDomain(domain, found, at, context.check) : nearestInShape(context.shape('of'), found, at)
  return (part) => part === own
}

/** 1 for what is kept, -1 for the rest. */
function levelOf(context: StepContext, { runs, labels }: ConnectedParts, isKept: (part: number) => boolean): Level {
  const chosen = (start: number, length: number): Float64Array =>
    Float64Array.from({ length }, (_, i) => (labels[start + i] !== NOWHERE && isKept(labels[start + i]!) ? 1 : -1))
  const byBlock = new Map(runs.map((run) => [`${run.part}\n${run.block}`, run]))
  return {
    onMesh(_, { part, block }) {
      const run = byBlock.get(`${part.name}\n${block}`)
      return run ? chosen(run.start, run.length) : new Float64Array(part.block(block).types.length).fill(-1)
    },
    onPiece(piece) {
      const at = context.hasShapes('of') ? context.shape('of').pieces.indexOf(piece) : -1
      if (at < 0)
        throw new DataError('no-pieces', 'Surfaces of the case do not follow pieces; take the outside of the pieces on all sides.')
      return chosen(runs[at]!.start, runs[at]!.length)
    },
  }
}

/** The part of the cell with the nearest point. */
function nearestInDomain(domain: Domain, { runs, labels }: ConnectedParts, at: Vector, check: () => void): number {
  let best = Infinity
  let own = -1
  const starts = new Map(runs.map(({ part, block, start }) => [`${part}\n${block}`, start]))
  const gap = ({ box }: Domain['blocks'][number]): number => Math.hypot(...at.map((c, d) => Math.max(box[d]! - c, 0, c - box[d + 3]!)))
  const nearFirst = [...domain.blocks].sort((a, b) => gap(a) - gap(b))
  for (const block of nearFirst) {
    if (gap(block) > best) break
    eachDomainBlock({ ...domain, blocks: [block] }, check, (mesh) => {
      const start = starts.get(`${block.part.name}\n${block.block}`)!
      for (let c = 0; c < mesh.types.length; c++) {
        for (let i = mesh.offsets[c]!; i < mesh.offsets[c + 1]!; i++) {
          const distance = distanceTo(mesh.points, mesh.connectivity[i]!, at)
          if (distance >= best) continue
          best = distance
          own = labels[start + (isPartial(mesh) ? mesh.cellSources[c]! : c)]!
        }
      }
    })
  }
  return own
}

function nearestInShape({ kind, pieces: all }: Shape, { runs, labels }: ConnectedParts, at: Vector): number {
  let best = Infinity
  let own = -1
  const size = elementSize(kind)
  all.forEach(({ points, elements }, n) => {
    for (let i = 0; i < elements.length; i++) {
      const distance = distanceTo(points, elements[i]!, at)
      if (distance >= best) continue
      best = distance
      own = labels[runs[n]!.start + Math.floor(i / size)]!
    }
  })
  return own
}

function distanceTo(points: ArrayLike<number>, p: number, at: Vector): number {
  return Math.hypot(points[3 * p]! - at[0], points[3 * p + 1]! - at[1], points[3 * p + 2]! - at[2])
}
