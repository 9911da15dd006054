/** The kernels of the bench: the functions the product itself runs, on one thread. */
import { wholeDomain } from '../core/mesh/Domain'
import { performance } from 'node:perf_hooks'
import { checkFormula } from '../core/fields/formula/check'
import type { FieldInfo } from '../core/fields/formula/typed'
import { compileFormula } from '../core/fields/formula/compile'
import { ScatteredPoints } from '../core/mesh/ScatteredPoints'
import { extremesOf } from '../core/measure/extremes'
import { integrateCells } from '../core/measure/integrateCells'
import { sizeOfShape } from '../core/measure/integrateShape'
import { mergeTotals } from '../core/measure/sums'
import { boxOfPoints } from '../core/mesh/boxes'
import { groupsOf } from '../core/mesh/groups'
import { matchFaces, MAX_FACES } from '../core/mesh/faceMatching'
import { BlockLocator, PartLocator, searchArrays } from '../core/mesh/locate'
import type { FieldValues, FloatArray, MeshBlock, PartBlocks } from '../core/mesh/MeshBlock'
import { levelOfBlock } from '../core/steps/isosurface'
import { skinOfBlock } from '../core/shapes/blockShapes'
import { joinPieces, mapPiece } from '../core/shapes/Shape'
import type { Piece } from '../core/shapes/Shape'
import { planeForm } from '../core/shapes/sliceForms'
import { sliceBlock } from '../core/steps/slice'
import { MemoryPart } from '../core/store/MemoryPart'
import { StreamlineTracer } from '../core/trace/streamlines'
import type { BenchMesh } from './benchMesh'

export interface KernelResult {
  ms: number
  check: number
  [more: string]: unknown
}

const RUNS = 5
const SLICE = planeForm([1, 0.5, 0.25], [1, 0.7, 0.4])

export function runKernels({ mesh, T, U }: BenchMesh): Record<string, KernelResult> {
  const results: Record<string, KernelResult> = {}
  const nPoints = mesh.points.length / 3
  function time<R>(name: string, work: () => R, check: (result: R) => number | Record<string, number>): R {
    let result = work()
    const times = Array.from({ length: RUNS }, () => {
      const start = performance.now()
      result = work()
      return performance.now() - start
    }).sort((a, b) => a - b)
    const proof = check(result)
    results[name] = {
      ms: times[RUNS >> 1]!,
      check: typeof proof === 'number' ? proof : proof['check']!,
      ...(typeof proof === 'object' && proof),
    }
    return result
  }

  const [lo, hi] = time(
    'range',
    () => rangeOf(T, U),
    ([tMin, tMax, uMax]) => ({ check: uMax, T_min: tMin, T_max: tMax }),
  )
  time('magnitude', () => evaluate('mag(U)', nPoints, { U, T }, mesh.points), sum)
  time('formula', () => evaluate('0.5 * 1025 * dot(U, U) + 9.81 * T * pos.z', nPoints, { U, T }, mesh.points), sum)

  const whole = wholeBlock(mesh)
  const level = Math.fround((lo + hi) / 2)
  const temperature: FieldValues = { values: T, components: 1, place: 'point' }
  const cutCheck = (pieces: (Piece | undefined)[]): Record<string, number> => {
    const found = pieces.filter((piece) => piece !== undefined)
    const { measure } = sizeOfShape({ kind: 'surface', pieces: found })
    return { check: measure, triangles: found.reduce((n, { cells }) => n + cells.length, 0) }
  }
  time('slice_scan', () => [sliceBlock(withoutIndex(whole), SLICE, 'box', 0)], cutCheck)
  time('iso_scan', () => [levelOfBlock(withoutIndex(whole), temperature, level, 'box', 0)], cutCheck)

  const part = time(
    'index_build',
    () => new MemoryPart('box', 3, mesh),
    (p) => p.nBlocks,
  )
  part.setField('T', { values: T, components: 1, place: 'point' })
  part.setField('U', { values: U, components: 3, place: 'point' })
  const indexed = withGroups(part)
  time('slice_indexed', () => blocksOf(part).map((k) => sliceBlock(part.block(k), SLICE, 'box', k)), cutCheck)
  time('iso_indexed', () => blocksOf(part).map((k) => levelOfBlock(part.block(k), indexed[k]!, level, 'box', k)), cutCheck)

  time(
    'volume_integral',
    () =>
      mergeTotals(
        blocksOf(part).flatMap((k) => integrateCells(part.block(k), part.field('T', k))),
        1,
      ),
    (t) => ({ check: t.integral[0]!, volume: t.measure }),
  )
  time(
    'surface_extract',
    () => matchFaces(mesh, nPoints),
    (faces) => faces.length / 2,
  )
  const skin = joinPieces(blocksOf(part).map((k) => skinOfBlock(part.block(k), 'box', k)))
  time(
    'outlet_flux',
    () => outletFlux(part, skin),
    (flux) => flux,
  )
  time(
    'walk_build',
    () => matchFaces(mesh, nPoints, new Int32Array(MAX_FACES * mesh.types.length)),
    (faces) => faces.length / 2,
  )
  time(
    'locate_build',
    () => blocksOf(part).map((k) => new BlockLocator(part.block(k), searchArrays(part.block(k)))),
    (locators) => locators.length,
  )
  time(
    'point_locate',
    () => locateRandom(part, 100_000),
    ({ mean, found }) => ({ check: mean, found }),
  )
  time(
    'points_meshed',
    () => meshRandom(100_000),
    (share) => ({ check: share }),
  )
  time(
    'streamlines',
    () => trace(part),
    (lines) => ({ check: lines.meanEnd, steps: lines.steps }),
  )
  return results
}

