/**
 * Cells given by their faces: recognised as one of the core's own types where they are one, else split around a point added
 * at the mean of their nodes.
 *
 * A quad becomes the base of a pyramid and a triangle that of a tetrahedron; a polygon of more nodes is fanned from its
 * smallest point number, the rule of `tetrahedra.ts`, so that neighbours agree. Exact for cells that are star-shaped about
 * the mean of their nodes; each piece counts positive.
 */
import { CellType } from './cellTypes'

/** Faces of one cell as lists of point numbers, in any winding. */
export type FaceLists = readonly (readonly number[])[]

/** Nodes of the cell that was recognised last, in the core's order. Not re-entrant. */
const nodes = new Uint32Array(8)

/**
 * Whether a cell is a tetrahedron, pyramid, wedge or hexahedron. Nothing is allocated: nearly all cells of most meshes are.
 *
 * @param stream  number of faces, then for each its number of nodes and the nodes
 * @param at      where the cell begins
 * @returns the type, and a list of its nodes, which is reused by the next call
 */
export function simpleCell(stream: Uint32Array, at: number): { type: number; nodes: Uint32Array } | undefined {
  const nFaces = stream[at]!
  if (nFaces < 4 || nFaces > 6) return undefined
  let nTriangles = 0
  let nQuads = 0
  for (let f = 0, face = at + 1; f < nFaces; f++, face += 1 + stream[face]!) {
    if (stream[face] === 3) nTriangles++
    else if (stream[face] === 4) nQuads++
    else return undefined
  }
  if (nTriangles === 4 && nQuads === 0) return coneCell(stream, at, CellType.tetra, 3)
  if (nTriangles === 4 && nQuads === 1) return coneCell(stream, at, CellType.pyramid, 4)
  if (nTriangles === 2 && nQuads === 3) return prismCell(stream, at, CellType.wedge, 3)
  return nQuads === 6 ? prismCell(stream, at, CellType.hexahedron, 4) : undefined
}

/** Where the first face of so many nodes begins; its nodes are put first. */
function takeBase(stream: Uint32Array, at: number, nBase: number): number {
  let face = at + 1
  while (stream[face] !== nBase) face += 1 + stream[face]!
  for (let i = 0; i < nBase; i++) nodes[i] = stream[face + 1 + i]!
  return face
}

function isAmong(node: number, n: number): boolean {
  for (let i = 0; i < n; i++) if (nodes[i] === node) return true
  return false
}

/** Whether all faces have no other nodes than the first n, which are different ones. */
function hasOnly(stream: Uint32Array, at: number, n: number): boolean {
  for (let i = 1; i < n; i++) if (isAmong(nodes[i]!, i)) return false
  for (let f = stream[at]!, face = at + 1; f > 0; f--, face += 1 + stream[face]!) {
    for (let i = 1; i <= stream[face]!; i++) if (!isAmong(stream[face + i]!, n)) return false
  }
  return true
}

function coneCell(stream: Uint32Array, at: number, type: number, nBase: number): { type: number; nodes: Uint32Array } | undefined {
  const base = takeBase(stream, at, nBase)
  const other = base === at + 1 ? base + 1 + nBase : at + 1
  for (let i = 1; i <= stream[other]!; i++) if (!isAmong(stream[other + i]!, nBase)) nodes[nBase] = stream[other + i]!
  return hasOnly(stream, at, nBase + 1) ? { type, nodes: nodes.subarray(0, nBase + 1) } : undefined
}

/** Base, then for each of its nodes the one across: its neighbour along an edge that is not in the base. */
function prismCell(stream: Uint32Array, at: number, type: number, nBase: number): { type: number; nodes: Uint32Array } | undefined {
  const base = takeBase(stream, at, nBase)
  for (let i = 0; i < nBase; i++) {
    const across = nodeAcross(stream, at, base, nodes[i]!, nBase)
    if (across < 0) return undefined
    nodes[nBase + i] = across
  }
  return hasOnly(stream, at, 2 * nBase) ? { type, nodes: nodes.subarray(0, 2 * nBase) } : undefined
}

function nodeAcross(stream: Uint32Array, at: number, base: number, node: number, nBase: number): number {
  for (let f = stream[at]!, face = at + 1; f > 0; f--, face += 1 + stream[face]!) {
    if (face === base) continue
    const n = stream[face]!
    for (let i = 0; i < n; i++) {
      if (stream[face + 1 + i] !== node) continue
      const next = stream[face + 1 + ((i + 1) % n)]!
      if (!isAmong(next, nBase)) return next
      const last = stream[face + 1 + ((i + n - 1) % n)]!
      if (!isAmong(last, nBase)) return last
      break
    }
  }
  return -1
}

/** Pieces around the point `centre`. Empty when the cell has fewer than four faces. */
export function piecesAround(faces: FaceLists, centre: number): { type: number; nodes: number[] }[] {
  if (faces.length < 4) return []
  return faces.flatMap((face) => {
    if (face.length < 3) return []
    if (face.length === 4) return [{ type: CellType.pyramid, nodes: [...face, centre] }]
    const n = face.length
    let first = 0
    for (let i = 1; i < n; i++) if (face[i]! < face[first]!) first = i
    const pieces: { type: number; nodes: number[] }[] = []
    for (let i = 1; i < n - 1; i++)
      pieces.push({ type: CellType.tetra, nodes: [face[first]!, face[(first + i) % n]!, face[(first + i + 1) % n]!, centre] })
    return pieces
  })
}
