/** All kinds of step, in the order in which they are offered. */
import { DataError } from '../errors'
import { arrows } from './arrows'
import { aside } from './aside'
import { balance } from './balance'
import { beads } from './beads'
import { calculate } from './calculate'
import { carry } from './carry'
import { circle } from './circle'
import { clip } from './clip'
import { concentration } from './concentration'
import { copies } from './copies'
import { curve } from './curve'
import { deform } from './deform'
import { find } from './find'
import { follow } from './follow'
import { force } from './force'
import { histogram } from './histogram'
import { indexPlane } from './indexPlane'
import { isosurface } from './isosurface'
import { keep } from './keep'
import { line } from './line'
import { measure } from './measure'
import { meet } from './meet'
import { onPaths } from './onPaths'
import { outside } from './outside'
import { pieces } from './pieces'
import { plot } from './plot'
import { points } from './points'
import { scatter } from './scatter'
import { sheet } from './sheet'
import { show } from './show'
import { slice } from './slice'
import type { StepKind } from './StepKind'
import { texture } from './texture'
import { trace } from './trace'
import { traceSurface } from './traceSurface'

export const stepKinds: readonly StepKind[] = [
  slice,
  isosurface,
  indexPlane,
  clip,
  keep,
  pieces,
  outside,
  meet,
  trace,
  traceSurface,
  follow,
  onPaths,
  concentration,
  beads,
  arrows,
  texture,
  measure,
  balance,
  force,
  calculate,
  plot,
  curve,
  histogram,
  scatter,
  carry,
  deform,
  copies,
  aside,
  line,
  circle,
  points,
  find,
  sheet,
  show,
] as unknown as StepKind[]

const byId = new Map(stepKinds.map((kind) => [kind.id, kind]))

/** @throws DataError naming the known kinds */
export function stepKind(id: string): StepKind {
  const kind = byId.get(id)
  if (!kind) throw new DataError('unknown-step', `There is no kind of step “${id}”; known are ${[...byId.keys()].join(', ')}.`)
  return kind
}
