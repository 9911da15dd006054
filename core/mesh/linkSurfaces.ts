/**
 * Finds which regions a surface bounds, and winds its faces out of the first of them.
 *
 * Surfaces of a file have points of their own: they are matched to the regions' boundary faces by exact coordinates.
 * A face belongs when the three smallest of its points' numbers are those of a boundary face. O(boundary points + faces).
 */
import { cellDimension } from './cellTypes'
import type { NormalMesh } from './normaliseCells'
import { HashIndex, hashOfThree, PositionIndex } from './numbering'
import type { Skin } from './skin'

export interface RegionSkin {
  name: string
  skin: Skin
  /** Places of points in the skin by coordinates. */
  points: PositionIndex
  /** Faces of the skin by their three smallest places. */
  faces: HashIndex
}

export function regionSkin(name: string, skin: Skin): RegionSkin {
  const { points, starts } = skin
  return {
    ...{ name, skin },
    points: new PositionIndex(points),
    faces: new HashIndex(starts.length - 1, (f) => hashOfThree(...smallestOf(nodesOf(skin, f)))),
  }
}

function nodesOf({ nodes, starts }: Skin, face: number): Uint32Array {
  return nodes.subarray(starts[face]!, starts[face + 1]!)
}

function smallestOf(nodes: ArrayLike<number>): [number, number, number] {
  const [a, b, c] = Array.from(nodes).sort((x, y) => x - y)
  return [a!, b!, c!]
}

/** Place in the skin of a point of a surface; -1 when no point of it lies there. */
function placeOf({ points }: RegionSkin, surface: NormalMesh, p: number): number {
  return points.find(surface.points[3 * p]!, surface.points[3 * p + 1]!, surface.points[3 * p + 2]!)
}

/**
 * @param surface  its connectivity is re-wound in place, its points are put in the order of the region's
 * @returns names of the regions that at least nine tenths of the faces bound; a region whose name the surface's
 *          begins with comes first, else the order of `regions`
 */
export function linkSurface(surface: NormalMesh, name: string, regions: readonly RegionSkin[]): string[] {
  const owners: { region: RegionSkin; flips: number[] }[] = []
  const nFaces = surface.types.reduce((n, type) => n + (cellDimension(type) === 2 ? 1 : 0), 0)
  for (const region of regions) {
    const places = Int32Array.from({ length: surface.points.length / 3 }, (_, p) => placeOf(region, surface, p))
    const flips: number[] = []
    let matched = 0
    for (let c = 0; c < surface.types.length; c++) {
      const side = sideOf(surface, c, places, region)
      if (side === 0) continue
      matched++
      if (side < 0) flips.push(c)
    }
    if (nFaces > 0 && matched >= 0.9 * nFaces) owners.push({ region, flips })
  }
  owners.sort((a, b) => Number(name.startsWith(b.region.name)) - Number(name.startsWith(a.region.name)))
  for (const c of owners[0]?.flips ?? []) surface.connectivity.subarray(surface.offsets[c]!, surface.offsets[c + 1]!).reverse()
  if (owners[0]) orderPoints(surface, owners[0].region)
  return owners.map((owner) => owner.region.name)
}

/**
 * Puts the points of a surface in the order in which the region numbers them, so that a face is split along the same
 * diagonal on both: what flows through the named surfaces is what flows through the region's skin.
 */
function orderPoints(surface: NormalMesh, region: RegionSkin): void {
  const n = surface.points.length / 3
  const numbers = new Float64Array(n)
  for (let p = 0; p < n; p++) {
    const place = placeOf(region, surface, p)
    numbers[p] = place < 0 ? 2 ** 32 + p : region.skin.numbers[place]!
  }
  const sources = new Uint32Array(n)
  for (let p = 0; p < n; p++) sources[p] = p
  sources.sort((a, b) => numbers[a]! - numbers[b]!)
  const ranks = new Uint32Array(n)
  const points = surface.points.slice()
  sources.forEach((source, rank) => {
    ranks[source] = rank
    for (let d = 0; d < 3; d++) points[3 * rank + d] = surface.points[3 * source + d]!
  })
  surface.points = points
  for (let i = 0; i < surface.connectivity.length; i++) surface.connectivity[i] = ranks[surface.connectivity[i]!]!
  if (surface.whole) surface.whole = { ...surface.whole, connectivity: surface.whole.connectivity.map((p) => ranks[p]!) }
  // a part of a larger mesh has numbers of its own already
  surface.pointSources = surface.pointSources ? sources.map((p) => surface.pointSources![p]!) : sources
}

/** 1 when the face winds out of the region, -1 when into it, 0 when it is none of its boundary faces. */
function sideOf(surface: NormalMesh, cell: number, places: Int32Array, { skin, faces }: RegionSkin): number {
  const nodes: number[] = []
  for (let i = surface.offsets[cell]!; i < surface.offsets[cell + 1]!; i++) {
    const place = places[surface.connectivity[i]!]!
    if (place < 0) return 0
    nodes.push(place)
  }
  if (nodes.length < 3) return 0
  const wanted = smallestOf(nodes)
  const face = faces.find(hashOfThree(...wanted), (f) => smallestOf(nodesOf(skin, f)).every((node, i) => node === wanted[i]))
  if (face < 0) return 0
  const outward = nodesOf(skin, face)
  const at = outward.indexOf(nodes[0]!)
  return outward[(at + 1) % outward.length] === nodes[1] ? 1 : -1
}
