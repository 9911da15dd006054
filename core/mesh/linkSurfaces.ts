/**
 * Finds which regions a surface bounds, and winds its faces out of the first of them.
 *
 * Surfaces of a file have points of their own: they are matched to the regions' boundary faces by exact coordinates.
 * A face belongs when the three smallest of its points' numbers are those of a boundary face. O(boundary points + faces).
 */
import { cellDimension, cellFaces } from './cellTypes'
import { matchFaces } from './faceMatching'
import type { NormalMesh } from './normaliseCells'

export interface RegionSkin {
  name: string
  mesh: NormalMesh
  /** Point number by coordinates. */
  points: Map<string, number>
  /** By the three smallest point numbers: cell and face, packed. */
  faces: Map<string, number>
}

export function regionSkin(name: string, mesh: NormalMesh): RegionSkin {
  const boundary = matchFaces(mesh, mesh.points.length / 3)
  const points = new Map<string, number>()
  const faces = new Map<string, number>()
  for (let i = 0; i < boundary.length; i += 2) {
    const nodes = faceNodes(mesh, boundary[i]!, boundary[i + 1]!)
    for (const p of nodes) points.set(coordinateKey(mesh, p), p)
    faces.set(faceKey(nodes), boundary[i]! * 8 + boundary[i + 1]!)
  }
  return { name, mesh, points, faces }
}

function faceNodes(mesh: NormalMesh, cell: number, face: number): number[] {
  return cellFaces[mesh.types[cell]!]![face]!.map((node) => mesh.connectivity[mesh.offsets[cell]! + node]!)
}

function coordinateKey({ points }: { points: ArrayLike<number> }, p: number): string {
  return `${points[3 * p]} ${points[3 * p + 1]} ${points[3 * p + 2]}`
}

function faceKey(nodes: readonly number[]): string {
  const [a, b, c] = [...nodes].sort((x, y) => x - y)
  return `${a} ${b} ${c}`
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
    const flips: number[] = []
    let matched = 0
    for (let c = 0; c < surface.types.length; c++) {
      const side = sideOf(surface, c, region)
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
  for (let p = 0; p < n; p++) numbers[p] = region.points.get(coordinateKey(surface, p)) ?? 2 ** 32 + p
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
  // a part of a larger mesh has numbers of its own already
  surface.pointSources = surface.pointSources ? sources.map((p) => surface.pointSources![p]!) : sources
}

/** 1 when the face winds out of the region, -1 when into it, 0 when it is none of its boundary faces. */
function sideOf(surface: NormalMesh, cell: number, region: RegionSkin): number {
  const nodes: number[] = []
  for (let i = surface.offsets[cell]!; i < surface.offsets[cell + 1]!; i++) {
    const p = region.points.get(coordinateKey(surface, surface.connectivity[i]!))
    if (p === undefined) return 0
    nodes.push(p)
  }
  const packed = region.faces.get(faceKey(nodes))
  if (packed === undefined) return 0
  const outward = faceNodes(region.mesh, Math.floor(packed / 8), packed % 8)
  const at = outward.indexOf(nodes[0]!)
  return outward[(at + 1) % outward.length] === nodes[1] ? 1 : -1
}
