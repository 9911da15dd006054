/**
 * Values on a block that need more than one position of it: gradients, smoothing, other moments and cases, distances. In formulas they
 * stand like fields.
 */
import { digest } from '../digest'
import type { Key } from '../digest'
import { DataError } from '../errors'
import type { BoundarySurface } from '../fields/boundaryFaces'
import { Folding } from '../fields/formula/elsewhere'
import { coherentOf } from '../fields/formula/expressions'
import { parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import { looksAround } from '../fields/formula/typed'
import type { Elsewhere, Operation, Typed } from '../fields/formula/typed'
import { cellGradients, curl, divergence } from '../fields/gradient'
import { neighbourGradients } from '../fields/neighbourGradient'
import { cellMeans, smoothedValues } from '../fields/smoothing'
import { joinArrays } from '../formats/meshParts'
import { linearVolumes } from '../measure/integrateCells'
import { cellsBehind } from '../mesh/cellsBehind'
import type { FieldValues, MeshBlock, PartBlocks } from '../mesh/MeshBlock'
import { carryByCells } from '../mesh/carryByCells'
import { wholeDomain } from '../mesh/Domain'
import { isSameMesh, requireSameMesh } from '../mesh/sameMesh'
import { ScatteredPoints } from '../mesh/ScatteredPoints'
import { packTriangles, TriangleTree } from '../mesh/TriangleTree'
import { NearestPlaces } from '../shapes/carryByNearest'
import { carryByPoints, pointsOf } from '../shapes/carryByPoints'
import { joinValues, triangleCorners } from '../shapes/Shape'
import type { Shape } from '../shapes/Shape'
import { lengthFactor } from '../units/units'
import type { FrameOf } from './Expressions'
import type { FrameData } from './FrameData'

/** What a frame has besides its own data. */
export interface Surroundings {
  /** Keeps reductions from one request to the next. */
  numbers(key: Key, make: () => number[]): number[]
  /** The same for values on a block. */
  block(key: Key, make: () => Float64Array): Float64Array
  other: FrameOf<FrameData>
}

/** Of a frame by itself: nothing is kept. */
export const alone: Surroundings = {
  numbers: (_, make) => make(),
  block: (_, make) => make(),
  other() {
    throw new DataError('no-moments', 'Other moments and cases cannot be looked at here.')
  },
}

/** Points between two looks at whether the computation is still wanted. */
const CHECK_EVERY = 4096
/** Frames up to which nothing is kept. */
const FEW_PLACES = 3

/** Where values of another mesh are wanted. */
interface OnBlock {
  part: PartBlocks
  block: number
  mesh: MeshBlock
  at: FieldValues['place']
  components: number
}

/** A part that is no region, with what finds places on it or between its points: made once for all blocks that values go to. */
interface Source {
  shape: Shape
  places: ScatteredPoints | NearestPlaces
}

function placeOf({ place }: Typed): 'point' | 'cell' {
  return place === 'cell' ? 'cell' : 'point'
}

/** Whether two look at the same expression in the same frames. */
function isOfSame(a: Elsewhere, b: Elsewhere): boolean {
  const isSame = (place: Elsewhere['places'][number], i: number): boolean => {
    const other = b.places[i]!
    return place.case === other.case && place.moment === other.moment && place.part === other.part
  }
  return a.text === b.text && a.places.length === b.places.length && a.places.every(isSame)
}

export class ValuesAround {
  private readonly sources = new Map<Key, Source>()

  constructor(
    private readonly frame: FrameData,
    private readonly around: Surroundings,
  ) {}

  /** In coherent SI: gradients and means by cell, smoothed values and distances by point, values elsewhere where those live. */
  values(typed: Typed, part: PartBlocks, block: number): FieldValues {
    const { operation, of, components: own } = typed
    const { kind } = operation
    if (kind === 'elsewhere') {
      const place = placeOf(typed)
      return { values: this.valuesElsewhere(operation, part, block, { components: own, place }), components: own, place }
    }
    if (kind === 'distance') return { values: this.distances(operation, part, block), components: 1, place: 'point' }
    if (kind === 'arc length') throw new DataError('no-line', '“arclength” exists on lines only.')
    if (kind === 'cells')
      return { values: cellMeans(part.block(block), this.frame.evaluate(of[0]!, part, block)), components: own, place: 'cell' }
    const owner = looksAround(operation) && part.dimension === 2 ? this.frame.ownerOf(part.name, of[0]!) : undefined
    if (owner) return this.valuesOfOwner(typed, part, block, owner)
    if (kind === 'cell volume')
      return { values: linearVolumes(part.block(block)).map((x) => x * operation.factor), components: 1, place: 'cell' }
    const valuesOf = (b: number): FieldValues => this.frame.evaluate(of[0]!, part, b)
    const surfaces = this.surfacesAround(of[0]!, part.name)
    if (kind === 'smooth') return { values: smoothedValues(part, block, valuesOf, surfaces), components: own, place: 'point' }
    if (kind !== 'grad' && kind !== 'div' && kind !== 'curl') throw new Error('no such operation')
    const { lengthFactor } = operation
    const { values, components, place } = valuesOf(block)
    const gradients =
      place === 'cell' ? neighbourGradients(part, block, valuesOf, surfaces) : cellGradients(part.block(block), values, components)
    if (lengthFactor !== 1) for (let i = 0; i < gradients.length; i++) gradients[i]! /= lengthFactor
    if (kind === 'grad') return { values: gradients, components: 3 * components, place: 'cell' }
    if (kind === 'div') return { values: divergence(gradients), components: 1, place: 'cell' }
    return { values: curl(gradients), components: 3, place: 'cell' }
  }

  /** On the faces of a surface that bounds a region: those of the cell behind each. */
  private valuesOfOwner(typed: Typed, part: PartBlocks, block: number, owner: PartBlocks): FieldValues {
    const { components } = typed
    const cells = cellsBehind(part.block(block), owner, () => this.frame.check())
    const values = new Float64Array(components * cells.length).fill(NaN)
    for (const k of new Set(cells.map(({ block: own }) => own))) {
      if (k < 0) continue
      owner.within(() => {
        const own = this.values(typed, owner, k)
        cells.forEach(({ block: of, cell }, f) => {
          if (of !== k) return
          for (let c = 0; c < components; c++) values[components * f + c] = own.values[components * cell + c]!
        })
      })
    }
    return { values, components, place: 'cell' }
  }

  /** Folded over other moments, or of another case; what is dear is kept. */
  private valuesElsewhere(own: Elsewhere, part: PartBlocks, block: number, shape: Pick<FieldValues, 'components' | 'place'>): Float64Array {
    const { text, places } = own
    if (places.length <= FEW_PLACES) return this.folded([own], part, block, shape)[0]!
    const expression = coherentOf(parseFormula(text))
    const keys = places.map((place) => this.around.other(place).expressions.key(expression, [place.part ?? part.name]))
    const keyOf = ({ fold, places: weighted }: Elsewhere): Key =>
      digest('elsewhere', keys, fold, weighted, shape.components, part.name, block)
    return this.around.block(keyOf(own), () => {
      // statistics of the same values read them once
      const others = this.frame.expressions.elsewhereOn(part.name).filter((other) => isOfSame(other, own))
      const all = new Map([own, ...others].map((one) => [keyOf(one), one]))
      const [first, ...rest] = this.folded([...all.values()], part, block, shape)
      const [, ...keysOfRest] = all.keys()
      rest.forEach((values, i) => void this.around.block(keysOfRest[i]!, () => values))
      return first!
    })
  }

  /** Folded in several ways, of the same expression in the same frames: each is looked at once. */
  private folded(
    all: readonly Elsewhere[],
    part: PartBlocks,
    block: number,
    { components, place: at }: Pick<FieldValues, 'components' | 'place'>,
  ): Float64Array[] {
    const [{ text, places }] = all as [Elsewhere]
    const of = parseFormula(text)
    const mesh = part.block(block)
    let foldings: Folding[] | undefined
    places.forEach((place, i) => {
      this.frame.check()
      const there = this.around.other(place)
      const own = there.data.part(place.part ?? part.name)
      own.within(() => {
        const isOwn = place.case === null && own.name === part.name
        if (isOwn) requireSameMesh(mesh, own, block)
        const isSame = isOwn || isSameMesh(mesh, own, block)
        const values = isSame
          ? there.evaluate(there.expressions.on(of, [own.name]).on(own.name), own, block).values
          : this.carried(of, there, own, { part, block, mesh, at, components })
        foldings ??= all.map(({ fold }) => new Folding(fold, values.length))
        foldings.forEach((folding, f) => folding.add(values, all[f]!.places[i]!.weight))
      })
    })
    return all.map((_, f) => foldings?.[f]!.result() ?? new Float64Array(0))
  }

  /** From another mesh: of a region by the cells there, of points by tetrahedra between them, of anything else from the nearest place. */
  private carried(of: Expression, there: FrameData, other: PartBlocks, { part, block, mesh, at, components }: OnBlock): ArrayLike<number> {
    const factor = lengthFactor(this.frame.lengthUnit, there.lengthUnit)
    const key = there.expressions.key(coherentOf(of), [other.name])
    return this.around.block(digest('carried', key, this.frame.expressions.meshKey(part.name), block, at, factor), () => {
      const places = at === 'cell' ? cellMeans(mesh, { values: mesh.points, components: 3, place: 'point' }) : mesh.points
      const positions = places.map((x) => factor * x)
      const check = (): void => this.frame.check()
      const typed = there.expressions.on(of, [other.name]).on(other.name)
      if (other.dimension === 3)
        return carryByCells(wholeDomain([other]), positions, components, (own, k) => there.evaluate(typed, own, k), check).values
      const { shape, places: from } = this.sourceOf(there, other.name)
      const own = there.values(coherentOf(of), shape)
      if (from instanceof NearestPlaces) return from.carry(positions, own, check).values
      const between = { by: 'between' as const, count: 1, within: Infinity, takesNearest: false }
      return carryByPoints(from, joinValues(shape, own), positions, between, check).values
    })
  }

  private sourceOf(there: FrameData, name: string): Source {
    const key = there.expressions.meshKey(name)
    let source = this.sources.get(key)
    if (!source) {
      const shape = there.partShape(name, false)
      const check = (): void => this.frame.check()
      const places = shape.kind === 'points' ? new ScatteredPoints(pointsOf(shape), check) : new NearestPlaces(shape)
      this.sources.set(key, (source = { shape, places }))
    }
    return source
  }

  /** From each point to the nearest place of some surfaces, in metres. */
  private distances({ to, factor }: Operation & { kind: 'distance' }, part: PartBlocks, block: number): Float64Array {
    const versions = to.map((name) => this.frame.expressions.meshKey(name))
    return this.around.block(digest('distance', versions, factor, this.frame.expressions.meshKey(part.name), block), () => {
      const tree = new TriangleTree(this.around.block(digest('triangles', versions), () => this.triangles(to)))
      const { points } = part.block(block)
      return Float64Array.from({ length: points.length / 3 }, (_, p) => {
        if (p % CHECK_EVERY === 0) this.frame.check()
        return factor * tree.distance(points[3 * p]!, points[3 * p + 1]!, points[3 * p + 2]!)
      })
    })
  }

  private triangles(surfaces: readonly string[]): Float64Array {
    const pieces = surfaces
      .map((name) => this.frame.partShape(name, false))
      .flatMap(({ kind, pieces: own }) => (kind === 'surface' ? own : []))
    return packTriangles(joinArrays(Float64Array, pieces.map(triangleCorners)))
  }

  private surfacesAround(of: Typed, region: string): BoundarySurface[] {
    return this.frame.expressions.surfacesAround(of, region).map((name) => {
      const part = this.frame.data.part(name)
      return { part, valuesOf: (block) => this.frame.evaluate(of, part, block) }
    })
  }
}