/** Tetrahedra between random points. @returns the sum of the shares at the middle, which is 1 */
function meshRandom(n: number): number {
  const scattered = new ScatteredPoints(
    Float64Array.from({ length: 3 * n }, () => Math.random()),
    () => undefined,
  )
  scattered.between(0.5, 0.5, 0.5)
  return scattered.shares.reduce((sum, share) => sum + share, 0)
}

function rangeOf(T: FloatArray, U: FloatArray): [number, number, number] {
  const { min, max } = extremesOf(T, 1)
  return [min, max, extremesOf(U, 3).max]
}

function evaluate(text: string, n: number, fields: Record<string, FloatArray>, pos: FloatArray): FloatArray {
  const field = (name: string): FieldInfo | undefined =>
    fields[name] && { name, components: fields[name].length / n, place: 'point', dimensions: null, factor: 1, offset: 0 }
  const formula = compileFormula(checkFormula(text, { field, formula: () => undefined, length: null, names: () => Object.keys(fields) }))
  const out = new Float32Array(n)
  formula.run(
    n,
    formula.fields.map((f) => fields[f.name]!),
    pos,
    pos,
    out,
  )
  return out
}

function sum(values: FloatArray): number {
  let total = 0
  for (let i = 0; i < values.length; i++) total += values[i]!
  return total
}

/** The whole mesh as one block in its own order. */
function wholeBlock(mesh: BenchMesh['mesh']): MeshBlock {
  const pointNumbers = new Uint32Array(mesh.points.length / 3)
  for (let i = 0; i < pointNumbers.length; i++) pointNumbers[i] = i
  return { ...mesh, pointNumbers, skin: matchFaces(mesh, pointNumbers.length), ...groupsOf(mesh) }
}

/** Groups that skip nothing: what a scan without index costs. */
function withoutIndex(mesh: MeshBlock): MeshBlock {
  const groups = mesh.groups.slice()
  const box = boxOfPoints(mesh.points)
  for (let g = 0; g < groups.length; g += 6) groups.set([box[0], box[3], box[1], box[4], box[2], box[5]], g)
  return { ...mesh, groups }
}

/** Values with the extremes of their groups, as the store keeps them. */
function withGroups(part: MemoryPart): (FieldValues & { groups: Float64Array })[] {
  return blocksOf(part).map((k) => ({ ...part.field('T', k), groups: groupExtremes(part.block(k), part.field('T', k).values) }))
}

