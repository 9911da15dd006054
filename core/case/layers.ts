/** What the counts of a mesh tell about how many cells it is thick. */
import type { Part } from './catalogue'

/** Points that one layer has for each cell, about: those of the front and of the back. */
const POINTS_A_CELL: Readonly<Record<string, number>> = { hexahedron: 2, wedge: 1 }
/** Two layers have three quarters of the points that as many cells have in one. */
const LEAST = 0.87
/** Below this any mesh may be so. */
const FEWEST = 1000

/** Whether all cells of a region lie between two surfaces, as in a plane case that is one cell thick. */
export function isOneLayer({ dimension, cells, points, cellTypes }: Pick<Part, 'dimension' | 'cells' | 'points' | 'cellTypes'>): boolean {
  const types = Object.entries(cellTypes)
  if (dimension !== 3 || cells < FEWEST || !types.length || types.some(([type]) => !(type in POINTS_A_CELL))) return false
  return points >= LEAST * types.reduce((sum, [type, n]) => sum + POINTS_A_CELL[type]! * n, 0)
}
