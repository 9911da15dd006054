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

/** Nodes of the cell in the core's order when it is a tetrahedron, pyramid, wedge or hexahedron. */
export function simpleCell(faces: FaceLists): { type: number; nodes: number[] } | undefined {
  let nTriangles = 0
  let nQuads = 0
  for (const face of faces) {
    if (face.length === 3) nTriangles++
    else if (face.length === 4) nQuads++
    else return undefined
  }
  const nNodes = new Set(faces.flat()).size
  if (nTriangles === 4 && !nQuads && nNodes === 4) return coneCell(CellType.tetra, faces, 3)
  if (nTriangles === 4 && nQuads === 1 && nNodes === 5) return coneCell(CellType.pyramid, faces, 4)
  if (nTriangles === 2 && nQuads === 3 && nNodes === 6) return prismCell(CellType.wedge, faces, 3)
  if (nQuads === 6 && !nTriangles && nNodes === 8) return prismCell(CellType.hexahedron, faces, 4)
  return undefined
}

function coneCell(type: number, faces: FaceLists, nBase: number): { type: number; nodes: number[] } {
  const base = faces.find((face) => face.length === nBase)!
  return { type, nodes: [...base, faces.flat().find((node) => !base.includes(node))!] }
}

/** Base, then for each of its nodes the one across: its neighbour along an edge that is not in the base. */
function prismCell(type: number, faces: FaceLists, nBase: number): { type: number; nodes: number[] } | undefined {
  const base = faces.find((face) => face.length === nBase)!
  const across = base.map((node) => {
    for (const face of faces) {
      const i = face.indexOf(node)
      if (i < 0 || face === base) continue
      for (const other of [face[(i + 1) % face.length]!, face[(i + face.length - 1) % face.length]!]) if (!base.includes(other)) return other
    }
    return -1
  })
  return across.includes(-1) || new Set(across).size !== nBase ? undefined : { type, nodes: [...base, ...across] }
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
    for (let i = 1; i < n - 1; i++) pieces.push({ type: CellType.tetra, nodes: [face[first]!, face[(first + i) % n]!, face[(first + i + 1) % n]!, centre] })
    return pieces
  })
}
