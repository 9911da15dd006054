/** The surfaces around what is traced: all by their names, and those that are periodic. */
import { roleByName } from '../case/roles'
import { PeriodicSides } from '../trace/PeriodicSides'
import type { Side } from '../trace/BoundaryNames'
import type { StepContext } from './StepKind'

export function boundarySides(context: StepContext): Side[] {
  return context.boundary().map(({ part, shape }) => ({ name: part.name, shape }))
}

/** Units of one computation share them. */
const known = new WeakMap<StepContext, PeriodicSides>()

/** By their role; until roles are known, by their names. @param size  diagonal of the mesh */
export function periodicSides(context: StepContext, size: number): PeriodicSides {
  const found = known.get(context)
  if (found) return found
  const sides = context.boundary().filter(({ part }) => (part.role?.is ?? roleByName(part.name)) === 'periodic')
  const made = new PeriodicSides(
    sides.map(({ part, shape }) => ({ name: part.name, shape })),
    size,
  )
  known.set(context, made)
  return made
}