function groupExtremes(mesh: MeshBlock, values: FloatArray): Float64Array {
  const groups = new Float64Array(mesh.groups.length / 3)
  for (let g = 0; g < groups.length / 2; g++) {
    let lo = Infinity,
      hi = -Infinity
    const end = mesh.offsets[Math.min((g + 1) * 1024, mesh.types.length)]!
    for (let i = mesh.offsets[g * 1024]!; i < end; i++) {
      const x = values[mesh.connectivity[i]!]!
      if (x < lo) lo = x
      if (x > hi) hi = x
    }
    groups[2 * g] = lo
    groups[2 * g + 1] = hi
  }
  return groups
}

function blocksOf(part: PartBlocks): number[] {
  return Array.from({ length: part.nBlocks }, (_, k) => k)
}

/** Picks the faces at the far end of a skin, which the server keeps once it is made, maps U onto it and adds up. */
function outletFlux(part: MemoryPart, skin: Piece): number {
  const { values } = mapPiece(skin, (_, k, use) => use(part.field('U', k)))
  const right = Math.max(...part.boxes.map((box) => box[3])) - 1e-6
  const { points: p, elements } = skin
  let flux = 0
  for (let e = 0; e < elements.length; e += 3) {
    const a = 3 * elements[e]!,
      b = 3 * elements[e + 1]!,
      c = 3 * elements[e + 2]!
    if (!(p[a]! >= right && p[b]! >= right && p[c]! >= right)) continue
    const area = ((p[b + 1]! - p[a + 1]!) * (p[c + 2]! - p[a + 2]!) - (p[b + 2]! - p[a + 2]!) * (p[c + 1]! - p[a + 1]!)) / 2
    flux += (area * (values[a]! + values[b]! + values[c]!)) / 3
  }
  return flux
}

/** The reference's random points: xorshift32, single precision. */
function locateRandom(part: MemoryPart, n: number): { mean: number; found: number } {
  let state = 2463534242
  const random = (): number => {
    state ^= state << 13
    state ^= state >>> 17
    state ^= state << 5
    state >>>= 0
    return state / 4294967296
  }
  const points = Array.from({ length: n }, () => [Math.fround(2 * random()), Math.fround(random()), Math.fround(0.5 * random())] as const)
  // in space order, so that neighbouring queries are near: the locator starts from the last cell
  const key = (p: readonly number[]): number => Math.floor(p[2]! * 40) * 1e6 + Math.floor(p[1]! * 20) * 1e3 + Math.floor(p[0]! * 20)
  points.sort((a, b) => key(a) - key(b))
  const locator = new PartLocator(wholeDomain([part]))
  let total = 0
  let found = 0
  for (const [x, y, z] of points) {
    if (!locator.find(x, y, z)) continue
    found++
    const mesh = part.block(locator.block)
    const { values } = part.field('U', locator.block)
    let u = 0,
      v = 0,
      w = 0
    for (let i = 0, at = mesh.offsets[locator.cell]!; i < 8; i++, at++) {
      const node = 3 * mesh.connectivity[at]!
      u += locator.weights[i]! * values[node]!
      v += locator.weights[i]! * values[node + 1]!
      w += locator.weights[i]! * values[node + 2]!
    }
    total += Math.sqrt(u * u + v * v + w * w)
  }
  return { mean: total / n, found }
}

/** The reference's seeds; the product's integrator chooses its own steps, so ends agree and step counts do not. */
function trace(part: MemoryPart): { meanEnd: number; steps: number } {
  const tracer = new StreamlineTracer(wholeDomain([part]), (p, k) => p.field('U', k))
  let end = 0
  let steps = 0
  for (let i = 0; i < 1000; i++) {
    const t = (i + 0.5) / 1000
    const line = tracer.trace(0.02, 0.1 + 0.8 * t, 0.05 + 0.4 * t, {
      direction: 'downstream',
      tolerance: 1e-6,
      maxLength: 20,
      maxSteps: 2000,
    })
    end += line.positions[line.positions.length - 3]! / 1000
    steps += line.times.length - 1
  }
  return { meanEnd: end, steps }
}
