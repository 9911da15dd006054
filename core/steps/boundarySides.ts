/** The surfaces around what is traced: all by their names, and those that are periodic. */
import type { Part } from '../case/catalogue'
import { roleByName } from '../case/roles'
import { diagonal, unionBox } from '../mesh/boxes'
import type { Shape } from '../shapes/Shape'
import { BoundaryNames } from '../trace/BoundaryNames'
import type { Side } from '../trace/BoundaryNames'
import { PeriodicSides } from '../trace/PeriodicSides'
import type { StepContext } from './StepKind'

/** How near to a surface something ends at it, as a share of the diagonal. */
const NEAR_SURFACE = 1e-3

/** Diagonal of the regions that something is traced in. */
export function sizeOfRegions(context: StepContext): number {
  return diagonal(unionBox(context.domain('of').parts.flatMap((part) => part.boxes)))
}

/** @param size  diagonal of the mesh. @param surfaces  all around it when absent */
export function surfaceNames(context: StepContext, size: number, surfaces = context.boundary().map(sideOf)): BoundaryNames {
  return new BoundaryNames(surfaces, NEAR_SURFACE * size)
}

function sideOf({ part, shape }: { part: Part; shape: Shape }): Side {
  return { name: part.name, shape }
}

/** Units of one computation share them. */
const known = new WeakMap<StepContext, PeriodicSides>()

/** By their role; until roles are known, by their names. @param size  diagonal of the mesh */
export function periodicSides(context: StepContext, size: number): PeriodicSides {
  const found = known.get(context)
  if (found) return found
  const sides = context.boundary().filter(({ part }) => (part.role?.is ?? roleByName(part.name)) === 'periodic')
  const made = new PeriodicSides(sides.map(sideOf), size)
  known.set(context, made)
  return made
}
